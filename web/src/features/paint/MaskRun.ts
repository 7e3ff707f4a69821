import { partAt } from '@judoka/core/document';
import { type BrushSettings, Stroke } from '@judoka/core/operations/paint';
import type { TakesDabs } from '../../scene/DabLine.ts';
import type { Editing } from '../../scene/Editing.ts';
import { needPairs } from '../../scene/needPairs.ts';
import type { ScenePart } from '../../scene/ScenePart.ts';
import { paintedWithin } from '../../scene/scope.ts';
import { amountAt, LEFT_OUT, type MaskedPart, TAKEN } from './maskRows.ts';
import type { StrokeMirror } from './StrokeRun.ts';

const NO_LOCKS = new Uint8Array(2);

/** One stroke of a brush on a mask, over any number of parts, mirrored while it is painted if that is wanted. */
export class MaskRun implements TakesDabs {
  readonly #at: Editing;
  readonly #mirror: StrokeMirror;
  readonly #parts: readonly MaskedPart[];
  readonly #settings: BrushSettings;
  readonly #drawn: () => void;
  readonly #strokes = new Map<number, Stroke>();
  changed = false;

  /** @throws CoreError argument-invalid if the mirror has no counterparts yet */
  constructor(
    at: Editing,
    mirror: StrokeMirror,
    parts: readonly MaskedPart[],
    settings: Omit<BrushSettings, 'joint'>,
    drawn: () => void,
  ) {
    needPairs(mirror);
    this.#at = at;
    this.#mirror = mirror;
    this.#parts = parts;
    this.#drawn = drawn;
    this.#settings = { ...settings, joint: TAKEN, receiver: { kind: 'joint', joint: LEFT_OUT } };
  }

  dab(part: ScenePart, count: number, pressure: number): void {
    if (count === 0) return;
    const { points, amounts } = part.paint;
    const [own, shares] = [points.slice(0, count), amounts.slice(0, count)];
    this.#dabOn(part.index, own, shares, pressure);
    if (this.#mirror.live && this.#mirror.pairs)
      this.#dabAcross(part.index, own, shares, pressure, this.#mirror.pairs);
    this.#drawn();
  }

  #dabOn(index: number, points: Uint32Array, shares: Float32Array, pressure: number): void {
    const { rows, workspace, amounts } = this.#parts[index];
    workspace.points.set(points);
    workspace.amounts.set(shares);
    const open = this.#strokeOn(index).dab(points.length, pressure);
    for (let i = 0; i < open; i++) amounts[workspace.points[i]] = amountAt(rows, workspace.points[i]);
    this.changed ||= open > 0;
  }

  /** The same on the counterparts; what lies on the middle has had it. */
  #dabAcross(
    index: number,
    points: Uint32Array,
    shares: Float32Array,
    pressure: number,
    pairs: Int32Array,
  ): void {
    const { firstPoint } = this.#mirror.space;
    const across = new Map<number, { points: number[]; shares: number[] }>();
    points.forEach((p, i) => {
      const other = pairs[firstPoint[index] + p];
      if (other < 0 || other === firstPoint[index] + p) return;
      const part = partAt(firstPoint, other);
      const held = across.get(part) ?? { points: [], shares: [] };
      held.points.push(other - firstPoint[part]);
      held.shares.push(shares[i]);
      across.set(part, held);
    });
    for (const [part, held] of across)
      this.#dabOn(part, new Uint32Array(held.points), new Float32Array(held.shares), pressure);
  }

  #strokeOn(index: number): Stroke {
    const known = this.#strokes.get(index);
    if (known) return known;
    const { rows, workspace } = this.#parts[index];
    const settings = { ...this.#settings, mask: paintedWithin(this.#at, this.#at.scene.parts[index]) };
    const stroke = new Stroke(index, rows, workspace, settings, NO_LOCKS);
    this.#strokes.set(index, stroke);
    return stroke;
  }
}
