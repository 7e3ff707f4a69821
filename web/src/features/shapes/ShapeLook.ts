import {
  boundPositions,
  itemPath,
  type Json,
  type SavedShape,
  type Shape,
  shapeAmountPath,
  shapePath,
} from '@judoka/core/document';
import { halvesOf, reliefOf } from '@judoka/core/mesh';
import { restPlaces, signOfLeft } from '@judoka/core/skeleton';
import { Events } from '../../document/events.ts';
import { maskOfShape, movesOf } from '../../document/posedShapes.ts';
import type { Editing } from '../../scene/Editing.ts';

/** Half a shape goes over into the other half over this share of the size. */
const HALF_WIDTH = 0.04;

/** Which shape is looked at: where it moves points, as a relief. It belongs to the person. */
export class ShapeLook {
  readonly events = new Events<'changed'>();
  readonly #at: Editing;
  shown: string | undefined;

  constructor(at: Editing) {
    this.#at = at;
    at.document.events.subscribe('values', () => this.#follow());
  }

  /** The shape that is looked at. */
  get shape(): Shape | undefined {
    return this.#at.scene.morphs.shapes.find(({ key }) => key === this.shown);
  }

  /** Something else is looked at: what is drawn is not this one's any more. */
  leave(): void {
    this.shown = undefined;
    this.events.publish('changed');
  }

  show(key: string | undefined): void {
    this.shown = key;
    this.#at.scene.setAmounts(this.#relief());
    this.events.publish('changed');
  }

  #follow(): void {
    if (this.shown === undefined) return;
    if (this.shape) this.#at.scene.setAmounts(this.#relief());
    else this.show(undefined);
  }

  #relief(): Float32Array[] | undefined {
    const { shape } = this;
    if (!shape) return undefined;
    const { document, scene } = this.#at;
    return scene.parts.map(({ index, part: { pointCount } }) => {
      const moves = movesOf(document, shape.morph, index);
      if (!moves) return new Float32Array(pointCount);
      const mask = maskOfShape(document, shape, index);
      const relief = reliefOf(moves, pointCount);
      return mask ? relief.map((far, p) => far * mask[p]) : relief;
    });
  }
}

/** What is said of a shape, changed. */
export function changeShape(
  { document }: Editing,
  { key, name }: Shape,
  change: SavedShape,
  label = `Shape ${name}`,
): void {
  const { isLeftOut, ...held }: SavedShape = { ...document.settings.shapes[key], ...change };
  const value = jsonOf({ ...held, ...(isLeftOut && { isLeftOut }) });
  document.setValues(label, { [shapePath(key)]: Object.keys(value).length > 0 ? value : null });
}

/** Without what is not said. */
const jsonOf = (shape: SavedShape): Record<string, Json> =>
  JSON.parse(JSON.stringify(shape)) as Record<string, Json>;

/** Gives a shape another name; as it is called in its file, nothing is said of it. */
export function renameShape({ document, scene }: Editing, shape: Shape, name: string): void {
  if (scene.morphs.shapes.some((other) => other.key !== shape.key && other.name === name)) {
    document.notify(`There is a shape “${name}” already. Choose another name.`);
    return;
  }
  const isOwn = !shape.isMade && name === document.character.morphs[shape.morph].name;
  changeShape(
    { document, scene },
    shape,
    { name: isOwn ? undefined : name },
    `Rename ${shape.name} to ${name}`,
  );
}

export function removeShape({ document }: Editing, { key, name }: Shape): void {
  document.setValues(`Remove shape ${name}`, { [shapePath(key)]: null, [shapeAmountPath(key)]: null });
}

/** Gives a shape a mask of its own that takes all of it, to be painted. @returns the mask's id */
export function maskShape({ document, scene }: Editing, shape: Shape): Promise<string> {
  const amounts = new Map(
    scene.parts
      .filter(({ index }) => movesOf(document, shape.morph, index))
      .map(({ index, part }) => [index, new Float32Array(part.pointCount).fill(1)] as const),
  );
  return document.saved.saveMask(shape.name, amounts, {
    label: `Mask of ${shape.name}`,
    values: (mask) => ({ [shapePath(shape.key)]: jsonOf({ ...document.settings.shapes[shape.key], mask }) }),
  });
}

/**
 * Makes two shapes of one, left and right: by masks that are one together at every point. The whole stays here and is left out
 * of what goes out.
 */
export async function splitShape(at: Editing, shape: Shape): Promise<void> {
  const { document, scene } = at;
  const { axis, middle } = document.plane;
  const left = signOfLeft(document.skeleton, restPlaces(document.skeleton), { axis, middle });
  const halves = new Map(
    scene.parts.flatMap(({ index }) => {
      if (!movesOf(document, shape.morph, index)) return [];
      const places = boundPositions(document.character.parts[index]);
      const heights = Float32Array.from(
        { length: places.length / 3 },
        (_, p) => left * (places[p * 3 + axis] - middle),
      );
      const mask = maskOfShape(document, shape, index);
      const { one, other } = halvesOf(heights, HALF_WIDTH * document.size, mask);
      return [[index, [one, other]] as const];
    }),
  );
  const masks = await document.saved.prepareMasks(
    ['left', 'right'].map((side, k) => ({
      name: `${shape.name} ${side}`,
      amounts: new Map([...halves].map(([part, both]) => [part, both[k]] as const)),
    })),
  );
  const savedAt = Date.now();
  const made = masks.map(({ id, name }, k) => [
    shapePath(crypto.randomUUID()),
    { name, mask: id, of: shape.morph, savedAt: savedAt + k },
  ]);
  document.setValues(
    `Split shape ${shape.name}`,
    {
      ...Object.fromEntries(masks.map(({ id, value }) => [itemPath('masks', id), value])),
      ...(Object.fromEntries(made) as Record<string, Json>),
      [shapePath(shape.key)]: jsonOf({ ...document.settings.shapes[shape.key], isLeftOut: true }),
    },
    { attachments: masks.map(({ attachment }) => attachment) },
  );
}
