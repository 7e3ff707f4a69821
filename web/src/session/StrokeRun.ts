import {
  CoreError,
  markApart,
  Stroke,
  type BrushSettings,
  type Change,
  type PointMask,
  type StrokeReport,
} from '@judoka/core';
import type { CharacterSession } from './CharacterSession.ts';
import { confinesOf } from './scope.ts';
import type { SessionPart } from './sessionPart.ts';

/** What a stroke could not do, over all parts. */
export interface RunReport extends Omit<StrokeReport, 'refused'> {
  /** Points without a counterpart, that the other side did not get. */
  readonly unmirrored: number;
  readonly refused: ReadonlyMap<number, Uint32Array>;
}

/** One stroke of the brush over any number of parts, mirrored while it is painted if that is wanted: one edit. */
export class StrokeRun {
  readonly settings: BrushSettings;
  readonly #session: CharacterSession;
  readonly #strokes = new Map<number, Stroke>();
  /** The partner that mirrored dabs paint; -1 where strokes are not mirrored. */
  readonly #partner: number;
  #unmirrored = 0;

  /** @throws CoreError joint-locked, or if the mirror has no counterparts */
  constructor(session: CharacterSession, settings: BrushSettings) {
    this.#session = session;
    this.settings = settings;
    this.#partner = -1;
    if (session.locks[settings.joint] && !(settings.tool === 'smooth' && settings.smoothAll))
      throw new CoreError('joint-locked', 'This joint is locked. Unlock it in the roster to paint it.', {
        joint: settings.joint,
      });
    if (!session.mirroring.live) return;
    const partner = session.pairs.partner[settings.joint];
    if (!session.mirroring.pairs)
      throw new CoreError(
        'argument-invalid',
        'Counterparts are still being looked for. Try again in a moment.',
      );
    if (partner < 0)
      throw new CoreError(
        'argument-invalid',
        `“${session.jointName(settings.joint)}” has no partner on the other side. Set one under Joints, or switch the mirror off.`,
      );
    this.#partner = partner;
  }

  /** A dab on the first `count` points of the part's workspace; the surface follows at once. */
  dab(part: SessionPart, count: number, pressure: number): void {
    if (count === 0) return;
    const { points, amounts } = part.paint;
    const copied =
      this.#partner >= 0 ? { points: points.slice(0, count), amounts: amounts.slice(0, count) } : undefined;
    const open = this.#strokeOn(part).dab(count, pressure);
    this.#session.pointsWritten(part.index, points, open);
    if (copied) this.#mirror(part, copied.points, copied.amounts, pressure);
  }

  #mirror(part: SessionPart, points: Uint32Array, amounts: Float32Array, pressure: number): void {
    const { mirroring, parts } = this.#session;
    const { pairs, space } = mirroring;
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
      let target = part.index;
      if (other < firstPoint[target] || other >= firstPoint[target + 1])
        target = firstPoint.findIndex((first, k) => other >= first && other < firstPoint[k + 1]);
      if (parts[target].part.role !== 'skinned') return;
      const at = byPart.get(target) ?? 0;
      parts[target].paint.points[at] = other - firstPoint[target];
      parts[target].paint.amounts[at] = amounts[i];
      byPart.set(target, at + 1);
    });
    for (const [target, count] of byPart) {
      const open = this.#strokeOn(parts[target]).dab(count, pressure, this.#partner);
      this.#session.pointsWritten(target, parts[target].paint.points, open);
    }
  }

  #strokeOn(part: SessionPart): Stroke {
    const known = this.#strokes.get(part.index);
    if (known) return known;
    const settings = { ...this.settings, mask: this.#maskOf(part) };
    const stroke = new Stroke(part.index, part.skin.rows, part.paint, settings, this.#session.locks);
    this.#strokes.set(part.index, stroke);
    return stroke;
  }

  /** Where the stroke may paint: the selection if there is one, what is not hidden, where the joint is confined to. */
  #maskOf(part: SessionPart): PointMask | undefined {
    const { selection } = this.#session;
    const masks: PointMask[] = [];
    if (selection.count > 0) masks.push(selection.masks[part.index]);
    if (part.hidden) masks.push(part.hidden.map((hidden) => (hidden ? 0 : 1)));
    const { tool, joint } = this.settings;
    const area = tool === 'take' ? undefined : confinesOf(this.#session).get(joint);
    if (area) masks.push(area.get(part.index) ?? new Uint8Array(part.part.pointCount));
    if (masks.length === 0) return undefined;
    return masks[0].map((_, p) => (masks.every((mask) => mask[p]) ? 1 : 0));
  }

  finish(): { change: Change; report: RunReport } {
    const refused = new Map<number, Uint32Array>();
    const report = { noReceiver: 0, lockedShort: 0, dropped: 0, unmirrored: this.#unmirrored, refused };
    const change: Change[number][] = [];
    for (const [index, stroke] of [...this.#strokes].sort(([a], [b]) => a - b)) {
      const { delta, report: own } = stroke.finish();
      const part = this.#session.parts[index];
      markApart(part.paint.neighbours, part.column, part.apart);
      report.noReceiver += own.noReceiver;
      report.lockedShort += own.lockedShort;
      report.dropped += own.dropped;
      if (own.refused.length > 0) refused.set(index, own.refused);
      if (delta.points.length > 0) change.push(delta);
    }
    return { change, report };
  }
}
