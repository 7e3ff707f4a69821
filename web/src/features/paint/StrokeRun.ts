import { areasOf, type Change, type WeightRows } from '@judoka/core/weights';
import { CoreError } from '@judoka/core/errors';
import { partAt } from '@judoka/core/document';
import { type BrushSettings, Stroke, type StrokeReport, takesAll } from '@judoka/core/operations/paint';
import { confinesOf, paintedWithin } from '../../scene/scope.ts';
import { needPairs } from '../../scene/needPairs.ts';
import type { ScenePart } from '../../scene/ScenePart.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { MirrorSpace } from '@judoka/core/document';

/** What a stroke asks of the mirror. */
export interface StrokeMirror {
  /** Whether strokes are mirrored while they are painted. */
  readonly live: boolean;
  readonly space: MirrorSpace;
  /** Counterparts by point of the space; undefined until they are found. */
  readonly pairs: Int32Array | undefined;
  /** Points that touch one of another island or part; undefined until they are found. */
  readonly touching: Int32Array | undefined;
}

/** What a stroke could not do, over all parts. */
export interface RunReport extends Omit<StrokeReport, 'refused'> {
  /** Points without a counterpart, that the other side did not get. */
  readonly unmirrored: number;
  readonly refused: ReadonlyMap<number, Uint32Array>;
}

/** @throws CoreError argument-invalid while they have not come */
function pastOf({ document: { moments } }: Editing): readonly WeightRows[] {
  const rows = moments.brushRows();
  if (rows) return rows;
  throw new CoreError(
    'argument-invalid',
    `The weights of “${moments.brush.name}” are not there yet. Try again in a moment.`,
  );
}

function noteIn(written: Map<ScenePart, number[]>, part: ScenePart, point: number): void {
  const list = written.get(part);
  if (list) list.push(point);
  else written.set(part, [point]);
}

/** One stroke of the brush over any number of parts, mirrored while it is painted if that is wanted: one edit. */
export class StrokeRun {
  readonly settings: BrushSettings;
  readonly #at: Editing;
  readonly #mirrorState: StrokeMirror;
  readonly #strokes = new Map<number, Stroke>();
  /** The partner that mirrored dabs paint; -1 where strokes are not mirrored. */
  readonly #partner: number;
  /** Where parts touch, if smoothing brings them together. */
  readonly #touching: Int32Array | undefined;
  #unmirrored = 0;
  /** For the brush that brings back: rows as they were, one a part. */
  readonly #past: readonly WeightRows[] | undefined;

  /**
   * @param joinsTouching whether smoothing brings points together that touch
   * @throws CoreError joint-locked, or if the mirror has no counterparts
   */
  constructor(at: Editing, mirror: StrokeMirror, settings: BrushSettings, joinsTouching = false) {
    this.#at = at;
    this.#mirrorState = mirror;
    this.#touching = joinsTouching && settings.tool === 'smooth' ? mirror.touching : undefined;
    this.settings = settings;
    this.#past = settings.tool === 'restore' ? pastOf(at) : undefined;
    this.#partner = -1;
    if (at.document.locks[settings.joint] && !takesAll(settings))
      throw new CoreError('joint-locked', 'This joint is locked. Unlock it in the roster to paint it.', {
        joint: settings.joint,
      });
    if (!mirror.live) return;
    // What comes back on the other side is what was there: it needs no partner.
    const isWhole = settings.tool === 'restore' && takesAll(settings);
    const partner = isWhole ? Math.max(0, settings.joint) : at.document.pairs.partner[settings.joint];
    needPairs(mirror);
    if (partner < 0)
      throw new CoreError(
        'argument-invalid',
        `“${at.document.jointName(settings.joint)}” has no partner on the other side. Set one under Joints, or switch the mirror off.`,
      );
    this.#partner = partner;
  }

  /** A dab on the first `count` points of the part's workspace; the surface follows at once. */
  dab(part: ScenePart, count: number, pressure: number): void {
    if (count === 0) return;
    const { points, amounts } = part.paint;
    const copied =
      this.#partner >= 0 ? { points: points.slice(0, count), amounts: amounts.slice(0, count) } : undefined;
    const open = this.#strokeOn(part).dab(count, pressure);
    this.#at.document.rowsWritten(part.index, points, open);
    if (this.#touching)
      this.#joinTouching(part, points.slice(0, open), amounts.slice(0, open), this.#touching);
    if (copied) this.#mirror(part, copied.points, copied.amounts, pressure);
  }

  /** What touches comes together: both points go to their mean, by as much as the brush smooths there. */
  #joinTouching(part: ScenePart, points: Uint32Array, amounts: Float32Array, touching: Int32Array): void {
    const { parts } = this.#at.scene;
    const { firstPoint } = this.#mirrorState.space;
    const written = new Map<ScenePart, number[]>();
    points.forEach((p, i) => {
      const other = touching[firstPoint[part.index] + p];
      if (other < 0 || amounts[i] <= 0) return;
      const target = parts[partAt(firstPoint, other)];
      if (target.part.role === 'fixed' || !target.visible) return;
      const q = other - firstPoint[target.index];
      const half = Math.min(1, amounts[i]) / 2;
      const [own, its] = [part.skin.rows, target.skin.rows];
      if (this.#strokeOn(part).approach(p, its, q, half)) noteIn(written, part, p);
      // The first has come nearer already: the same way for the second is a larger share of what is left.
      if (this.#strokeOn(target).approach(q, own, p, half / (1 - half))) noteIn(written, target, q);
    });
    for (const [{ index, paint }, list] of written) {
      paint.points.set(list);
      this.#at.document.rowsWritten(index, paint.points, list.length);
    }
  }

  #mirror(part: ScenePart, points: Uint32Array, amounts: Float32Array, pressure: number): void {
    const { parts } = this.#at.scene;
    const { pairs, space } = this.#mirrorState;
    if (!pairs) return;
    const { firstPoint } = space;
    const byPart = new Map<number, number>();
    const targets: number[] = [];
    const own = this.#partner === this.settings.joint;
    for (const p of points) {
      const other = pairs[firstPoint[part.index] + p];
      if (other < 0) this.#unmirrored++;
      // What lies on the middle has its dab of a middle joint already.
      targets.push(own && other === firstPoint[part.index] + p ? -1 : other);
    }
    targets.forEach((other, i) => {
      if (other < 0) return;
      const target = partAt(firstPoint, other);
      if (parts[target].part.role === 'fixed') return;
      const at = byPart.get(target) ?? 0;
      parts[target].paint.points[at] = other - firstPoint[target];
      parts[target].paint.amounts[at] = amounts[i];
      byPart.set(target, at + 1);
    });
    for (const [target, count] of byPart) {
      const open = this.#strokeOn(parts[target]).dab(count, pressure, this.#partner);
      this.#at.document.rowsWritten(target, parts[target].paint.points, open);
    }
  }

  #strokeOn(part: ScenePart): Stroke {
    const known = this.#strokes.get(part.index);
    if (known) return known;
    const areas = areasOf(confinesOf(this.#at), part.index);
    const settings = {
      ...{ ...this.settings, mask: paintedWithin(this.#at, part), areas, anchors: part.anchors },
      past: this.#past?.[part.index],
    };
    const stroke = new Stroke(part.index, part.skin.rows, part.paint, settings, this.#at.document.locks);
    this.#strokes.set(part.index, stroke);
    return stroke;
  }

  finish(): { change: Change; report: RunReport } {
    const refused = new Map<number, Uint32Array>();
    const report = { noReceiver: 0, lockedShort: 0, dropped: 0, unmirrored: this.#unmirrored, refused };
    const change: Change[number][] = [];
    for (const [index, stroke] of [...this.#strokes].sort(([a], [b]) => a - b)) {
      const { delta, report: own } = stroke.finish();
      report.noReceiver += own.noReceiver;
      report.lockedShort += own.lockedShort;
      report.dropped += own.dropped;
      if (own.refused.length > 0) refused.set(index, own.refused);
      if (delta.points.length > 0) change.push(delta);
    }
    return { change, report };
  }
}
