import { AFFINE, type PosedPalettes } from '../../deform/PosedPalettes.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { extractRotation } from '../../solve/extractRotation.ts';
import { influenceCount, type WeightRows } from '../../weights/rows.ts';
import type { PointJoints } from './candidates.ts';
import { JointMovements } from './JointMovements.ts';
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
  /** By pose: the joint that it turns alone; -1 for others. */
  readonly turned: Int32Array;
  /** By joint: how far its poses move all points that are not listed, together. */
  readonly elsewhere: Float64Array;
}

/**
 * Weights under which a surface bends as rigidly as it can: lengths, angles and so volume kept in all poses at once. The energy
 * is that of Sorkine & Alexa 2007 ("As-rigid-as-possible surface modeling"), summed over the poses, with the weights for
 * unknowns: by turns each place's best rotation is found in every pose, and each point gets those weights (none below zero,
 * summing to one) that bring it nearest to where its neighbours want it. Points that are not listed stay as they are.
 */
export class WeightSettler {
  readonly #subject: SettleSubject;
  readonly #posed: PosedPalettes;
  readonly #palettes: Float32Array;
  readonly #points: Uint32Array;
  readonly #joints: PointJoints;
  readonly #rules: SettleRules;
  /** By point of the part: its number among those looked at, plus one. Listed ones come first. */
  readonly #numbers: Uint32Array;
  /** All that are looked at: those listed, then their neighbours. */
  readonly #all: Uint32Array;
  /** Compressed rows, a listed point each: the poses in which it may come to lie elsewhere. */
  readonly #poseOffsets: Uint32Array;
  readonly #poses: Uint16Array;
  /** Float32Array, 3 a looked-at point and pose, scene space. */
  readonly #places: Float32Array;
  /** The listed points' places as they came. */
  readonly #came: Float32Array;
  readonly #movements: JointMovements;
  /** Float32Array, 4 a listed point and pose: its rotation as a quaternion. */
  readonly #turns: Float32Array;
  /** The candidates' weights, one listed point after the other. */
  readonly weights: Float64Array;
  readonly #before: Float64Array;
  readonly #solver: ShareSolver;
  readonly #matrix = new Float64Array(9);

  /**
   * @param points those that may change, rising
   * @param start  rows of the listed points to begin from, in their order; without, from what they have
   */
  constructor(
    subject: SettleSubject,
    posed: PosedPalettes,
    points: Uint32Array,
    joints: PointJoints,
    rules: SettleRules,
    start?: WeightRows,
  ) {
    this.#subject = subject;
    this.#posed = posed;
    this.#palettes = posed.palettesOf(subject.inverseBinds);
    this.#points = points;
    this.#joints = joints;
    this.#rules = rules;
    this.#numbers = new Uint32Array(subject.rows.pointCount);
    this.#all = this.#numberPoints();
    [this.#poseOffsets, this.#poses] = this.#findPoses();
    this.#places = new Float32Array(posed.count * this.#all.length * 3);
    this.#turns = new Float32Array(posed.count * points.length * 4);
    for (let i = 3; i < this.#turns.length; i += 4) this.#turns[i] = 1;
    this.weights = this.#weightsNow();
    this.#before = this.weights.slice();
    this.#solver = new ShareSolver();
    for (let i = 0; i < this.#all.length; i++) for (let k = 0; k < posed.count; k++) this.#placeNow(i, k);
    this.#came = this.#places.slice(0, points.length * posed.count * 3);
    this.#turnAll();
    if (start) this.#startFrom(start);
    this.#movements = new JointMovements(
      points,
      subject.rows,
      rules.turned,
      this.#came,
      this.#restOf(),
      rules.elsewhere,
    );
  }

  /** Rotations wherever they are asked for: about points that a pose may move, and their neighbours. */
  #turnAll(): void {
    const { offsets, points: next } = this.#subject.neighbours;
    const count = this.#posed.count;
    const isAsked = new Uint8Array(this.#points.length * count);
    this.#points.forEach((p, i) => {
      for (let e = this.#poseOffsets[i]; e < this.#poseOffsets[i + 1]; e++) {
        isAsked[i * count + this.#poses[e]] = 1;
        for (let n = offsets[p]; n < offsets[p + 1]; n++) {
          const j = this.#numbers[next[n]] - 1;
          if (j < this.#points.length) isAsked[j * count + this.#poses[e]] = 1;
        }
      }
    });
    for (let i = 0; i < this.#points.length; i++)
      for (let k = 0; k < count; k++) if (isAsked[i * count + k] === 1) this.#turn(i, k);
  }

  #startFrom(start: WeightRows): void {
    const { offsets, joints } = this.#joints;
    const count = this.#posed.count;
    this.weights.fill(0);
    this.#points.forEach((p, i) => {
      for (let c = offsets[i]; c < offsets[i + 1]; c++)
        for (let k = i * start.stride, end = k + influenceCount(start, i); k < end; k++)
          if (start.joints[k] === joints[c]) this.weights[c] = start.values[k];
      const n = offsets[i + 1] - offsets[i];
      for (let e = this.#poseOffsets[i]; e < this.#poseOffsets[i + 1]; e++)
        this.#place(p, this.#poses[e], joints, this.weights, offsets[i], n, (i * count + this.#poses[e]) * 3);
    });
  }

  #restOf(): Float32Array {
    const rest = new Float32Array(this.#points.length * 3);
    this.#points.forEach((p, i) => rest.set(this.#subject.rest.subarray(p * 3, p * 3 + 3), i * 3));
    return rest;
  }

  #numberPoints(): Uint32Array {
    const { offsets, points: next } = this.#subject.neighbours;
    const all = [...this.#points];
    this.#points.forEach((p, i) => (this.#numbers[p] = i + 1));
    for (const p of this.#points)
      for (let n = offsets[p]; n < offsets[p + 1]; n++) {
        if (this.#numbers[next[n]] !== 0) continue;
        all.push(next[n]);
        this.#numbers[next[n]] = all.length;
      }
    return Uint32Array.from(all);
  }

  /** Poses that move all that may weigh at a point and about it alike say nothing of it. */
  #findPoses(): [Uint32Array, Uint16Array] {
    const { neighbours, rows } = this.#subject;
    const { offsets, joints } = this.#joints;
    const starts = new Uint32Array(this.#points.length + 1);
    const found: number[] = [];
    const about = new Set<number>();
    this.#points.forEach((p, i) => {
      about.clear();
      const take = (q: number): void => {
        const j = this.#numbers[q] - 1;
        if (j < this.#points.length) for (let c = offsets[j]; c < offsets[j + 1]; c++) about.add(joints[c]);
        else
          for (let k = q * rows.stride, end = k + influenceCount(rows, q); k < end; k++)
            about.add(rows.joints[k]);
      };
      take(p);
      for (let n = neighbours.offsets[p]; n < neighbours.offsets[p + 1]; n++) take(neighbours.points[n]);
      const [first, ...others] = about;
      for (let k = 0; k < this.#posed.count; k++) {
        const moved = this.#posed.movedIn(k);
        if (!moved || others.some((joint) => moved[joint] !== moved[first])) found.push(k);
      }
      starts[i + 1] = found.length;
    });
    return [starts, Uint16Array.from(found)];
  }

  #weightsNow(): Float64Array {
    const { rows } = this.#subject;
    const { offsets, joints } = this.#joints;
    const weights = new Float64Array(joints.length);
    this.#points.forEach((p, i) => {
      for (let k = p * rows.stride, end = k + influenceCount(rows, p); k < end; k++)
        for (let c = offsets[i]; c < offsets[i + 1]; c++)
          if (joints[c] === rows.joints[k]) weights[c] = rows.values[k];
    });
    return weights;
  }

  /** Where a looked-at point is in a pose, by the weights that it came with. */
  #placeNow(i: number, k: number): void {
    const { rows, rest } = this.#subject;
    const p = this.#all[i];
    const to = (i * this.#posed.count + k) * 3;
    const [from, count] = [p * rows.stride, influenceCount(rows, p)];
    if (count === 0) this.#places.set(rest.subarray(p * 3, p * 3 + 3), to);
    else this.#place(p, k, rows.joints, rows.values, from, count, to);
  }

  #place(
    p: number,
    k: number,
    joints: Uint16Array,
    weights: Float32Array | Float64Array,
    from: number,
    count: number,
    to: number,
  ): void {
    const { positions } = this.#subject;
    const [x, y, z] = [positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]];
    const m = this.#palettes;
    let [px, py, pz] = [0, 0, 0];
    for (let c = from; c < from + count; c++) {
      const at = (k * this.#posed.jointCount + joints[c]) * AFFINE;
      const w = weights[c];
      if (w === 0) continue;
      px += w * (m[at] * x + m[at + 3] * y + m[at + 6] * z + m[at + 9]);
      py += w * (m[at + 1] * x + m[at + 4] * y + m[at + 7] * z + m[at + 10]);
      pz += w * (m[at + 2] * x + m[at + 5] * y + m[at + 8] * z + m[at + 11]);
    }
    this.#places[to] = px;
    this.#places[to + 1] = py;
    this.#places[to + 2] = pz;
  }

  /** One round: rotations, then every listed point once. @param limited whether the limit of influences holds already */
  sweep(limited: boolean): void {
    for (let i = 0; i < this.#points.length; i++)
      for (let e = this.#poseOffsets[i]; e < this.#poseOffsets[i + 1]; e++) this.#turn(i, this.#poses[e]);
    for (let i = 0; i < this.#points.length; i++) this.#settle(i, limited);
    this.#movements.adjust(this.#places);
  }

  /** The best rotation about a listed point in a pose. */
  #turn(i: number, k: number): void {
    const { rest, neighbours } = this.#subject;
    const { offsets, points: next } = neighbours;
    const [count, places, numbers, a] = [this.#posed.count, this.#places, this.#numbers, this.#matrix];
    const p = this.#points[i];
    const own = (i * count + k) * 3;
    a.fill(0);
    for (let n = offsets[p]; n < offsets[p + 1]; n++) {
      const q = next[n] * 3;
      const other = ((numbers[next[n]] - 1) * count + k) * 3;
      const dx = places[other] - places[own];
      const dy = places[other + 1] - places[own + 1];
      const dz = places[other + 2] - places[own + 2];
      for (let c = 0; c < 3; c++) {
        const r = rest[q + c] - rest[p * 3 + c];
        a[c * 3] += dx * r;
        a[c * 3 + 1] += dy * r;
        a[c * 3 + 2] += dz * r;
      }
    }
    extractRotation(a, this.#turns, (i * count + k) * 4);
  }

  /** Where a point's neighbours want it in a pose, into `out`. */
  #aim(i: number, k: number, out: Float64Array): void {
    const { rest, neighbours } = this.#subject;
    const { offsets, points: next } = neighbours;
    const [count, places, turns, own] = [this.#posed.count, this.#places, this.#turns, this.#points.length];
    const p = this.#points[i];
    const [begin, end] = [offsets[p], offsets[p + 1]];
    const t = (i * count + k) * 4;
    const here = (i * count + k) * 3;
    let [tx, ty, tz] = [0, 0, 0];
    // What this end's rotation says, of all edges together: each counts half, or whole beyond the listed points.
    let [sx, sy, sz] = [0, 0, 0];
    for (let n = begin; n < end; n++) {
      const q = next[n] * 3;
      const j = this.#numbers[next[n]] - 1;
      const dx = rest[p * 3] - rest[q];
      const dy = rest[p * 3 + 1] - rest[q + 1];
      const dz = rest[p * 3 + 2] - rest[q + 2];
      const at = (j * count + k) * 3;
      tx += places[at];
      ty += places[at + 1];
      tz += places[at + 2];
      const half = j < own ? 0.5 : 1;
      sx += half * dx;
      sy += half * dy;
      sz += half * dz;
      if (j >= own) continue;
      const u = (j * count + k) * 4;
      const [x, y, z, w] = [turns[u], turns[u + 1], turns[u + 2], turns[u + 3]];
      const cx = y * dz - z * dy;
      const cy = z * dx - x * dz;
      const cz = x * dy - y * dx;
      tx += dx / 2 + w * cx + y * cz - z * cy;
      ty += dy / 2 + w * cy + z * cx - x * cz;
      tz += dz / 2 + w * cz + x * cy - y * cx;
    }
    const [x, y, z, w] = [turns[t], turns[t + 1], turns[t + 2], turns[t + 3]];
    const cx = 2 * (y * sz - z * sy);
    const cy = 2 * (z * sx - x * sz);
    const cz = 2 * (x * sy - y * sx);
    const hold = this.#movements.holds[i] * (end - begin);
    const by = 1 / (end - begin + hold);
    out[0] = (tx + sx + w * cx + y * cz - z * cy + hold * this.#came[here]) * by;
    out[1] = (ty + sy + w * cy + z * cx - x * cz + hold * this.#came[here + 1]) * by;
    out[2] = (tz + sz + w * cz + x * cy - y * cx + hold * this.#came[here + 2]) * by;
  }

  #settle(i: number, limited: boolean): void {
    const { offsets, joints } = this.#joints;
    const p = this.#points[i];
    const [from, n] = [offsets[i], offsets[i + 1] - offsets[i]];
    const { neighbours, positions } = this.#subject;
    if (n < 2 || n > MAX_SETTLED || neighbours.offsets[p] === neighbours.offsets[p + 1]) return;
    const { locks, limit, evenness, habit } = this.#rules;
    const [x, y, z] = [positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]];
    const [m, solver] = [this.#palettes, this.#solver];
    const { target, away } = solver;
    solver.begin(n);
    const [first, last] = [this.#poseOffsets[i], this.#poseOffsets[i + 1]];
    for (let e = first; e < last; e++) {
      this.#aim(i, this.#poses[e], target);
      const base = this.#poses[e] * this.#posed.jointCount;
      for (let c = 0; c < n; c++) {
        const at = (base + joints[from + c]) * AFFINE;
        away[c * 3] = m[at] * x + m[at + 3] * y + m[at + 6] * z + m[at + 9] - target[0];
        away[c * 3 + 1] = m[at + 1] * x + m[at + 4] * y + m[at + 7] * z + m[at + 10] - target[1];
        away[c * 3 + 2] = m[at + 2] * x + m[at + 5] * y + m[at + 8] * z + m[at + 11] - target[2];
      }
      solver.add();
    }
    const trace = solver.trace();
    // Where a joint has most of its weight, the neighbours' mean is less of it: there nothing draws.
    const even = evenness * (1 - this.#movements.shares[i] ** 4);
    if (even > 0) {
      this.#meanAbout(i, solver.mean);
      solver.drawTo((even * trace) / n);
    }
    if (habit > 0) {
      for (let c = 0; c < n; c++) solver.mean[c] = this.#before[from + c];
      solver.drawTo((habit * trace) / n);
    }
    if (!solver.solve(this.weights, joints, from, locks, limited ? limit : Infinity)) return;
    for (let e = first; e < last; e++) {
      const k = this.#poses[e];
      this.#place(p, k, joints, this.weights, from, n, (i * this.#posed.count + k) * 3);
    }
  }

  /** The mean of the neighbours' weights, by candidate. */
  #meanAbout(i: number, mean: Float64Array): void {
    const { offsets, joints } = this.#joints;
    const { neighbours, rows } = this.#subject;
    const p = this.#points[i];
    const [from, to] = [offsets[i], offsets[i + 1]];
    mean.fill(0, 0, to - from);
    const [begin, end] = [neighbours.offsets[p], neighbours.offsets[p + 1]];
    for (let e = begin; e < end; e++) {
      const q = neighbours.points[e];
      const j = this.#numbers[q] - 1;
      const isListed = j < this.#points.length;
      const [first, last] = isListed
        ? [offsets[j], offsets[j + 1]]
        : [q * rows.stride, q * rows.stride + influenceCount(rows, q)];
      const [others, values] = isListed ? [joints, this.weights] : [rows.joints, rows.values];
      for (let c = from; c < to; c++)
        for (let d = first; d < last; d++)
          if (others[d] === joints[c]) mean[c - from] += values[d] / (end - begin);
    }
  }
}
