import { AFFINE, PosedPalettes } from '../../deform/PosedPalettes.ts';
import { countBytes } from '../../memory/countBytes.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';
import { borrowMemory } from '../../memory/memoryPool.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import type { Pose } from '../../skeleton/pose.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { areasOf, mayWeigh, type Confines } from '../../weights/confines.ts';
import type { Delta } from '../../weights/delta.ts';
import { rewritePoints } from '../../weights/rewritePoints.ts';
import { createRows, influenceCount, type WeightRows } from '../../weights/rows.ts';
import { type PointJoints, spreadJoints } from './candidates.ts';
import { jointsIn, JointSums } from './JointSums.ts';
import { type BatchSizes, batchSize, layLooks, LookBatch } from './LookBatch.ts';
import { MAX_SETTLED, ShareSolver } from './ShareSolver.ts';

export interface BakeSubject {
  readonly skeleton: Skeleton;
  /** Float32Array, 3 a point, part space. */
  readonly positions: Float32Array;
  readonly inverseBinds: Float32Array;
  readonly neighbours: Neighbours;
  readonly rows: WeightRows;
  /** Weights that are near the look already, where the part's own are not: what a follower's driver has, eight a point at most. */
  readonly seeds?: WeightRows;
  /** Uint8Array, a point each: 1 for those that are baked; all where it is missing. */
  readonly only?: Uint8Array;
}

export interface BakeRules {
  readonly limit: number;
  readonly locks: Uint8Array;
  readonly confines?: Confines;
}

/** How far plain weights are off a look, over all points and poses, in scene units. */
export interface LookError {
  readonly rms: number;
  readonly greatest: number;
  /** Where it is greatest: the number of the pose, and the point. */
  readonly pose: number;
  readonly point: number;
}

export interface Bake {
  readonly delta: Delta;
  readonly before: LookError;
  readonly after: LookError;
  /** The root mean square that weights without a limit on their number would leave. */
  readonly unlimited: number;
}

const SPREAD_ROUNDS = 6;
const MAX_JOINTS = 10;
/** Weights stay where the poses do not decide: this much of what they say. */
const HABIT = 1e-4;
/** Less than this of a joint is left out: it moves a point by little, and nobody sees that it is there. */
const MIN_BAKED = 0.01;

/**
 * Plain weights that show a look as nearly as plain weights can: by point, least squares with bounds over the poses, within the
 * limit of influences (Le & Deng 2012, "Smooth skinning decomposition with rigid bones", with the joints given). Locked joints
 * keep theirs.
 *
 * @param part  the part's number
 * @param lookAt where the points should be in a pose of these, and its number: Float32Array, 3 a point, scene space, until the next
 *               call
 * @param watch told how far it is, 0 to 1; may throw to end it
 */
export async function bakeLook(
  part: number,
  subject: BakeSubject,
  poses: readonly Pose[],
  lookAt: (pose: Pose, k: number) => Float32Array,
  rules: BakeRules,
  watch: (share: number) => void = () => undefined,
): Promise<Bake> {
  const bake = new LookBake(part, subject, poses, rules);
  const loan = await borrowMemory(countBytes((memory) => layLooks(memory, bake.sizes)));
  try {
    return bake.run(loan.memory, poses, lookAt, watch);
  } finally {
    loan.giveBack();
  }
}

/** Squares of how far points are off, by point, summed over the poses. */
interface Squares {
  readonly before: Float64Array;
  readonly after: Float64Array;
  readonly unlimited: number;
}

class LookBake {
  readonly sizes: BatchSizes;
  readonly #part: number;
  readonly #subject: BakeSubject;
  readonly #rules: BakeRules;
  readonly #posed: PosedPalettes;
  readonly #points: Uint32Array;
  readonly #joints: PointJoints;
  /** By point, its candidates' products; n × n each, one after the other. */
  readonly #grams: Float64Array;
  readonly #starts: Uint32Array;

  constructor(part: number, subject: BakeSubject, poses: readonly Pose[], rules: BakeRules) {
    const { rows, neighbours, skeleton, seeds } = subject;
    this.#part = part;
    const known = seeds ? mixed(rows, seeds) : rows;
    this.#subject = subject;
    this.#rules = rules;
    this.#posed = new PosedPalettes(skeleton, poses);
    const all = Uint32Array.from({ length: rows.pointCount }, (_, p) => p);
    this.#points = all.filter(
      (p) =>
        subject.only?.[p] !== 0 &&
        known.values[p * known.stride] > 0 &&
        influenceCount(known, p) <= MAX_SETTLED,
    );
    const areas = areasOf(rules.confines, part);
    this.#joints = spreadJoints(
      ...([known, neighbours, this.#points, SPREAD_ROUNDS, MAX_JOINTS] as const),
      (joint, point) =>
        !skeleton.joints[joint].removed && !rules.locks[joint] && mayWeigh(areas, joint, point),
    );
    this.#starts = new Uint32Array(this.#points.length + 1);
    this.#points.forEach((_, i) => {
      const n = this.#joints.offsets[i + 1] - this.#joints.offsets[i];
      this.#starts[i + 1] = this.#starts[i] + n * n;
    });
    this.#grams = new Float64Array(this.#starts[this.#points.length]);
    this.sizes = {
      poses: batchSize(rows.pointCount, poses.length),
      pointCount: rows.pointCount,
      jointCount: skeleton.joints.length,
      candidates: this.#joints.joints.length,
    };
  }

  run(
    memory: KernelMemory,
    poses: readonly Pose[],
    lookAt: (pose: Pose, k: number) => Float32Array,
    watch: (share: number) => void,
  ): Bake {
    const batch = new LookBatch(memory, this.sizes, this.#subject.positions, this.#joints.joints);
    const fill = (from: number, tell: (share: number) => void): void => {
      batch.begin(this.#posed, this.#subject.inverseBinds, from);
      for (let k = 0; k < batch.poses.count; k++) {
        tell((from + k) / poses.length);
        batch.take(from + k, lookAt(poses[from + k], from + k));
      }
    };
    for (let from = 0; from < poses.length; from += this.sizes.poses) {
      fill(from, (share) => watch(0.6 * share));
      this.#addProducts(batch);
    }
    const { delta, squares } = this.#solve((share) => watch(0.6 + 0.2 * share));
    const [before, after] = [new ErrorSum(squares.before), new ErrorSum(squares.after)];
    for (let from = 0; from < poses.length; from += this.sizes.poses) {
      // What fits at once is held still.
      if (this.sizes.poses < poses.length) fill(from, (share) => watch(0.8 + 0.2 * share));
      this.#compare(batch, delta, before, after);
    }
    const count = Math.max(1, this.#points.length * poses.length);
    return {
      delta,
      before: before.finish(count),
      after: after.finish(count),
      unlimited: Math.sqrt(squares.unlimited / count),
    };
  }

  #addProducts(batch: LookBatch): void {
    const { offsets } = this.#joints;
    this.#points.forEach((p, i) => {
      const gram = this.#grams.subarray(this.#starts[i], this.#starts[i + 1]);
      batch.addProducts(p, offsets[i], offsets[i + 1] - offsets[i], gram);
    });
  }

  #solve(watch: (share: number) => void): { delta: Delta; squares: Squares } {
    const { rows, seeds = rows } = this.#subject;
    const { offsets, joints } = this.#joints;
    const solver = new ShareSolver();
    const weights = new Float64Array(joints.length);
    const before = new Float64Array(this.#points.length);
    let unlimited = 0;
    this.#points.forEach((p, i) => {
      if (i % 4000 === 0) watch(i / this.#points.length);
      const [from, n] = [offsets[i], offsets[i + 1] - offsets[i]];
      // What has no weight of its own is compared with what it is begun with.
      const own = rows.values[p * rows.stride] > 0 ? rows : seeds;
      for (let c = 0; c < n; c++) weights[from + c] = weightIn(own, p, joints[from + c]);
      const gram = this.#grams.subarray(this.#starts[i], this.#starts[i + 1]);
      const open = weights.slice(from, from + n);
      const candidates = joints.subarray(from, from + n);
      solver.begin(n, gram);
      before[i] = solver.cost(open);
      for (let c = 0; c < n; c++) weights[from + c] = weightIn(seeds, p, joints[from + c]);
      this.#keepLocked(p, weights, from, n);
      open.set(weights.subarray(from, from + n));
      solver.solve(open, candidates, 0, this.#rules.locks, Infinity);
      unlimited += solver.cost(open);
      solver.begin(n, gram);
      solver.mean.set(weights.subarray(from, from + n));
      solver.drawTo((HABIT * solver.trace()) / n);
      solver.solve(weights, joints, from, this.#rules.locks, this.#rules.limit);
    });
    const delta = this.#deltaOf(weights);
    return { delta, squares: { before, after: this.#squaresOf(delta, before, solver), unlimited } };
  }

  /** What is begun with leaves locked joints what they have. */
  #keepLocked(p: number, weights: Float64Array, from: number, n: number): void {
    const { rows, seeds } = this.#subject;
    if (!seeds) return;
    const { joints } = this.#joints;
    let [held, free] = [0, 0];
    for (let c = from; c < from + n; c++) {
      if (this.#rules.locks[joints[c]]) held += weights[c] = weightIn(rows, p, joints[c]);
      else free += weights[c];
    }
    const scale = free > 0 ? Math.max(0, 1 - held) / free : 0;
    for (let c = from; c < from + n; c++) if (!this.#rules.locks[joints[c]]) weights[c] *= scale;
  }

  #deltaOf(weights: Float64Array): Delta {
    const { rows } = this.#subject;
    const { offsets, joints } = this.#joints;
    const at = new Int32Array(rows.pointCount).fill(-1);
    this.#points.forEach((p, i) => (at[p] = i));
    return rewritePoints(this.#part, rows, this.#points, this.#rules, (p, c) => {
      for (let k = offsets[at[p]]; k < offsets[at[p] + 1]; k++) {
        if (weights[k] < MIN_BAKED || this.#rules.locks[joints[k]]) continue;
        c.joints[c.count] = joints[k];
        c.values[c.count++] = weights[k];
      }
    }).delta;
  }

  /** How far points are off with the weights that came of it; as before where none did. */
  #squaresOf({ points, after }: Delta, before: Float64Array, solver: ShareSolver): Float64Array {
    const { offsets, joints } = this.#joints;
    const squares = before.slice();
    const weights = new Float64Array(MAX_SETTLED);
    let next = 0;
    this.#points.forEach((p, i) => {
      if (points[next] !== p) return;
      const [from, n] = [offsets[i], offsets[i + 1] - offsets[i]];
      for (let c = 0; c < n; c++) weights[c] = weightIn(after, next, joints[from + c]);
      solver.begin(n, this.#grams.subarray(this.#starts[i], this.#starts[i + 1]));
      squares[i] = solver.cost(weights);
      next++;
    });
    return squares;
  }

  /** Looks for the greatest errors in the poses that are held. */
  #compare(batch: LookBatch, delta: Delta, before: ErrorSum, after: ErrorSum): void {
    const { rows } = this.#subject;
    const { from, count } = batch.poses;
    const palettes = this.#posed.palettesOf(this.#subject.inverseBinds);
    let next = 0;
    this.#points.forEach((p, i) => {
      const isChanged = delta.points[next] === p;
      for (let k = from; k < from + count; k++) {
        if (before.mayLead(i)) before.offer(this.#distance(palettes, batch, k, p, rows, p), k, p);
        if (!after.mayLead(i)) continue;
        const [of, row] = isChanged ? [delta.after, next] : [rows, p];
        after.offer(this.#distance(palettes, batch, k, p, of, row), k, p);
      }
      if (isChanged) next++;
    });
  }

  #distance(m: Float32Array, batch: LookBatch, k: number, p: number, rows: WeightRows, row: number): number {
    const { positions } = this.#subject;
    const [x, y, z] = [positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]];
    let [dx, dy, dz] = [-batch.at(p, k, 0), -batch.at(p, k, 1), -batch.at(p, k, 2)];
    const first = row * rows.stride;
    for (let c = first; c < first + rows.stride && rows.values[c] > 0; c++) {
      const [at, w] = [(k * this.#posed.jointCount + rows.joints[c]) * AFFINE, rows.values[c]];
      dx += w * (m[at] * x + m[at + 3] * y + m[at + 6] * z + m[at + 9]);
      dy += w * (m[at + 1] * x + m[at + 4] * y + m[at + 7] * z + m[at + 10]);
      dz += w * (m[at + 2] * x + m[at + 5] * y + m[at + 8] * z + m[at + 11]);
    }
    return Math.sqrt(dx * dx + dy * dy + dz * dz);
  }
}

/** The errors of all points; the greatest is looked for where it may be. */
class ErrorSum {
  readonly #squares: Float64Array;
  #greatest = 0;
  #pose = -1;
  #point = -1;

  /** @param squares by point, summed over the poses */
  constructor(squares: Float64Array) {
    this.#squares = squares;
  }

  /** Whether a point can be off by more than the greatest there is yet: in one pose it is off by less than in all. */
  mayLead(i: number): boolean {
    return this.#squares[i] > this.#greatest * this.#greatest;
  }

  offer(far: number, pose: number, point: number): void {
    if (far <= this.#greatest) return;
    [this.#greatest, this.#pose, this.#point] = [far, pose, point];
  }

  /** @param count of points and poses */
  finish(count: number): LookError {
    return {
      rms: Math.sqrt(this.#squares.reduce((sum, x) => sum + x, 0) / count),
      greatest: this.#greatest,
      pose: this.#pose,
      point: this.#point,
    };
  }
}

function weightIn({ joints, values, stride }: WeightRows, point: number, joint: number): number {
  for (let k = point * stride; k < (point + 1) * stride && values[k] > 0; k++)
    if (joints[k] === joint) return values[k];
  return 0;
}

/** Half of each: what either knows of. */
function mixed(a: WeightRows, b: WeightRows): WeightRows {
  const sums = new JointSums(Math.max(jointsIn(a), jointsIn(b)));
  const out = createRows(a.pointCount, a.stride + b.stride);
  for (let p = 0; p < a.pointCount; p++) {
    sums.clear();
    sums.addRow(a, p, 0.5);
    sums.addRow(b, p, 0.5);
    const count = sums.largest(out.stride);
    for (let k = 0; k < count; k++) {
      out.joints[p * out.stride + k] = sums.joints[k];
      out.values[p * out.stride + k] = sums.of(sums.joints[k]);
    }
  }
  return out;
}
