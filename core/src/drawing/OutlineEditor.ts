import { CoreError } from '../errors.ts';
import { asCubic, joinCurves, sharesAt, splitCurve, type CurvePlaces } from './curves.ts';
import { segmentsOf, vertexCountOf, type Layer } from './drawing.ts';
import {
  MAX_ADDED_POINTS,
  outlinesOfLayer,
  type LayerOutlines,
  type OutlinedPart,
  type OutlinePoints,
} from './layerOutlines.ts';

/** A place where an outline gets a point: by number of the outline in its layer, its segment, and the share of its way. */
export interface OutlineCut {
  readonly outline: number;
  readonly segment: number;
  readonly at: number;
}

/** A point that was added, and the points whose weights it takes its share of. */
export interface AddedPoint {
  readonly point: number;
  readonly of: readonly number[];
  readonly shares: readonly number[];
}

/** Shares of a segment that are nearer to its ends than this are its ends. */
const NO_CUT = 1e-4;

interface Line {
  segments: string;
  points: number[];
  readonly closed: boolean;
}

/**
 * Changes the outlines of one layer at rest: adds and takes out anchors, moves points, makes corners and smooth places.
 * Outlines that share a segment share what becomes of it, so that what lies edge to edge stays so.
 */
export class OutlineEditor {
  readonly added: AddedPoint[] = [];
  readonly #mixes = new Map<number, AddedPoint>();
  readonly #held: LayerOutlines | undefined;
  readonly #lines: Line[];
  readonly #from: number;
  #count: number;
  /** x, y a point, in doubles. */
  readonly #places: number[] = [];
  readonly #changed = new Set<number>();
  readonly #moved = new Set<number>();

  /**
   * @param layer and `part` as they are now
   * @param held what the document keeps of them so far
   */
  constructor(
    layer: Layer,
    { positions, vertexPoint, pointCount }: Pick<OutlinedPart, 'positions' | 'vertexPoint' | 'pointCount'>,
    held?: LayerOutlines,
  ) {
    this.#held = held;
    this.#from = held?.from ?? pointCount;
    this.#count = pointCount;
    for (let p = 0; p < pointCount; p++) this.#places.push(positions[p * 3], positions[p * 3 + 1]);
    this.#lines = outlinesOfLayer(layer).map((outline) => {
      const { segments, closed, first } = outline;
      return {
        segments,
        closed,
        points: [...vertexPoint.subarray(first, first + vertexCountOf(outline))],
      };
    });
  }

  /** Where a point is at rest. */
  placeOf(point: number): [number, number] {
    return [this.#places[point * 2], this.#places[point * 2 + 1]];
  }

  /** The points of a segment: two of a line, four of a curve. */
  segment(outline: number, segment: number): readonly number[] {
    return segmentPoints(this.#lines[outline])[segment];
  }

  /** The places of a segment's points. */
  curve(points: readonly number[]): CurvePlaces {
    return points.flatMap((p) => this.placeOf(p));
  }

  /**
   * Adds anchors where outlines are cut; they stay the same curves.
   * @returns the added anchors, in no order
   * @throws CoreError argument-invalid if there would be too many
   */
  cut(cuts: readonly OutlineCut[]): number[] {
    const wanted = new Map<string, { points: readonly number[]; at: number[] }>();
    for (const { outline, segment, at } of cuts) {
      const points = this.segment(outline, segment);
      if (!(at > NO_CUT && at < 1 - NO_CUT)) continue;
      const { key, isReversed } = keyOf(points);
      const held = wanted.get(key) ?? { points: isReversed ? [...points].reverse() : points, at: [] };
      held.at.push(isReversed ? 1 - at : at);
      wanted.set(key, held);
    }
    const uses = this.#countUses();
    const occurrences = this.#findSegments(wanted);
    const pieces = new Map<string, (readonly number[])[]>();
    const anchors: number[] = [];
    for (const [key, { points, at }] of wanted) {
      const isOwn = (p: number): boolean => uses.get(p) === occurrences.get(key);
      const made = this.#pieces(points, distinct(at), isOwn);
      pieces.set(key, made);
      for (const piece of made.slice(1)) anchors.push(piece[0]);
    }
    this.#replaceSegments(pieces);
    return anchors;
  }

  /** How often each point stands in the outlines. */
  #countUses(): Map<number, number> {
    const uses = new Map<number, number>();
    for (const { points } of this.#lines) for (const p of points) uses.set(p, (uses.get(p) ?? 0) + 1);
    return uses;
  }

  #findSegments(keys: ReadonlyMap<string, unknown>): Map<string, number> {
    const found = new Map<string, number>();
    for (const line of this.#lines)
      for (const points of segmentPoints(line)) {
        const { key } = keyOf(points);
        if (keys.has(key)) found.set(key, (found.get(key) ?? 0) + 1);
      }
    return found;
  }

  /** The points of the pieces that a segment falls into. */
  #pieces(
    points: readonly number[],
    at: readonly number[],
    isOwn: (point: number) => boolean,
  ): (readonly number[])[] {
    const curves = splitCurve(this.curve(points), at);
    const anchors = at.map((t, k) => {
      const [x, y] = curves[k].slice(-2);
      return this.#add(x, y, points, sharesAt(points.length, t));
    });
    const ends = [points[0], ...anchors, points[points.length - 1]];
    if (points.length === 2) return curves.map((_, k) => [ends[k], ends[k + 1]]);
    return curves.map((curve, k) => {
      const isFirst = k === 0;
      const isLast = k === curves.length - 1;
      const near = isFirst ? points[1] : anchors[k - 1];
      const far = isLast ? points[2] : anchors[k];
      return [
        ends[k],
        this.#handle(curve[2], curve[3], near, ends[k], isFirst && isOwn(near)),
        this.#handle(curve[4], curve[5], far, ends[k + 1], isLast && isOwn(far)),
        ends[k + 1],
      ];
    });
  }

  /** A handle at a place: the point that was one there, if nothing else uses it; else a new one that follows as `like` does. */
  #handle(x: number, y: number, like: number, anchor: number, isMoved: boolean): number {
    const [ax, ay] = this.placeOf(anchor);
    if (ax === x && ay === y) return anchor;
    if (!isMoved) return this.#add(x, y, ...this.#asOf(like));
    this.move(like, x, y);
    return like;
  }

  /** The mix that a point has the weights of: its own, or where it was only just added, what it was mixed of. */
  #asOf(point: number): [readonly number[], readonly number[]] {
    const made = this.#mixes.get(point);
    return made ? [made.of, made.shares] : [[point], [1]];
  }

  #add(x: number, y: number, of: readonly number[], shares: readonly number[]): number {
    const point = this.#count++;
    if (this.#count > this.#from + MAX_ADDED_POINTS)
      throw new CoreError(
        'argument-invalid',
        `A layer takes at most ${MAX_ADDED_POINTS} added points. Take out some that are not needed first.`,
      );
    this.#places.push(x, y);
    this.#moved.add(point);
    const made = { point, of, shares };
    this.added.push(made);
    this.#mixes.set(point, made);
    return point;
  }

  #replaceSegments(pieces: ReadonlyMap<string, readonly (readonly number[])[]>): void {
    this.#lines.forEach((line, i) => {
      const all = segmentPoints(line);
      const next = all.flatMap((points) => {
        const { key, isReversed } = keyOf(points);
        const made = pieces.get(key);
        if (!made) return [points];
        return isReversed ? made.map((piece) => [...piece].reverse()).reverse() : made;
      });
      if (next.some((points, k) => points !== all[k])) this.#relay(i, next);
    });
  }

  #relay(index: number, segments: readonly (readonly number[])[]): void {
    const line = this.#lines[index];
    line.segments = segments.map(({ length }) => (length === 2 ? 'L' : 'C')).join('');
    const points = [segments[0][0], ...segments.flatMap((own) => own.slice(1))];
    line.points = line.closed ? points.slice(0, -1) : points;
    this.#changed.add(index);
  }

  /** @param x and `y` in the scene */
  move(point: number, x: number, y: number): void {
    this.#places[point * 2] = x;
    this.#places[point * 2 + 1] = y;
    this.#moved.add(point);
  }

  /**
   * Takes an anchor out of every outline that goes through it. What was added by a cut leaves the curve as it was before.
   * @returns whether it could be: an outline keeps two segments if it is closed, and one if it is not
   */
  takeOut(point: number): boolean {
    const through = this.#lines.flatMap((line, i) => (anchorsOf(line).includes(point) ? [i] : []));
    if (through.length === 0) return false;
    for (const i of through) {
      const { segments, closed } = this.#lines[i];
      const passes = anchorsOf(this.#lines[i]).filter((p) => p === point).length;
      if (segments.length - passes < (closed ? 2 : 1)) return false;
    }
    for (const i of through) while (anchorsOf(this.#lines[i]).includes(point)) this.#dropAnchor(i, point);
    return true;
  }

  #dropAnchor(index: number, point: number): void {
    const line = this.#lines[index];
    const all = segmentPoints(line);
    const into = all.findIndex((own) => own[own.length - 1] === point);
    const out = all.findIndex((own) => own[0] === point);
    if (into < 0 || out < 0) {
      // The end of a line that is open.
      all.splice(into < 0 ? out : into, 1);
      this.#relay(index, all);
      return;
    }
    const joined = this.#join(all[into], all[out]);
    const next = all.flatMap((own, k) => (k === into ? [joined] : k === out ? [] : [own]));
    this.#relay(index, next);
  }

  #join(first: readonly number[], last: readonly number[]): readonly number[] {
    const ends = [first[0], last[last.length - 1]];
    const curve = joinCurves(this.curve(first), this.curve(last));
    if (curve.length === 4) return ends;
    const handle = (k: number, own: number | undefined, end: number): number => {
      const [x, y] = [curve[k], curve[k + 1]];
      const like = own ?? end;
      if (like !== end && this.#countUses().get(like) === 1) {
        this.move(like, x, y);
        return like;
      }
      return this.#sameHandle(x, y) ?? this.#handle(x, y, like, end, false);
    };
    return [
      ends[0],
      handle(2, first.length === 4 ? first[1] : undefined, ends[0]),
      handle(4, last.length === 4 ? last[2] : undefined, ends[1]),
      ends[1],
    ];
  }

  /** A point that was added here at the same place: that of another outline that lost the same anchor. */
  #sameHandle(x: number, y: number): number | undefined {
    return this.added.find(({ point }) => this.#places[point * 2] === x && this.#places[point * 2 + 1] === y)
      ?.point;
  }

  /** Makes outlines pass an anchor without a corner: its handles in one line, as far from it as they were. */
  smooth(point: number): void {
    this.#bendHandles(point, (before, after) => {
      const [x, y] = this.placeOf(point);
      const [dx, dy] = [after[0] - before[0], after[1] - before[1]];
      const length = Math.hypot(dx, dy);
      if (length === 0) return [before, after];
      const [back, on] = [before, after].map(([u, v]) => Math.hypot(u - x, v - y) / length);
      return [
        [x - dx * back, y - dy * back],
        [x + dx * on, y + dy * on],
      ];
    });
  }

  /** Makes an anchor a corner: its handles point straight at its neighbours. */
  corner(point: number): void {
    this.#bendHandles(point, (_, __, from, to) => {
      const [x, y] = this.placeOf(point);
      return [
        [x + (from[0] - x) / 3, y + (from[1] - y) / 3],
        [x + (to[0] - x) / 3, y + (to[1] - y) / 3],
      ];
    });
  }

  /** Sets the two handles of an anchor wherever an outline passes it; lines get handles where they need them. */
  #bendHandles(
    point: number,
    bent: (before: Place, after: Place, from: Place, to: Place) => readonly [Place, Place],
  ): void {
    this.#curveLinesAt(point);
    this.#lines.forEach((line, index) => {
      const all = segmentPoints(line);
      const into = all.findIndex((own) => own[own.length - 1] === point);
      const out = all.findIndex((own) => own[0] === point);
      if (into < 0 || out < 0 || into === out) return;
      const [first, last] = [all[into], all[out]];
      const [before, after] = bent(
        this.placeOf(first[2]),
        this.placeOf(last[1]),
        this.placeOf(first[0]),
        this.placeOf(last[3]),
      );
      all[into] = this.#withHandle(first, 2, before, point);
      all[out] = this.#withHandle(last, 1, after, point);
      this.#relay(index, all);
    });
  }

  #withHandle(curve: readonly number[], k: number, [x, y]: Place, anchor: number): readonly number[] {
    const own = curve[k] !== anchor && curve[k] !== curve[3 - k];
    const handle = own ? curve[k] : this.#add(x, y, ...this.#asOf(anchor));
    this.move(handle, x, y);
    return curve.map((p, i) => (i === k ? handle : p));
  }

  /** Lines that outlines pass an anchor by become curves, where there is one before it and one after. */
  #curveLinesAt(point: number): void {
    const pieces = new Map<string, (readonly number[])[]>();
    for (const line of this.#lines) {
      const met = segmentPoints(line).filter((own) => own[0] === point || own[own.length - 1] === point);
      if (met.length < 2) continue;
      for (const own of met) {
        const { key, isReversed } = keyOf(own);
        if (own.length === 2 && !pieces.has(key))
          pieces.set(key, [this.#asCurve(isReversed ? [...own].reverse() : own)]);
      }
    }
    this.#replaceSegments(pieces);
  }

  #asCurve(points: readonly number[]): readonly number[] {
    const cubic = asCubic(this.curve(points));
    return [
      points[0],
      this.#add(cubic[2], cubic[3], ...this.#asOf(points[0])),
      this.#add(cubic[4], cubic[5], ...this.#asOf(points[1])),
      points[1],
    ];
  }

  /** What the document is to keep. */
  result(): LayerOutlines {
    const outlines: Record<string, OutlinePoints> = { ...this.#held?.outlines };
    for (const i of this.#changed) {
      const { segments, points } = this.#lines[i];
      outlines[i] = { segments, points: [...points] };
    }
    const places: Record<string, readonly [number, number]> = { ...this.#held?.places };
    for (const p of this.#moved) places[p] = this.placeOf(p).map(Math.fround) as [number, number];
    return { from: this.#from, points: this.#count, outlines, places };
  }
}

type Place = readonly [number, number];

/** By segment its points. */
function segmentPoints({ segments, closed, points }: Line): (readonly number[])[] {
  return segmentsOf({ first: 0, segments, closed }).map((own) => own.map((v) => points[v]));
}

function anchorsOf(line: Line): number[] {
  const all = segmentPoints(line);
  const last = all.at(-1)?.at(-1);
  const own = all.map(([first]) => first);
  return line.closed || last === undefined ? own : [...own, last];
}

/** The same segment has the same key whichever way it is gone along. */
function keyOf(points: readonly number[]): { key: string; isReversed: boolean } {
  const back = [...points].reverse();
  const isReversed = points[0] > back[0] || (points[0] === back[0] && (points[1] ?? 0) > (back[1] ?? 0));
  return { key: (isReversed ? back : points).join(' '), isReversed };
}

/** Rising, and none so near to the one before that nothing lies between. */
function distinct(at: readonly number[]): number[] {
  const sorted = [...at].sort((a, b) => a - b);
  return sorted.filter((t, k) => k === 0 || t - sorted[k - 1] > NO_CUT);
}
