import type { PointMask } from '../../mesh/masks.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { createSharesWorkspace, findShares, type SharesWorkspace } from '../../solve/boundedShares.ts';
import { type Areas, mayWeigh } from '../../weights/confines.ts';
import { FollowingHandles } from '../../weights/followingHandles.ts';
import { copyRow, type Delta, DeltaBuilder } from '../../weights/delta.ts';
import { addCandidate } from '../../weights/influence.ts';
import { beginWithLocked, createCandidates, normalizeCandidates } from '../../weights/normalize.ts';
import { createRows, type WeightRows } from '../../weights/rows.ts';
import { candidatesAt, MAX_CANDIDATES, type PointCandidates } from './candidatesAt.ts';

/** A part whose bent surface is shaped. */
export interface ShapedPart {
  /** Float32Array, 3 a point, part space. */
  readonly rest: Float32Array;
  readonly rows: WeightRows;
  readonly neighbours: Neighbours;
  /** Float32Array, 16·(jointCount + 1) each (see SkinArrays): the pose that is shaped, then those that have a say. */
  readonly palettes: readonly Float32Array[];
}

export interface ShapeRules {
  /** Largest number of influences a point may get. */
  readonly limit: number;
  readonly locks: Uint8Array;
  readonly areas?: Areas;
  /** Points that may change; all where missing. */
  readonly mask?: PointMask;
  /**
   * Of a layer of a drawing: Uint32Array, pointCount: the anchor that each point is the handle of, itself for an anchor.
   * Handles that have what their anchor has go on having it.
   */
  readonly anchors?: Uint32Array;
  /** How much staying where they were in the other poses counts against the move in this one; 0 for nothing. */
  readonly others: number;
}

/** How far a stroke got: lengths in scene units, in the mean over its points. */
export interface ShapeReport {
  readonly asked: number;
  /** What weights could not reach. */
  readonly left: number;
}

/**
 * Weights stay where the poses do not decide: this share of how far apart the joints carry a point, and of how far it is
 * moved, counts against changing them. Joints that carry it to the same place here are apart by rounding alone.
 */
const HOLD = 1e-3;

/** What is known of a point from when the stroke met it. */
interface MetPoint extends PointCandidates {
  /** Float64Array, n·n: products of what the other poses say, their mean. */
  readonly others: Float64Array;
  /** Float64Array, 3 a candidate: where each alone puts it in the shaped pose, by linear skinning. */
  readonly places: Float64Array;
  /** Where it was in the shaped pose. */
  readonly start: Float64Array;
  /** What it was asked to, and how far off it is now. */
  asked: number;
  left: number;
}

/**
 * Weights from the surface: points are moved in a pose, and the weights that bring them nearest are found, with a pull to
 * where other poses had them: least squares with bounds a point (Lawson & Hanson 1974), locks and confined joints kept, within
 * the limit. Rows are written at once; `finish` tells the change. Skinning is taken as linear about where a point is.
 */
export class ShapeStroke {
  readonly #index: number;
  readonly #part: ShapedPart;
  readonly #rules: ShapeRules;
  /** Where rows of before are kept: by slot, whose it is and what is known of it; and by point, its slot, -1 without. */
  readonly #kept: number[] = [];
  readonly #met: (MetPoint | undefined)[] = [];
  readonly #slots: Int32Array;
  #saved: WeightRows;
  readonly #handles: FollowingHandles | undefined;
  readonly #shares: Float64Array;
  readonly #gram: Float64Array;
  readonly #chosen: Int32Array;
  /** By candidate: where it alone would carry the point, less where the point should be. */
  readonly #vectors: Float64Array;
  readonly #workspace: SharesWorkspace;
  readonly #now = new Float64Array(3);
  readonly #target = new Float64Array(3);
  readonly #candidates = createCandidates();

  constructor(index: number, part: ShapedPart, rules: ShapeRules) {
    this.#index = index;
    this.#part = part;
    this.#rules = rules;
    this.#saved = createRows(256, part.rows.stride);
    this.#slots = new Int32Array(part.rows.pointCount).fill(-1);
    this.#handles = rules.anchors && new FollowingHandles(rules.anchors, part.rows);
    const most = Math.max(MAX_CANDIDATES, part.rows.stride);
    this.#shares = new Float64Array(most);
    this.#gram = new Float64Array(most * most);
    this.#chosen = new Int32Array(most);
    this.#vectors = new Float64Array(most * 3);
    this.#workspace = createSharesWorkspace(most);
  }

  /**
   * Brings listed points as near as weights can to where they are, moved.
   * @param moves Float64Array, 3 a listed point, scene space
   * @param from  whether they are moved from where they are now, or from where the stroke met them
   * @returns how many points, now first in the list, were open to it, with handles that came along
   */
  move(points: Uint32Array, count: number, moves: Float64Array, from: 'now' | 'start'): number {
    const { mask } = this.#rules;
    let open = 0;
    for (let i = 0; i < count; i++) {
      const p = points[i];
      if ((mask && !mask[p]) || this.#handles?.follows(p)) continue;
      const met = this.#meet(p);
      if (!met) continue;
      this.#solve(p, met, moves, i * 3, from);
      points[open++] = p;
    }
    return this.#handles ? this.#takeHandlesAlong(this.#handles, points, open) : open;
  }

  #takeHandlesAlong(handles: FollowingHandles, points: Uint32Array, open: number): number {
    const { mask } = this.#rules;
    const { rows } = this.#part;
    let count = open;
    for (let i = 0; i < open; i++)
      for (const handle of handles.of(points[i])) {
        if (mask && !mask[handle]) continue;
        this.#save(handle);
        copyRow(rows, points[i], rows, handle);
        points[count++] = handle;
      }
    return count;
  }

  /**
   * Gives a point the row of another, as in a mirror: what is locked there stays, and confined joints get none.
   * @param partner by joint: its partner; -1 for none
   * @returns whether it was open to it
   */
  mirror(point: number, source: WeightRows, at: number, partner: ArrayLike<number>): boolean {
    const { mask, locks, areas, limit } = this.#rules;
    if (mask && !mask[point]) return false;
    const { rows } = this.#part;
    this.#save(point);
    const c = this.#candidates;
    beginWithLocked(c, rows, point, locks);
    for (let k = at * source.stride, end = k + source.stride; k < end && source.values[k] !== 0; k++) {
      const joint = partner[source.joints[k]];
      if (joint >= 0 && !locks[joint] && mayWeigh(areas, joint, point))
        addCandidate(c, joint, source.values[k]);
    }
    normalizeCandidates(rows, point, c, { fixed: -1, limit, locks });
    return true;
  }

  /** How far a point is now from where it was asked to; 0 for one that was not. */
  leftAt(point: number): number {
    return this.#met[this.#slots[point]]?.left ?? 0;
  }

  /** The stroke as one delta, by rising point, and how far it got. */
  finish(): { delta: Delta; report: ShapeReport } {
    const { rows } = this.#part;
    const builder = new DeltaBuilder(this.#index, rows.stride, this.#kept.length);
    for (const point of Uint32Array.from(this.#kept).sort())
      builder.push(point, this.#saved, this.#slots[point], rows, point);
    const met = this.#met.filter((each) => each !== undefined);
    const asked = met.reduce((sum, each) => sum + each.asked, 0);
    const left = met.reduce((sum, each) => sum + each.left, 0);
    const count = Math.max(1, met.length);
    return { delta: builder.finish(), report: { asked: asked / count, left: left / count } };
  }

  #meet(p: number): MetPoint | undefined {
    const known = this.#met[this.#slots[p]];
    if (known) return known;
    const { rows, neighbours, palettes } = this.#part;
    const { locks, areas } = this.#rules;
    const isOpen = (joint: number): boolean => !locks[joint] && mayWeigh(areas, joint, p);
    const { joints, scarcity } = candidatesAt(rows, neighbours, p, isOpen);
    // What follows no joint cannot be carried anywhere.
    if (joints.length === 0) return undefined;
    this.#save(p);
    this.#readShares(p, joints);
    const n = joints.length;
    const others = new Float64Array(n * n);
    const [places, start] = [new Float64Array(n * 3), new Float64Array(3)];
    for (let k = 1; k < palettes.length; k++) {
      this.#carry(p, joints, palettes[k], places);
      this.#mix(places, n, start);
      this.#aimAt(places, n, start);
      addProducts(this.#vectors, n, 1 / (palettes.length - 1), others);
    }
    this.#carry(p, joints, palettes[0], places);
    this.#mix(places, n, start);
    const met: MetPoint = { joints, scarcity, others, places, start, asked: 0, left: 0 };
    this.#met[this.#slots[p]] = met;
    return met;
  }

  #save(p: number): void {
    if (this.#slots[p] >= 0) return;
    const slot = this.#kept.length;
    if (slot >= this.#saved.pointCount) this.#saved = grown(this.#saved);
    copyRow(this.#part.rows, p, this.#saved, slot);
    this.#slots[p] = slot;
    this.#kept.push(p);
    this.#met.push(undefined);
  }

  /** Shares of candidates at a point, as they are. */
  #readShares(p: number, joints: Uint16Array): void {
    const { stride, joints: held, values } = this.#part.rows;
    this.#shares.fill(0, 0, joints.length);
    for (let k = p * stride, end = k + stride; k < end && values[k] !== 0; k++) {
      const at = joints.indexOf(held[k]);
      if (at >= 0) this.#shares[at] = values[k];
    }
  }

  /** Where each candidate alone carries a point in a pose. */
  #carry(p: number, joints: Uint16Array, palette: Float32Array, places: Float64Array): void {
    const { rest } = this.#part;
    const [x, y, z] = [rest[p * 3], rest[p * 3 + 1], rest[p * 3 + 2]];
    for (let c = 0; c < joints.length; c++) {
      const m = joints[c] * 16;
      for (let k = 0; k < 3; k++)
        places[c * 3 + k] =
          palette[m + k] * x + palette[m + 4 + k] * y + palette[m + 8 + k] * z + palette[m + 12 + k];
    }
  }

  /** Where the shares carry a point. */
  #mix(places: Float64Array, n: number, place: Float64Array): void {
    let [x, y, z] = [0, 0, 0];
    for (let c = 0; c < n; c++) {
      const share = this.#shares[c];
      x += share * places[c * 3];
      y += share * places[c * 3 + 1];
      z += share * places[c * 3 + 2];
    }
    place[0] = x;
    place[1] = y;
    place[2] = z;
  }

  /** From a place to where each candidate alone carries the point, into the vectors. @returns their squares, together */
  #aimAt(places: Float64Array, n: number, place: Float64Array): number {
    const vectors = this.#vectors;
    let square = 0;
    for (let c = 0; c < n * 3; c += 3)
      for (let k = 0; k < 3; k++) {
        const far = places[c + k] - place[k];
        vectors[c + k] = far;
        square += far * far;
      }
    return square;
  }

  #solve(p: number, met: MetPoint, moves: Float64Array, at: number, from: 'now' | 'start'): void {
    const { joints, scarcity, others, places, start } = met;
    const { locks, areas } = this.#rules;
    const n = joints.length;
    const [gram, shares, chosen] = [this.#gram, this.#shares, this.#chosen];
    const [now, target] = [this.#now, this.#target];
    this.#readShares(p, joints);
    this.#mix(places, n, now);
    const spread = this.#aimAt(places, n, now);
    const base = from === 'now' ? now : start;
    for (let k = 0; k < 3; k++) target[k] = base[k] + moves[at + k];
    this.#aimAt(places, n, target);
    for (let i = 0; i < n * n; i++) gram[i] = this.#rules.others * others[i];
    addProducts(this.#vectors, n, 1, gram);
    addHold(gram, scarcity, shares, HOLD * (spread / n + squareBetween(target, now)) || 1e-30);
    let count = 0;
    let sum = 1;
    for (let c = 0; c < n; c++) {
      const isOpen = !locks[joints[c]] && (mayWeigh(areas, joints[c], p) || shares[c] > 0);
      if (isOpen) chosen[count++] = c;
      else sum -= shares[c];
    }
    if (count > 0 && sum > 0) this.#solveWithin(gram, n, count, sum);
    this.#write(p, joints);
    this.#mix(places, n, now);
    met.left = Math.sqrt(squareBetween(target, now));
    met.asked = Math.sqrt(squareBetween(target, start));
  }

  /** Shares of those that are chosen; over the limit, whoever has least leaves and the rest are found anew. */
  #solveWithin(gram: Float64Array, n: number, count: number, sum: number): void {
    const [shares, chosen] = [this.#shares, this.#chosen];
    const fixed = n - count;
    for (;;) {
      findShares(gram, n, chosen, count, sum, shares, this.#workspace);
      let [held, least] = [0, -1];
      for (let i = 0; i < count; i++) {
        if (shares[chosen[i]] <= 0) continue;
        held++;
        if (least < 0 || shares[chosen[i]] < shares[chosen[least]]) least = i;
      }
      if (held + fixed <= this.#rules.limit || held <= 1) return;
      shares[chosen[least]] = 0;
      chosen[least] = chosen[--count];
    }
  }

  #write(p: number, joints: Uint16Array): void {
    const { limit, locks } = this.#rules;
    const c = this.#candidates;
    c.count = 0;
    for (let i = 0; i < joints.length; i++) {
      if (this.#shares[i] <= 0) continue;
      c.joints[c.count] = joints[i];
      c.values[c.count++] = this.#shares[i];
    }
    normalizeCandidates(this.#part.rows, p, c, { fixed: -1, limit, locks });
  }
}

const squareBetween = (a: Float64Array, b: Float64Array): number =>
  (a[0] - b[0]) ** 2 + (a[1] - b[1]) ** 2 + (a[2] - b[2]) ** 2;

/** Adds the products of vectors, n × n. */
function addProducts(vectors: Float64Array, n: number, by: number, to: Float64Array): void {
  for (let i = 0; i < n; i++) {
    const [x, y, z] = [by * vectors[i * 3], by * vectors[i * 3 + 1], by * vectors[i * 3 + 2]];
    for (let j = 0; j < n; j++)
      to[i * n + j] += x * vectors[j * 3] + y * vectors[j * 3 + 1] + z * vectors[j * 3 + 2];
  }
}

/**
 * Adds what other shares than these cost: |w − w₀|², as products of vectors, the shares summing to the same; and more for
 * joints that are scarce about the point, so that of two that carry it alike the usual one is taken.
 */
function addHold(gram: Float64Array, scarcity: Float64Array, shares: Float64Array, by: number): void {
  const n = scarcity.length;
  let square = 0;
  for (let i = 0; i < n; i++) square += shares[i] * shares[i];
  for (let i = 0; i < n; i++) {
    const own = by * (square - shares[i]);
    for (let j = 0; j < n; j++) gram[i * n + j] += own - by * shares[j];
    gram[i * n + i] += by * scarcity[i];
  }
}

function grown(rows: WeightRows): WeightRows {
  const larger = createRows(rows.pointCount * 2, rows.stride);
  larger.joints.set(rows.joints);
  larger.values.set(rows.values);
  return larger;
}
