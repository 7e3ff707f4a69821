import { acrossPlane, type Json, partAt } from '@judoka/core/document';
import { RestStroke } from '@judoka/core/operations/mesh';
import type { MiddlePlane } from '@judoka/core/skeleton';
import { type BrushMove, movesOf } from '../../scene/brushMoves.ts';
import type { TakesDabs } from '../../scene/DabLine.ts';
import type { Editing } from '../../scene/Editing.ts';
import { needPairs } from '../../scene/needPairs.ts';
import type { StageHit } from '../../scene/picking/StageSight.ts';
import type { ScenePart } from '../../scene/ScenePart.ts';

/** What the mirror knows of counterparts. */
export interface RestMirror {
  readonly live: boolean;
  readonly space: { readonly firstPoint: Uint32Array };
  readonly pairs: Int32Array | undefined;
}

/** Points in the hand, with how far each goes along. */
interface Held {
  readonly part: ScenePart;
  readonly points: Uint32Array;
  readonly amounts: Float32Array;
}

/** Moves of points of one part, as the scene has them. */
interface Moves {
  readonly part: ScenePart;
  readonly points: Uint32Array;
  readonly count: number;
  readonly moves: Float64Array;
}

/** One stroke that moves points at rest, over any number of parts, and their counterparts with them. */
export class RestRun implements TakesDabs {
  readonly takesFixed = true;
  readonly #at: Editing;
  readonly #mirror: RestMirror;
  readonly #mode: BrushMove | 'drag';
  readonly #strength: number;
  readonly #plane: Pick<MiddlePlane, 'axis'>;
  readonly #strokes = new Map<number, RestStroke>();
  #held: Held[] = [];

  /** @throws CoreError argument-invalid while the mirror has no counterparts */
  constructor(at: Editing, mirror: RestMirror, mode: BrushMove | 'drag', strength: number) {
    needPairs(mirror);
    this.#at = at;
    this.#mirror = mirror;
    this.#mode = mode;
    this.#strength = strength;
    this.#plane = at.document.pairs;
  }

  dab(part: ScenePart, count: number, pressure: number, hit: StageHit, radius: number): void {
    if (this.#mode === 'drag') return;
    const kept = this.#open(part, count);
    if (kept === 0) return;
    const { points, amounts } = part.paint;
    const list = { points: points.slice(0, kept), count: kept, amounts };
    const moves = movesOf(this.#mode, part, list, this.#strength * pressure, hit.place, radius);
    this.#move([{ part, points: list.points, count: kept, moves }], 'now');
  }

  /** Takes the first `count` points of a part's workspace into the hand. */
  hold(part: ScenePart, count: number): void {
    const kept = this.#open(part, count);
    const { points, amounts } = part.paint;
    if (kept > 0) this.#held.push({ part, points: points.slice(0, kept), amounts: amounts.slice(0, kept) });
  }

  /** Drags what is held so far from where it was. */
  drag(by: readonly [number, number, number]): void {
    const all = this.#held.map(({ part, points, amounts }) => ({
      ...{ part, points, count: points.length },
      moves: Float64Array.from(
        { length: points.length * 3 },
        (_, i) => amounts[Math.floor(i / 3)] * by[i % 3],
      ),
    }));
    this.#move(all, 'start');
  }

  /** What the document holds then. */
  values(): Record<string, Json> {
    return Object.assign({}, ...[...this.#strokes.values()].map((stroke) => stroke.values())) as Record<
      string,
      Json
    >;
  }

  get movedCount(): number {
    return [...this.#strokes.values()].reduce((sum, { moved }) => sum + moved.size, 0);
  }

  /** Keeps, of the first `count` points of a part's workspace, those that may be moved. */
  #open(part: ScenePart, count: number): number {
    const { selection } = this.#at.scene;
    const { points, amounts } = part.paint;
    let kept = 0;
    for (let i = 0; i < count; i++) {
      const p = points[i];
      if ((selection.count > 0 && selection.masks[part.index][p] !== 1) || part.hidden?.[p]) continue;
      points[kept] = p;
      amounts[kept++] = amounts[i];
    }
    return kept;
  }

  #move(all: readonly Moves[], from: 'now' | 'start'): void {
    const touched = new Map<number, Set<number>>();
    const touch = (index: number, point: number): void => {
      const points = touched.get(index);
      if (points) points.add(point);
      else touched.set(index, new Set([point]));
    };
    for (const { part, points, count, moves } of all) {
      this.#strokeOn(part.index).move(points, count, moves, from);
      for (let i = 0; i < count; i++) touch(part.index, points[i]);
    }
    if (this.#mirror.live) this.#mirrorMoves(all, touch);
    for (const [index, points] of touched) this.#show(index, this.#strokeOn(index).settle(points));
  }

  /**
   * Counterparts go along. Where both sides are under the brush the one that went farther leads, and points on the middle stay on it: a
   * mesh that was even stays so.
   */
  #mirrorMoves(all: readonly Moves[], touch: (index: number, point: number) => void): void {
    const { pairs, space } = this.#mirror;
    if (!pairs) return;
    const { parts } = this.#at.scene;
    const far = new Map<number, number>();
    for (const { part, points, count, moves } of all)
      for (let i = 0; i < count; i++)
        far.set(
          space.firstPoint[part.index] + points[i],
          Math.hypot(moves[i * 3], moves[i * 3 + 1], moves[i * 3 + 2]),
        );
    for (const [p, length] of far) {
      const q = pairs[p];
      if (q < 0 || (q !== p && (far.get(q) ?? -1) > length) || (q < p && far.get(q) === length)) continue;
      const [own, other] = [p, q].map((each) => partAt(space.firstPoint, each));
      const [at, to] = [p - space.firstPoint[own], q - space.firstPoint[other]];
      const across = acrossPlane(
        this.#strokeOn(own).moveOf(at),
        parts[own].part,
        parts[other].part,
        this.#plane.axis,
      );
      if (q === p) {
        const mine = this.#strokeOn(own).moveOf(at);
        this.#strokeOn(own).put(
          at,
          [0, 1, 2].map((k) => (mine[k] + across[k]) / 2),
          'start',
        );
        continue;
      }
      // All in all both have gone equally far.
      this.#strokeOn(other).put(to, across, 'start');
      touch(other, to);
    }
  }

  #show(index: number, points: Uint32Array): void {
    this.#at.scene.restTouched(this.#at.scene.parts[index], points, points.length);
  }

  #strokeOn(index: number): RestStroke {
    const known = this.#strokes.get(index);
    if (known) return known;
    const { skin, part } = this.#at.scene.parts[index];
    const { triangles, pointCount } = part;
    const { palette } = skin;
    const stroke = new RestStroke({
      ...{ index, triangles, pointCount },
      held: this.#at.document.settings.moved[index],
      skin: { ...skin, palette: palette.slice() },
    });
    this.#strokes.set(index, stroke);
    return stroke;
  }
}
