import {
  growMask,
  invertMask,
  islandsOfMask,
  listMask,
  maskOf,
  type PointMask,
  shrinkMask,
} from '@judoka/core/mesh';
import { rowsEqual } from '@judoka/core/weights';
import type { ScenePart } from './ScenePart.ts';

/** Of a drawing: the handles of anchors that are found too, but those that have been set apart by other weights. */
function withFollowers({ anchors, skin }: ScenePart, found: PointMask): PointMask {
  if (!anchors) return found;
  const { rows } = skin;
  return found.map((own, p) => own || (found[anchors[p]] && rowsEqual(rows, p, rows, anchors[p]) ? 1 : 0));
}

/** How new points meet those that are selected already. */
export type SelectMode = 'replace' | 'add' | 'take';

/** The selected points, a mask a part. Fixed and hidden parts take no part in it. */
export class Selection {
  readonly #parts: readonly ScenePart[];
  readonly #onChange: () => void;
  readonly masks: PointMask[];
  count = 0;

  constructor(parts: readonly ScenePart[], onChange: () => void) {
    this.#parts = parts;
    this.#onChange = onChange;
    this.masks = parts.map(({ part }) => new Uint8Array(part.pointCount));
  }

  /** Points by part: only parts with selected ones. */
  points(): Map<number, Uint32Array> {
    return new Map(
      this.masks
        .map((mask, part): [number, Uint32Array] => [part, listMask(mask)])
        .filter(([, points]) => points.length > 0),
    );
  }

  /** Selects what `found` says of each part; parts that it does not name have nothing found. */
  choose(found: ReadonlyMap<number, PointMask>, mode: SelectMode): void {
    for (const each of this.#parts) {
      const { index, part, visible, hidden } = each;
      const mask = this.masks[index];
      const asked = visible && part.role !== 'fixed' ? found.get(index) : undefined;
      const own = asked && withFollowers(each, asked);
      if (mode === 'replace') mask.fill(0);
      if (!own) continue;
      for (let p = 0; p < mask.length; p++) if (own[p] && !hidden?.[p]) mask[p] = mode === 'take' ? 0 : 1;
    }
    this.#changed();
  }

  choosePoints(points: ReadonlyMap<number, Uint32Array>, mode: SelectMode): void {
    this.choose(
      new Map([...points].map(([part, list]) => [part, maskOf(list, this.masks[part].length)])),
      mode,
    );
  }

  clear(): void {
    for (const mask of this.masks) mask.fill(0);
    this.#changed();
  }

  /** Lets go of points that are hidden now. */
  dropHidden(): void {
    for (const { index, hidden } of this.#parts)
      if (hidden) this.masks[index].forEach((_, p) => hidden[p] && (this.masks[index][p] = 0));
    this.#changed();
  }

  all(): void {
    this.#each((mask) => new Uint8Array(mask.length).fill(1));
  }

  invert(): void {
    this.#each(invertMask);
  }

  grow(): void {
    this.#each((mask, { paint }) => growMask(paint.neighbours, mask));
  }

  shrink(): void {
    this.#each((mask, { paint }) => shrinkMask(paint.neighbours, mask));
  }

  islands(): void {
    this.#each((mask, { paint }) => islandsOfMask(paint.neighbours, mask));
  }

  #each(change: (mask: PointMask, part: ScenePart) => PointMask): void {
    this.choose(
      new Map(this.#parts.map((part) => [part.index, change(this.masks[part.index], part)])),
      'replace',
    );
  }

  #changed(): void {
    this.count = this.masks.reduce(
      (sum, mask) => sum + mask.reduce((own: number, held: number) => own + held, 0),
      0,
    );
    this.#onChange();
  }
}
