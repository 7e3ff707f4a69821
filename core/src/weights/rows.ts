import type { KernelMemory } from '../memory/kernelMemory.ts';

/**
 * The weights of one part: a fixed number of slots (`stride`) a point.
 *
 * - `joints`  Uint16Array, stride·pointCount: skeleton joint of each slot; 0 where the slot is unused.
 * - `values`  Float32Array, stride·pointCount: weight of each slot, 0..1; 0 where the slot is unused.
 *
 * A row is sorted by falling weight, ties by rising joint, used slots first. No joint stands twice in a row. A row
 * sums to one within 1e-6, or is empty: the point is then *unweighted*.
 */
export interface WeightRows {
  readonly pointCount: number;
  readonly stride: number;
  readonly joints: Uint16Array;
  readonly values: Float32Array;
}

/** Slots a point, unless a file needs more. */
export const DEFAULT_STRIDE = 8;

/** Below this, a freed or scaled weight counts as nothing. Unitless. */
export const MIN_WEIGHT = 1e-6;

export interface Influence {
  readonly joint: number;
  readonly weight: number;
}

/** Empty rows on ordinary memory. */
export function createRows(pointCount: number, stride: number = DEFAULT_STRIDE): WeightRows {
  return {
    pointCount,
    stride,
    joints: new Uint16Array(pointCount * stride),
    values: new Float32Array(pointCount * stride),
  };
}

/** The same rows, in arrays of their own on ordinary memory. */
export function copyRows(rows: WeightRows): WeightRows {
  return { ...rows, joints: rows.joints.slice(), values: rows.values.slice() };
}

/** Empty rows in a memory of kernels. */
export function createRowsIn(memory: KernelMemory, pointCount: number, stride: number): WeightRows {
  return {
    pointCount,
    stride,
    joints: memory.u16(pointCount * stride),
    values: memory.f32(pointCount * stride),
  };
}

/** How many slots of a point's row are used. */
export function influenceCount(rows: WeightRows, point: number): number {
  const from = point * rows.stride;
  let count = 0;
  while (count < rows.stride && rows.values[from + count] !== 0) count++;
  return count;
}

/** The influences of a point, greatest first. */
export function influencesOf(rows: WeightRows, point: number): Influence[] {
  const from = point * rows.stride;
  const result: Influence[] = [];
  for (let k = 0; k < rows.stride && rows.values[from + k] !== 0; k++) {
    result.push({ joint: rows.joints[from + k], weight: rows.values[from + k] });
  }
  return result;
}

/** The weight of one joint at one point; 0 where it has none. */
export function weightOf(rows: WeightRows, point: number, joint: number): number {
  const from = point * rows.stride;
  for (let k = 0; k < rows.stride && rows.values[from + k] !== 0; k++) {
    if (rows.joints[from + k] === joint) return rows.values[from + k];
  }
  return 0;
}

/** The sum of a row, in double precision. */
export function rowSum(rows: WeightRows, point: number): number {
  const from = point * rows.stride;
  let sum = 0;
  for (let k = 0; k < rows.stride; k++) sum += rows.values[from + k];
  return sum;
}

/** How many points have an empty row. */
export function countUnweighted(rows: WeightRows): number {
  let count = 0;
  for (let p = 0; p < rows.pointCount; p++) if (rows.values[p * rows.stride] === 0) count++;
  return count;
}

/**
 * How much of the surface follows each joint: the sum of its weights over all points, in points.
 * Float64Array, jointCount.
 */
export function jointMass(
  rows: WeightRows,
  jointCount: number,
  into = new Float64Array(jointCount),
): Float64Array {
  const { joints, values } = rows;
  for (let i = 0; i < values.length; i++) if (values[i] !== 0) into[joints[i]] += values[i];
  return into;
}

/** Weights above nothing and below this hide easily, and are drawn so that they cannot. */
export const TINY_WEIGHT = 0.02;
