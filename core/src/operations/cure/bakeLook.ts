import { AFFINE, PosedPalettes } from '../../deform/PosedPalettes.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import type { Pose } from '../../skeleton/pose.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { areasOf, mayWeigh, type Confines } from '../../weights/confines.ts';
import type { Delta } from '../../weights/delta.ts';
import { rewritePoints } from '../../weights/rewritePoints.ts';
import { influenceCount, type WeightRows } from '../../weights/rows.ts';
import { type PointJoints, spreadJoints } from './candidates.ts';
import { MAX_SETTLED, ShareSolver } from './ShareSolver.ts';

export interface BakeSubject {
  readonly skeleton: Skeleton;
  /** Float32Array, 3 a point, part space. */
  readonly positions: Float32Array;
  readonly inverseBinds: Float32Array;
  readonly neighbours: Neighbours;
  readonly rows: WeightRows;
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

/**
 * Plain weights that show a look as nearly as plain weights can: by point, least squares with bounds over the poses, within the
 * limit of influences (Le & Deng 2012, "Smooth skinning decomposition with rigid bones", with the joints given). Locked joints
 * keep theirs.
 *
 * @param part  the part's number
 * @param lookAt where the points should be in a pose: Float32Array, 3 a point, scene space, until the next call
 * @param watch told how far it is, 0 to 1; may throw to end it
 */
export function bakeLook(
  part: number,
  subject: BakeSubject,
  poses: readonly Pose[],
  lookAt: (pose: Pose) => Float32Array,
  rules: BakeRules,
  watch: (share: number) => void = () => undefined,
): Bake {
  const bake = new LookBake(part, subject, poses, rules);
  poses.forEach((pose, k) => {
    watch((0.5 * k) / poses.length);
    bake.take(k, lookAt(pose));
  });
  const { delta, unlimited } = bake.solve((share) => watch(0.5 + 0.3 * share));
  const errors = [new ErrorSum(), new ErrorSum()];
  poses.forEach((pose, k) => {
    watch(0.8 + (0.2 * k) / poses.length);
    bake.compare(k, lookAt(pose), delta, errors);
  });
  const [before, after] = errors.map((sum) => sum.finish());
  return { delta, before, after, unlimited };
}

class LookBake {
  readonly #part: number;
  readonly #subject: BakeSubject;
  readonly #rules: BakeRules;
  readonly #posed: PosedPalettes;
  readonly #palettes: Float32Array;
  readonly #points: Uint32Array;
  readonly #joints: PointJoints;
  /** By point, its candidates' products; n × n each, one after the other. */
  readonly #grams: Float64Array;
  readonly #starts: Uint32Array;
  readonly #poseCount: number;

  constructor(part: number, subject: BakeSubject, poses: readonly Pose[], rules: BakeRules) {
    const { rows, neighbours, skeleton } = subject;
    this.#part = part;
    this.#subject = subject;
    this.#rules = rules;
    this.#posed = new PosedPalettes(skeleton, poses);
    this.#palettes = this.#posed.palettesOf(subject.inverseBinds);
    this.#poseCount = poses.length;
    const all = Uint32Array.from({ length: rows.pointCount }, (_, p) => p);
    this.#points = all.filter(
      (p) => rows.values[p * rows.stride] > 0 && influenceCount(rows, p) <= MAX_SETTLED,
    );
    const areas = areasOf(rules.confines, part);
    this.#joints = spreadJoints(
      ...([rows, neighbours, this.#points, SPREAD_ROUNDS, MAX_JOINTS] as const),
      (joint, point) =>
        !skeleton.joints[joint].removed && !rules.locks[joint] && mayWeigh(areas, joint, point),
    );
    this.#starts = new Uint32Array(this.#points.length + 1);
    this.#points.forEach((_, i) => {
      const n = this.#joints.offsets[i + 1] - this.#joints.offsets[i];
      this.#starts[i + 1] = this.#starts[i] + n * n;
    });
    this.#grams = new Float64Array(this.#starts[this.#points.length]);
  }

  /** Takes in where the points should be in a pose. */
  take(k: number, look: Float32Array): void {
    const { offsets, joints } = this.#joints;
    const [m, grams, { positions }] = [this.#palettes, this.#grams, this.#subject];
    const base = k * this.#posed.jointCount;
    const away = new Float64Array(3 * MAX_SETTLED);
    for (let i = 0; i < this.#points.length; i++) {
      const p = this.#points[i] * 3;
      const [x, y, z] = [positions[p], positions[p + 1], positions[p + 2]];
      const [from, n] = [offsets[i], offsets[i + 1] - offsets[i]];
      for (let c = 0; c < n; c++) {
        const at = (base + joints[from + c]) * AFFINE;
        away[c * 3] = m[at] * x + m[at + 3] * y + m[at + 6] * z + m[at + 9] - look[p];
        away[c * 3 + 1] = m[at + 1] * x + m[at + 4] * y + m[at + 7] * z + m[at + 10] - look[p + 1];
        away[c * 3 + 2] = m[at + 2] * x + m[at + 5] * y + m[at + 8] * z + m[at + 11] - look[p + 2];
        for (let d = 0, to = this.#starts[i] + c * n; d <= c; d++, to++)
          grams[to] +=
            away[c * 3] * away[d * 3] + away[c * 3 + 1] * away[d * 3 + 1] + away[c * 3 + 2] * away[d * 3 + 2];
      }
    }
  }

  solve(watch: (share: number) => void): { delta: Delta; unlimited: number } {
    const { rows } = this.#subject;
    const { offsets, joints } = this.#joints;
    const solver = new ShareSolver();
    const weights = new Float64Array(joints.length);
    let squares = 0;
    this.#points.forEach((p, i) => {
      if (i % 4000 === 0) watch(i / this.#points.length);
      const [from, n] = [offsets[i], offsets[i + 1] - offsets[i]];
      for (let c = 0; c < n; c++) weights[from + c] = weightIn(rows, p, joints[from + c]);
      const gram = this.#grams.subarray(this.#starts[i], this.#starts[i + 1]);
      const open = weights.slice(from, from + n);
      const own = joints.subarray(from, from + n);
      solver.begin(n, gram);
      solver.solve(open, own, 0, this.#rules.locks, Infinity);
      squares += solver.cost(open);
      solver.begin(n, gram);
      solver.mean.set(weights.subarray(from, from + n));
      solver.drawTo((HABIT * solver.trace()) / n);
      solver.solve(weights, joints, from, this.#rules.locks, this.#rules.limit);
    });
    const at = new Int32Array(rows.pointCount).fill(-1);
    this.#points.forEach((p, i) => (at[p] = i));
    const { delta } = rewritePoints(this.#part, rows, this.#points, this.#rules, (p, c) => {
      for (let k = offsets[at[p]]; k < offsets[at[p] + 1]; k++) {
        if (!(weights[k] > 0) || this.#rules.locks[joints[k]]) continue;
        c.joints[c.count] = joints[k];
        c.values[c.count++] = weights[k];
      }
    });
    const count = Math.max(1, this.#points.length * this.#poseCount);
    return { delta, unlimited: Math.sqrt(squares / count) };
  }

  /** Adds how far the weights that came and those of a delta are off a look in a pose. */
  compare(k: number, look: Float32Array, delta: Delta, [before, after]: readonly ErrorSum[]): void {
    const { rows } = this.#subject;
    let next = 0;
    for (const p of this.#points) {
      before.add(this.#distance(k, p, rows, p, look), k, p);
      while (next < delta.points.length && delta.points[next] < p) next++;
      const isChanged = next < delta.points.length && delta.points[next] === p;
      const far = isChanged
        ? this.#distance(k, p, delta.after, next, look)
        : this.#distance(k, p, rows, p, look);
      after.add(far, k, p);
    }
  }

  #distance(k: number, p: number, rows: WeightRows, row: number, look: Float32Array): number {
    const { positions } = this.#subject;
    const m = this.#palettes;
    const [x, y, z] = [positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]];
    let [dx, dy, dz] = [-look[p * 3], -look[p * 3 + 1], -look[p * 3 + 2]];
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

class ErrorSum {
  #squares = 0;
  #count = 0;
  #greatest = 0;
  #pose = -1;
  #point = -1;

  add(far: number, pose: number, point: number): void {
    this.#squares += far * far;
    this.#count++;
    if (far <= this.#greatest) return;
    [this.#greatest, this.#pose, this.#point] = [far, pose, point];
  }

  finish(): LookError {
    return {
      rms: Math.sqrt(this.#squares / Math.max(1, this.#count)),
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
