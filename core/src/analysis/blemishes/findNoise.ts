import type { Blemish } from '../../document/blemish.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import type { WeightRows } from '../../weights/rows.ts';
import type { WeightedSurface } from './weightedSurface.ts';

/** Below this distance from the mean of the neighbours, nobody need look closer. */
const SMOOTH = 0.02;
/** A point is rough whose weights lie this far outside of what the middle half of its neighbours have. */
const ROUGH = 0.03;
/** Rough points make noise together: at least so many, and this share of the points in their midst, */
const FEWEST = 7;
const SHARE = 0.3;
/** with weights that go up at one end of an edge and down at the other, on this share of so many edges at least. */
const OPPOSED_SHARE = 0.55;
const FEWEST_EDGES = 6;
/** Where more than this share of all else is rough too, it is the character's way. */
const WAY_SHARE = 0.02;

/**
 * Patches where weights jump up and down from point to point. A point is rough if its weights lie outside of what the
 * middle half of its neighbours have: as the median does (Tukey 1977), that tells noise from slopes, ridges and hard
 * borders, on which half of the neighbours lie on either side. A few rough points are no noise: they come with many
 * tips and corners of well-painted bodies.
 *
 * @param surfaces by part; undefined where it is not skinned
 */
export function findNoise(surfaces: readonly (WeightedSurface | undefined)[], jointCount: number): Blemish[] {
  const found: Blemish[] = [];
  /** Rough points, and all, outside of what is found. */
  let [rough, points] = [0, 0];
  surfaces.forEach((surface, part) => {
    if (!surface) return;
    const meter = new RoughnessMeter(surface, jointCount);
    const { pointCount } = surface.rows;
    const roughness = Float32Array.from({ length: pointCount }, (_, p) => meter.roughness(p));
    points += pointCount;
    rough += countRough(roughness);
    for (const patch of patchesOf(roughness, surface.neighbours)) {
      const joint = meter.roughestJoint(patch);
      if (!meter.isOpposed(patch, joint)) continue;
      const own = Float32Array.from(patch, (p) => roughness[p]);
      points -= patch.length;
      rough -= countRough(own);
      const amount = own.reduce((most, x) => Math.max(most, x), 0);
      found.push({ kind: 'noise', part, joint, other: -1, points: patch, amount });
    }
  });
  return rough > WAY_SHARE * points ? [] : found;
}

const countRough = (roughness: Float32Array): number =>
  roughness.reduce((count, x) => count + (x >= ROUGH ? 1 : 0), 0);

class RoughnessMeter {
  readonly #rows: WeightRows;
  readonly #neighbours: Neighbours;
  readonly #mean: Float64Array;
  readonly #met: number[] = [];
  readonly #values: number[] = [];

  constructor({ rows, neighbours }: WeightedSurface, jointCount: number) {
    this.#rows = rows;
    this.#neighbours = neighbours;
    this.#mean = new Float64Array(jointCount);
  }

  /** Half the summed distance of a point's weights from what the middle half of its neighbours have. */
  roughness(p: number): number {
    const { offsets } = this.#neighbours;
    const [from, to] = [offsets[p], offsets[p + 1]];
    if (to - from < 3 || this.#rows.values[p * this.#rows.stride] === 0) return 0;
    if (this.#meetMean(p) < SMOOTH) return 0;
    let sum = 0;
    for (const joint of this.#met) sum += Math.abs(this.#outside(p, joint));
    return sum / 2;
  }

  /** The joint whose weights are rough most, over some points. */
  roughestJoint(points: Uint32Array): number {
    const sums = new Map<number, number>();
    for (const p of points) {
      this.#meetMean(p);
      for (const joint of this.#met)
        sums.set(joint, (sums.get(joint) ?? 0) + Math.abs(this.#outside(p, joint)));
    }
    return [...sums].reduce((best, one) => (one[1] > best[1] ? one : best), [-1, -1])[0];
  }

  /** Whether a joint's weight goes up and down from point to point: on a ridge or a tip, one side of it does. */
  isOpposed(points: Uint32Array, joint: number): boolean {
    const { offsets, points: ends } = this.#neighbours;
    const signs = new Map<number, number>();
    for (const p of points) signs.set(p, Math.sign(this.#outside(p, joint)));
    let [opposed, count] = [0, 0];
    for (const [p, sign] of signs) {
      for (let e = offsets[p]; e < offsets[p + 1]; e++) {
        const across = sign * (signs.get(ends[e]) ?? 0);
        if (across === 0) continue;
        count++;
        if (across < 0) opposed++;
      }
    }
    // Every edge was met from both ends.
    return count >= 2 * FEWEST_EDGES && opposed >= OPPOSED_SHARE * count;
  }

  /** Meets the joints of a point and its neighbours. @returns how far its row lies from the mean of theirs */
  #meetMean(p: number): number {
    const { joints, values, stride } = this.#rows;
    const { offsets, points } = this.#neighbours;
    const mean = this.#mean;
    this.#met.length = 0;
    const add = (q: number, share: number): void => {
      for (let k = q * stride; k < (q + 1) * stride && values[k] > 0; k++) {
        if (!this.#met.includes(joints[k])) this.#met.push(joints[k]);
        mean[joints[k]] += values[k] * share;
      }
    };
    const count = offsets[p + 1] - offsets[p];
    add(p, 1);
    for (let e = offsets[p]; e < offsets[p + 1]; e++) add(points[e], -1 / count);
    let sum = 0;
    for (const joint of this.#met) {
      sum += Math.abs(mean[joint]);
      mean[joint] = 0;
    }
    return sum / 2;
  }

  /** How far a weight lies above, or below, what the middle half of the neighbours have. */
  #outside(p: number, joint: number): number {
    const { offsets, points } = this.#neighbours;
    const held = this.#values;
    held.length = 0;
    for (let e = offsets[p]; e < offsets[p + 1]; e++) held.push(this.#weightOf(points[e], joint));
    held.sort((a, b) => a - b);
    const low = Math.floor(held.length / 4);
    const own = this.#weightOf(p, joint);
    const [least, most] = [held[low], held[held.length - 1 - low]];
    return own < least ? own - least : own > most ? own - most : 0;
  }

  #weightOf(p: number, joint: number): number {
    const { joints, values, stride } = this.#rows;
    for (let k = p * stride; k < (p + 1) * stride && values[k] > 0; k++)
      if (joints[k] === joint) return values[k];
    return 0;
  }
}

/** Rough points that lie at most two edges from one another, with what lies between them, where they are dense. */
function patchesOf(rough: Float32Array, { offsets, points }: Neighbours): Uint32Array[] {
  const patches: Uint32Array[] = [];
  const met = new Uint8Array(rough.length);
  for (let first = 0; first < rough.length; first++) {
    if (rough[first] < ROUGH || met[first]) continue;
    const inside = new Set<number>();
    const queue = [first];
    met[first] = 1;
    for (let i = 0; i < queue.length; i++) {
      inside.add(queue[i]);
      for (let e = offsets[queue[i]]; e < offsets[queue[i] + 1]; e++) {
        inside.add(points[e]);
        for (const q of [points[e], ...points.subarray(offsets[points[e]], offsets[points[e] + 1])]) {
          if (met[q] || rough[q] < ROUGH) continue;
          met[q] = 1;
          queue.push(q);
        }
      }
    }
    if (queue.length < FEWEST || queue.length < SHARE * inside.size) continue;
    patches.push(Uint32Array.from(inside).sort());
  }
  return patches;
}
