import type { PosedPalettes } from '../../deform/PosedPalettes.ts';
import { borrowMemory } from '../../memory/memoryPool.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { influenceCount, type WeightRows } from '../../weights/rows.ts';
import type { PointJoints } from './candidates.ts';
import { findOpenPoses } from './findOpenPoses.ts';
import { JointMovements } from './JointMovements.ts';
import { blockOf, inBlocks, laySettling, type SettleArrays, settlingBytes } from './settleArrays.ts';
import { layPalettes } from './layPalettes.ts';
import { settleKernels, type SettleKernels } from './settleKernels.ts';
import { MAX_SETTLED, ShareSolver } from './ShareSolver.ts';

/** A surface whose bends are settled: points that hang together, and what they follow. */
export interface SettleSubject {
  /** Float32Array, 3 a point, part space. */
  readonly positions: Float32Array;
  /** Float32Array, 3 a point, scene space: at rest. */
  readonly rest: Float32Array;
  readonly inverseBinds: Float32Array;
  readonly neighbours: Neighbours;
  readonly rows: WeightRows;
}

export interface SettleRules {
  /** Influences a vertex. */
  readonly limit: number;
  readonly locks: Uint8Array;
  /** How strongly weights are drawn to the mean of their neighbours', as a share of what the bends say. */
  readonly evenness: number;
  /** How strongly weights are drawn to what they were, likewise. */
  readonly habit: number;
  /** How strongly weights of joints that are strangers at a point are drawn to nothing, likewise. */
  readonly strangeness: number;
  /** By joint: the one above it; -1 for none. */
  readonly parents: Int32Array;
  /** By pose: the joint that it turns alone; -1 for others. */
  readonly turned: Int32Array;
  /** By joint: how far its poses move all points that are not listed, together. */
  readonly elsewhere: Float64Array;
}

/** What is settled: listed points, rising, with the joints that may weigh at them. */
export interface SettleList {
  readonly points: Uint32Array;
  readonly joints: PointJoints;
  /** Rows of the listed points to begin from, in their order; without, from what they have. */
  readonly start?: WeightRows;
}

export interface SettleSweeps {
  readonly all: number;
  /** So many at the end are within the limit of influences. */
  readonly limited: number;
}

/**
 * Weights under which a surface bends as rigidly as it can: lengths, angles and so volume kept in all poses at once. The energy
 * is that of Sorkine & Alexa 2007 ("As-rigid-as-possible surface modeling"), summed over the poses, with the weights for
 * unknowns: by turns each place's best rotation is found in every pose, and each point gets those weights (none below zero,
 * summing to one) that bring it nearest to where its neighbours want it. Points that are not listed stay as they are.
 *
 * @param watch told how far it is, 0 to 1; may throw to end it
 * @returns the candidates' weights, one listed point after the other
 */
export async function settleWeights(
  subject: SettleSubject,
  posed: PosedPalettes,
  list: SettleList,
  rules: SettleRules,
  sweeps: SettleSweeps,
  watch: (share: number) => void = () => undefined,
): Promise<Float64Array> {
  const surface = new NumberedSurface(subject, posed, list);
  const loan = await borrowMemory(settlingBytes(surface.sizes));
  try {
    const settler = new WeightSettler(surface, list, rules, loan.memory);
    for (let sweep = 0; sweep < sweeps.all; sweep++) {
      settler.sweep(sweep >= sweeps.all - sweeps.limited);
      watch((sweep + 1) / sweeps.all);
    }
    return settler.weights.slice();
  } finally {
    loan.giveBack();
  }
}

/** A surface as settling sees it: listed points numbered first, then their neighbours. */
class NumberedSurface {
  readonly subject: SettleSubject;
  readonly posed: PosedPalettes;
  /** Numbers of the part's points: those listed, then their neighbours. */
  readonly all: Uint32Array;
  readonly offsets: Uint32Array;
  readonly neighbours: Uint32Array;
  readonly poses: ReturnType<typeof findOpenPoses>;
  readonly sizes: Parameters<typeof laySettling>[1];

  constructor(subject: SettleSubject, posed: PosedPalettes, { points, joints }: SettleList) {
    this.subject = subject;
    this.posed = posed;
    const { offsets, points: next } = subject.neighbours;
    const all = [...points];
    const numbers = new Uint32Array(subject.rows.pointCount);
    points.forEach((p, i) => (numbers[p] = i + 1));
    const found: number[] = [];
    this.offsets = new Uint32Array(points.length + 1);
    points.forEach((p, i) => {
      for (let n = offsets[p]; n < offsets[p + 1]; n++) {
        if (numbers[next[n]] === 0) numbers[next[n]] = all.push(next[n]);
        found.push(numbers[next[n]] - 1);
      }
      this.offsets[i + 1] = found.length;
    });
    this.all = new Uint32Array(all);
    this.neighbours = new Uint32Array(found);
    const poses = inBlocks(posed.count);
    const listed = points.length;
    this.poses = findOpenPoses(
      ...([posed, posed.count, blockOf(poses), listed, this.offsets, this.neighbours] as const),
      (i, take) => this.#eachJoint(i, joints, take),
    );
    this.sizes = {
      ...{ poses, listed, count: all.length, neighbours: found.length },
      open: this.poses.open.blocks.length,
      asked: this.poses.asked.blocks.length,
      weights: joints.joints.length,
      stride: subject.rows.stride,
      joints: posed.jointCount,
    };
  }

  #eachJoint(i: number, { offsets, joints }: PointJoints, take: (joint: number) => void): void {
    if (i < offsets.length - 1) for (let c = offsets[i]; c < offsets[i + 1]; c++) take(joints[c]);
    else {
      const { rows } = this.subject;
      const p = this.all[i];
      for (let k = p * rows.stride, end = k + influenceCount(rows, p); k < end; k++) take(rows.joints[k]);
    }
  }

  /** How long edges are, in the mean: lengths are counted in it, whatever the scale. */
  #edge(): number {
    const { rest } = this.subject;
    let sum = 0;
    for (let i = 0; i < this.sizes.listed; i++)
      for (let n = this.offsets[i]; n < this.offsets[i + 1]; n++) {
        const [p, q] = [this.all[i] * 3, this.all[this.neighbours[n]] * 3];
        sum += Math.hypot(rest[p] - rest[q], rest[p + 1] - rest[q + 1], rest[p + 2] - rest[q + 2]);
      }
    return sum > 0 ? sum / this.neighbours.length : 1;
  }

  /** Lays the surface out for the kernels. @returns the length that lengths are counted in */
  fill(arrays: SettleArrays, { joints }: SettleList): number {
    const { positions, rest, rows } = this.subject;
    const unit = this.#edge();
    arrays.offsets.set(this.offsets);
    arrays.neighbours.set(this.neighbours);
    for (const name of ['open', 'asked'] as const) {
      arrays[name].offsets.set(this.poses[name].offsets);
      arrays[name].blocks.set(this.poses[name].blocks);
    }
    arrays.jointOffsets.set(joints.offsets);
    arrays.joints.set(joints.joints);
    this.all.forEach((p, i) => {
      for (let k = 0; k < 3; k++) {
        arrays.positions[i * 3 + k] = positions[p * 3 + k];
        arrays.rest[i * 3 + k] = rest[p * 3 + k] / unit;
      }
      const [from, to] = [p * rows.stride, i * rows.stride];
      arrays.rowJoints.set(rows.joints.subarray(from, from + rows.stride), to);
      arrays.rowValues.set(rows.values.subarray(from, from + rows.stride), to);
    });
    const { inverseBinds } = this.subject;
    // The last block is filled up with rest, in which nothing is decided.
    layPalettes(
      ...([this.posed, inverseBinds, { from: 0, count: this.posed.count }, arrays.palettes] as const),
      ...([arrays.poses, unit, inverseBinds.subarray(inverseBinds.length - 16)] as const),
    );
    return unit;
  }
}

class WeightSettler {
  readonly #arrays: SettleArrays;
  readonly #kernels: SettleKernels;
  readonly #rules: SettleRules;
  readonly #movements: JointMovements;
  readonly #before: Float64Array;
  /** By candidate: 1 for those that neither weigh at the point nor hang on one that does. */
  readonly #isStrange: Uint8Array;
  readonly #solver = new ShareSolver();
  /** By joint: its place among a point's candidates; -1 for others. */
  readonly #slots: Int16Array;

  constructor(surface: NumberedSurface, list: SettleList, rules: SettleRules, memory: KernelMemory) {
    const arrays = laySettling(memory, surface.sizes);
    this.#arrays = arrays;
    this.#kernels = settleKernels(memory);
    this.#rules = rules;
    this.#slots = new Int16Array(surface.posed.jointCount).fill(-1);
    const unit = surface.fill(arrays, list);
    this.#kernels.placeRows(arrays);
    arrays.came.set(arrays.places.subarray(0, arrays.came.length));
    this.#setWeights(arrays.rowJoints, arrays.rowValues, arrays.stride);
    this.#before = arrays.weights.slice();
    this.#isStrange = findStrangers(arrays, rules.parents);
    arrays.turns.fill(0);
    for (let i = 0; i < arrays.listed; i++)
      arrays.turns.fill(1, (4 * i + 3) * arrays.poses, 4 * (i + 1) * arrays.poses);
    this.#kernels.turnPoints(arrays, 0, arrays.listed, true);
    this.#kernels.sumMoved(arrays);
    this.#movements = new JointMovements(list.points, surface.subject.rows, {
      ...{ turned: rules.turned, moved: arrays.moved },
      elsewhere: rules.elsewhere.map((far) => far / unit),
    });
    if (list.start) {
      this.#setWeights(list.start.joints, list.start.values, list.start.stride);
      for (let i = 0; i < arrays.listed; i++) this.#kernels.placePoint(arrays, i);
    }
  }

  /** The candidates' weights. */
  get weights(): Float64Array {
    return this.#arrays.weights;
  }

  /** Takes the candidates' weights from rows in the order of the listed points. */
  #setWeights(rowJoints: Uint16Array, values: Float32Array, stride: number): void {
    const { listed, jointOffsets, joints, weights } = this.#arrays;
    weights.fill(0);
    for (let i = 0; i < listed; i++)
      for (let c = jointOffsets[i]; c < jointOffsets[i + 1]; c++)
        for (let k = i * stride; k < (i + 1) * stride && values[k] > 0; k++)
          if (rowJoints[k] === joints[c]) weights[c] = values[k];
  }

  /** One round: rotations, then every listed point once. @param limited whether the limit of influences holds already */
  sweep(limited: boolean): void {
    const arrays = this.#arrays;
    this.#kernels.turnPoints(arrays, 0, arrays.listed, false);
    for (let i = 0; i < arrays.listed; i++) this.#settle(i, limited);
    this.#kernels.sumMoved(arrays);
    this.#movements.adjust(arrays.moved);
  }

  #settle(i: number, limited: boolean): void {
    const { jointOffsets, joints, weights, offsets, gram } = this.#arrays;
    const [from, n] = [jointOffsets[i], jointOffsets[i + 1] - jointOffsets[i]];
    if (n < 2 || n > MAX_SETTLED || offsets[i] === offsets[i + 1]) return;
    const { locks, limit, evenness, habit } = this.#rules;
    const solver = this.#solver;
    this.#kernels.aimPoint(this.#arrays, i, this.#movements.holds[i]);
    solver.begin(n, gram.subarray(0, n * n));
    const trace = solver.trace();
    // Where a joint has most of its weight, the neighbours' mean is less of it: there nothing draws.
    const even = evenness * (1 - this.#movements.shares[i] ** 4);
    if (even > 0) {
      this.#meanAbout(i, solver.mean);
      solver.drawTo((even * trace) / n);
    }
    const { strangeness } = this.#rules;
    if (strangeness > 0)
      for (let c = 0; c < n; c++)
        if (this.#isStrange[from + c] === 1) solver.weighOn(c, (strangeness * trace) / n);
    if (habit > 0) {
      for (let c = 0; c < n; c++) solver.mean[c] = this.#before[from + c];
      solver.drawTo((habit * trace) / n);
    }
    if (solver.solve(weights, joints, from, locks, limited ? limit : Infinity))
      this.#kernels.placePoint(this.#arrays, i);
  }

  /** The mean of the neighbours' weights, by candidate. */
  #meanAbout(i: number, mean: Float64Array): void {
    const { listed, jointOffsets, joints, weights, offsets, neighbours } = this.#arrays;
    const { stride, rowJoints, rowValues } = this.#arrays;
    const slots = this.#slots;
    const [from, to] = [jointOffsets[i], jointOffsets[i + 1]];
    const share = 1 / (offsets[i + 1] - offsets[i]);
    mean.fill(0, 0, to - from);
    for (let c = from; c < to; c++) slots[joints[c]] = c - from;
    for (let n = offsets[i]; n < offsets[i + 1]; n++) {
      const q = neighbours[n];
      const [first, last] =
        q < listed ? [jointOffsets[q], jointOffsets[q + 1]] : [q * stride, (q + 1) * stride];
      const [others, values] = q < listed ? [joints, weights] : [rowJoints, rowValues];
      for (let d = first; d < last; d++)
        if (values[d] > 0 && slots[others[d]] >= 0) mean[slots[others[d]]] += share * values[d];
    }
    for (let c = from; c < to; c++) slots[joints[c]] = -1;
  }
}

/** Uint8Array, a candidate each: 1 for joints that neither weigh at their point nor hang on one that does, or it on them. */
function findStrangers(
  { listed, jointOffsets, joints, stride, rowJoints, rowValues }: SettleArrays,
  parents: Int32Array,
): Uint8Array {
  const isStrange = new Uint8Array(joints.length).fill(1);
  for (let i = 0; i < listed; i++)
    for (let c = jointOffsets[i]; c < jointOffsets[i + 1]; c++)
      for (let k = i * stride; k < (i + 1) * stride && rowValues[k] > 0; k++) {
        const [own, other] = [joints[c], rowJoints[k]];
        if (own === other || parents[own] === other || parents[other] === own) isStrange[c] = 0;
      }
  return isStrange;
}
