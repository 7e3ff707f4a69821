import { rewritePoints, type RewriteRules } from '../../weights/rewritePoints.ts';
import { CoreError } from '../../errors.ts';
import type { Change } from '../../weights/delta.ts';
import type { WeightRows } from '../../weights/rows.ts';
import { partAt, type MirrorSpace } from '../../document/space/mirrorSpace.ts';
import type { MirrorPlane, PointPairs } from './pairPoints.ts';

/** Where weights go: to the side of lower places on the axis, or to that of higher ones. */
export type MirrorDirection = 'toNegative' | 'toPositive';

export interface MirrorRequest {
  readonly pairs: PointPairs;
  readonly plane: MirrorPlane;
  readonly direction: MirrorDirection;
  /** Int32Array, jointCount: the joint of the other side; itself on the middle, -1 where there is none. */
  readonly partner: Int32Array;
  /** By part, the points that may change, rising, or their counterparts; all of a part that is missing from none. */
  readonly points?: ReadonlyMap<number, Uint32Array>;
  /** Joints, of either side, whose weights are mirrored; all where missing. */
  readonly joints?: readonly number[];
  /** How far a point may be off the middle and still belong to it, in scene units. */
  readonly tolerance: number;
}

export interface MirrorReport {
  /** By part, points of the changed side, or of the middle, without a counterpart: they stay. */
  readonly unpaired: ReadonlyMap<number, Uint32Array>;
  /** Joints with weight there that have no partner: their weight stays on themselves. */
  readonly lonely: readonly number[];
  readonly held: number;
}

/**
 * Gives one side the mirrored weights of the other: each of its points gets its counterpart's row, joint by partner.
 * On the middle both halves are brought together, so that doing it twice changes nothing more.
 *
 * @param rowsOfPart one a part of the space
 */
export function mirrorWeights(
  rowsOfPart: readonly WeightRows[],
  { firstPoint, positions }: MirrorSpace,
  request: MirrorRequest,
  rules: RewriteRules,
): { change: Change; report: MirrorReport } {
  const { pairs, plane, direction, partner, points, tolerance } = request;
  const { axis, middle } = plane;
  if (points?.size === 0)
    throw new CoreError('argument-invalid', 'Select points to mirror, or mirror all of them.');
  const meant = request.joints && withPartners(request.joints, partner);
  const chosen = points && maskOfSpace(points, firstPoint);
  const lonely = new Set<number>();
  const unpaired = new Map<number, Uint32Array>();
  const change: Change[number][] = [];
  let held = 0;
  const sideOf = (p: number): number => {
    const off = positions[p * 3 + axis] - middle;
    return pairs[p] === p || (pairs[p] < 0 && Math.abs(off) <= tolerance) ? 0 : Math.sign(off);
  };
  const target = direction === 'toNegative' ? -1 : 1;
  rowsOfPart.forEach((rows, part) => {
    const first = firstPoint[part];
    const list: number[] = [];
    const alone: number[] = [];
    for (let p = 0; p < rows.pointCount; p++) {
      const global = first + p;
      const side = sideOf(global);
      if (side === -target) continue;
      if (chosen && !chosen[global] && !(pairs[global] >= 0 && chosen[pairs[global]])) continue;
      if (pairs[global] >= 0) list.push(p);
      else alone.push(p);
    }
    if (alone.length > 0) unpaired.set(part, Uint32Array.from(alone));
    const mix = new RowMix();
    const { delta, held: stayed } = rewritePoints(part, rows, Uint32Array.from(list), rules, (p, c) => {
      const other = pairs[first + p];
      const source = other >= first && other < firstPoint[part + 1] ? part : partAt(firstPoint, other);
      // Off the middle the counterpart's row is taken as it is.
      if (other !== first + p && !meant) {
        fillMirrored(c, rowsOfPart[source], other - firstPoint[source], partner, lonely);
        return;
      }
      mix.clear();
      addMirrored(mix, rowsOfPart[source], other - firstPoint[source], partner, lonely, 1);
      if (other === first + p) addRow(mix, rows, p, 1);
      if (meant) keepOthers(mix, rows, p, meant);
      mix.write(c);
    });
    held += stayed;
    if (delta.points.length > 0) change.push(delta);
  });
  return { change, report: { unpaired, lonely: [...lonely].sort((a, b) => a - b), held } };
}

function fillMirrored(
  c: { count: number; readonly joints: Uint16Array; readonly values: Float64Array },
  { joints, values, stride }: WeightRows,
  p: number,
  partner: Int32Array,
  lonely: Set<number>,
): void {
  // What locked joints keep stands there already, and is not added to.
  const first = c.count;
  for (let k = p * stride, end = k + stride; k < end && values[k] !== 0; k++) {
    const other = partner[joints[k]];
    if (other < 0) lonely.add(joints[k]);
    const joint = other < 0 ? joints[k] : other;
    // Pairs that were set by hand may lead two joints to one.
    let at = first;
    while (at < c.count && c.joints[at] !== joint) at++;
    if (at === c.count) c.values[c.count++] = 0;
    c.joints[at] = joint;
    c.values[at] += values[k];
  }
}

/** A row in the making: a handful of joints with what each gets. */
class RowMix {
  readonly joints: number[] = [];
  readonly values: number[] = [];

  clear(): void {
    this.joints.length = this.values.length = 0;
  }

  add(joint: number, value: number): void {
    const at = this.joints.indexOf(joint);
    if (at >= 0) this.values[at] += value;
    else {
      this.joints.push(joint);
      this.values.push(value);
    }
  }

  write(c: { count: number; readonly joints: Uint16Array; readonly values: Float64Array }): void {
    this.joints.forEach((joint, i) => {
      if (this.values[i] <= 0) return;
      c.joints[c.count] = joint;
      c.values[c.count++] = this.values[i];
    });
  }
}

function addMirrored(
  mix: RowMix,
  rows: WeightRows,
  p: number,
  partner: Int32Array,
  lonely: Set<number>,
  share: number,
): void {
  for (let k = p * rows.stride; k < (p + 1) * rows.stride && rows.values[k] !== 0; k++) {
    const joint = rows.joints[k];
    const other = partner[joint];
    if (other < 0) lonely.add(joint);
    mix.add(other < 0 ? joint : other, rows.values[k] * share);
  }
}

function addRow(mix: RowMix, rows: WeightRows, p: number, share: number): void {
  for (let k = p * rows.stride; k < (p + 1) * rows.stride && rows.values[k] !== 0; k++)
    mix.add(rows.joints[k], rows.values[k] * share);
}

/** Of a mirrored row only the meant joints count; the point's others share what these leave, as they did. */
function keepOthers(mix: RowMix, rows: WeightRows, p: number, meant: ReadonlySet<number>): void {
  const total = mix.values.reduce((sum, value) => sum + value, 0) || 1;
  const kept = new RowMix();
  let taken = 0;
  mix.joints.forEach((joint, i) => {
    if (!meant.has(joint)) return;
    kept.add(joint, mix.values[i] / total);
    taken += mix.values[i] / total;
  });
  let others = 0;
  for (let k = p * rows.stride; k < (p + 1) * rows.stride && rows.values[k] !== 0; k++)
    if (!meant.has(rows.joints[k])) others += rows.values[k];
  for (let k = p * rows.stride; k < (p + 1) * rows.stride && rows.values[k] !== 0; k++)
    if (!meant.has(rows.joints[k])) kept.add(rows.joints[k], (rows.values[k] / others) * (1 - taken));
  mix.clear();
  kept.joints.forEach((joint, i) => mix.add(joint, kept.values[i]));
}

function withPartners(joints: readonly number[], partner: Int32Array): ReadonlySet<number> {
  return new Set(joints.flatMap((joint) => (partner[joint] >= 0 ? [joint, partner[joint]] : [joint])));
}

function maskOfSpace(points: ReadonlyMap<number, Uint32Array>, firstPoint: Uint32Array): Uint8Array {
  const mask = new Uint8Array(firstPoint[firstPoint.length - 1]);
  for (const [part, list] of points) for (const p of list) mask[firstPoint[part] + p] = 1;
  return mask;
}
