import type { KernelMemory } from '../../memory/kernelMemory.ts';
import { membersOf } from '../../spatial/groups.ts';
import { joinPieces, layPieces } from '../../weights/pieces.ts';
import { healUnweighted } from '../../weights/heal.ts';
import { createRowsIn, type WeightRows } from '../../weights/rows.ts';
import type { Control } from './anatomy/anatomy.ts';
import type { BindSpace } from '../../document/space/bindSpace.ts';
import { EntryHeap } from '../../math/entryHeap.ts';
import { PointTree } from '../../spatial/pointTree.ts';
import { weightKernels } from '../../weights/weightKernels.ts';

/** Rows of eight slots that belong to no part yet: what a method proposes, before locks and limit. */
const SLOTS = 8;

/** A small island that mostly follows one joint follows it whole from this share on. */
const MAJORITY = 0.7;
/** Islands with more than this share of the points are no accessories. */
const LARGEST_ACCESSORY = 0.15;
/** Islands this small bend for nobody: they get one row. */
const SPECK_POINTS = 8;
const MAX_PASSES = 12;

const layRelaxing = (memory: KernelMemory, pointCount: number) => ({
  rows: createRowsIn(memory, pointCount, SLOTS),
  points: memory.u32(pointCount),
  amounts: memory.f32(pointCount),
  locks: memory.u8(65536),
  status: memory.u8(pointCount),
});

const layLeaks = (memory: KernelMemory, pointCount: number) => ({
  isLeak: memory.u8(pointCount * SLOTS),
  listed: memory.u32(pointCount),
});

/** Room that settling a proposal takes in the kernels' memory: once relaxed, twice looked over for leaks. */
export const laySettling = (memory: KernelMemory, pointCount: number): unknown => [
  layRelaxing(memory, pointCount),
  ...[1, 2].map(() => [layPieces(memory, pointCount, SLOTS), layLeaks(memory, pointCount)]),
];

/**
 * Smooths a proposal along the surface, just enough to take the cells' steps out: by a share of the limbs' thickness,
 * so that coarse meshes, whose edges are longer than that, are left alone. The rows given are overwritten.
 */
export function relaxRows(rows: WeightRows, space: BindSpace, radii: Float32Array): WeightRows {
  const passes = Math.min(MAX_PASSES, Math.round((0.4 * mean(radii)) / meanEdge(space)) ** 2);
  if (passes === 0) return rows;
  const { pointCount, neighbours, memory } = space;
  let from = rows;
  const { rows: spare, points, amounts, locks, status } = layRelaxing(memory, pointCount);
  let to = spare;
  const list = { points, count: pointCount };
  for (let p = 0; p < pointCount; p++) points[p] = p;
  amounts.fill(0.5);
  for (let pass = 0; pass < passes; pass++) {
    weightKernels(memory).smoothRows(from, to, list, neighbours, amounts, SLOTS, locks, status);
    for (let p = 0; p < pointCount; p++) {
      if (status[p] & 1) continue;
      for (let k = p * SLOTS; k < (p + 1) * SLOTS; k++) {
        to.joints[k] = from.joints[k];
        to.values[k] = from.values[k];
      }
    }
    [from, to] = [to, from];
  }
  return from;
}

function mean(numbers: Float32Array): number {
  let sum = 0;
  let count = 0;
  for (const x of numbers) {
    if (!(x > 0)) continue;
    sum += x;
    count++;
  }
  return count > 0 ? sum / count : 0;
}

function meanEdge({ positions, neighbours }: BindSpace): number {
  const { offsets, points } = neighbours;
  let sum = 0;
  for (let p = 0; p + 1 < offsets.length; p++) {
    for (let e = offsets[p]; e < offsets[p + 1]; e++) {
      const n = points[e] * 3;
      sum += Math.hypot(
        positions[p * 3] - positions[n],
        positions[p * 3 + 1] - positions[n + 1],
        positions[p * 3 + 2] - positions[n + 2],
      );
    }
  }
  return sum > 0 ? sum / points.length : Infinity;
}

/** Gives points with an empty row the row of the nearest point that has one; how many each island got. */
export function followNearest(rows: WeightRows, space: BindSpace): Uint32Array {
  const { pointCount, positions, islands } = space;
  const helped = new Uint32Array(islands.count + 1);
  const held: number[] = [];
  for (let p = 0; p < pointCount; p++) if (rows.values[p * SLOTS] > 0) held.push(p);
  if (held.length === 0 || held.length === pointCount) return helped;
  const tree = new PointTree(positions, Uint32Array.from(held));
  const empty: number[] = [];
  for (let p = 0; p < pointCount; p++) if (rows.values[p * SLOTS] === 0) empty.push(p);
  for (const p of empty) {
    const near = tree.nearest(positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]);
    rows.joints.copyWithin(p * SLOTS, near * SLOTS, (near + 1) * SLOTS);
    rows.values.copyWithin(p * SLOTS, near * SLOTS, (near + 1) * SLOTS);
    helped[islands.ofPoint[p] < 0 ? islands.count : islands.ofPoint[p]]++;
  }
  return helped;
}

/** A patch with less than this share of the weight of the joint's largest on the same island leaked there. */
const LEAK_SHARE = 0.25;

/**
 * Takes weight out of patches that hang together with the joint's main region through the air only: a flipper that
 * touches the belly, a hand on a thigh. What is left of a row makes up for it later; rows that held nothing else take
 * the weights around. Patches that cover their island are left alone.
 *
 * @returns how many points were cleared of a leak
 */
export function stopLeaks(rows: WeightRows, space: BindSpace): number {
  const { neighbours, islands, positions, memory } = space;
  const { pieceOf, mass, bordered, roots } = joinPieces(rows, neighbours, memory);
  const { joints, values, pointCount } = rows;
  // By island and joint, the weight of the largest patch.
  const keyOf = (node: number): number =>
    (islands.ofPoint[Math.floor(node / SLOTS)] + 1) * 65536 + joints[node];
  const largest = new Map<number, number>();
  for (const node of roots) {
    const key = keyOf(node);
    largest.set(key, Math.max(largest.get(key) ?? 0, mass[node]));
  }
  const leaks = roots.filter(
    (node) => bordered[node] && mass[node] < LEAK_SHARE * (largest.get(keyOf(node)) ?? 0),
  );
  if (leaks.length === 0) return 0;
  const { isLeak, listed } = layLeaks(memory, pointCount);
  for (const node of leaks) isLeak[node] = 1;
  const cleared = weightKernels(memory).listMarked(rows, pieceOf, isLeak, listed);
  for (const p of listed.subarray(0, cleared)) {
    const kept: [number, number][] = [];
    for (let node = p * SLOTS; node < (p + 1) * SLOTS && values[node] > 0; node++)
      if (isLeak[pieceOf[node]] === 0) kept.push([joints[node], values[node]]);
    const sum = kept.reduce((total, [, weight]) => total + weight, 0);
    putRow(
      rows,
      p,
      kept.map(([joint, weight]) => [joint, weight / sum]),
    );
  }
  healUnweighted(rows, positions, neighbours, SLOTS);
  return cleared;
}

/** Accessories do not bend: a small island mostly on one joint follows it whole, a speck gets the mean of its rows. */
export function stiffenIslands(rows: WeightRows, space: BindSpace): number {
  let stiffened = 0;
  const { islandPoints, islands } = space;
  let largest = 0;
  for (let island = 0; island < islands.count; island++)
    largest = Math.max(largest, islandPoints.starts[island + 1] - islandPoints.starts[island]);
  for (let island = 0; island < islands.count; island++) {
    const points = membersOf(islandPoints, island);
    if (points.length === largest || points.length > LARGEST_ACCESSORY * space.pointCount) continue;
    const sums = new Map<number, number>();
    for (const p of points) {
      for (let k = p * SLOTS; k < (p + 1) * SLOTS && rows.values[k] > 0; k++)
        sums.set(rows.joints[k], (sums.get(rows.joints[k]) ?? 0) + rows.values[k] / points.length);
    }
    const sorted = [...sums].sort((a, b) => b[1] - a[1] || a[0] - b[0]);
    if (sorted.length === 0) continue;
    if (points.length <= SPECK_POINTS) for (const p of points) putRow(rows, p, sorted);
    else if (sorted[0][1] >= MAJORITY) for (const p of points) putRow(rows, p, [[sorted[0][0], 1]]);
    else continue;
    stiffened++;
  }
  return stiffened;
}

/** Islands that follow one joint whole. */
export function applyFollowers(
  rows: WeightRows,
  space: BindSpace,
  followers: ReadonlyMap<number, number>,
): void {
  if (followers.size === 0) return;
  for (let p = 0; p < space.pointCount; p++) {
    const joint = followers.get(space.islands.ofPoint[p]);
    if (joint !== undefined) putRow(rows, p, [[joint, 1]]);
  }
}

/**
 * Lays controls over a proposal: whole up to half of their radius along the surface, then fading out. Where several
 * reach a point, the nearest has it.
 */
export function applyControls(
  rows: WeightRows,
  space: BindSpace,
  controls: readonly Control[],
  places: Float32Array,
  fits: (point: number) => boolean,
): void {
  if (controls.length === 0) return;
  const { positions, pointCount } = space;
  const tree = new PointTree(
    positions,
    Uint32Array.from({ length: pointCount }, (_, p) => p).filter((p) => space.islands.ofPoint[p] >= 0),
  );
  const nearest = new Float32Array(pointCount).fill(Infinity);
  const owners = new Int32Array(pointCount).fill(-1);
  const radii = new Float32Array(pointCount);
  for (const { joint, radius } of controls) {
    const [x, y, z] = places.subarray(joint * 3, joint * 3 + 3);
    const start = tree.nearest(x, y, z, Infinity, fits);
    if (start < 0) continue;
    for (const [p, far] of surfaceDistances(
      space,
      start,
      Math.hypot(positions[start * 3] - x, positions[start * 3 + 1] - y, positions[start * 3 + 2] - z),
      radius,
    )) {
      if (far >= nearest[p]) continue;
      nearest[p] = far;
      owners[p] = joint;
      radii[p] = radius;
    }
  }
  for (let p = 0; p < pointCount; p++) {
    if (owners[p] < 0) continue;
    const share = Math.min(1, 2 - (2 * nearest[p]) / radii[p]);
    const mixed: [number, number][] = [[owners[p], share]];
    for (let k = p * SLOTS; k < (p + 1) * SLOTS - 1 && rows.values[k] > 0; k++)
      if (rows.joints[k] !== owners[p]) mixed.push([rows.joints[k], rows.values[k] * (1 - share)]);
    putRow(
      rows,
      p,
      mixed.sort((a, b) => b[1] - a[1] || a[0] - b[0]),
    );
  }
}

/** Points within `radius` of `start` along edges, with their distances. */
function surfaceDistances(
  { positions, neighbours, pointCount }: BindSpace,
  start: number,
  from: number,
  radius: number,
): Map<number, number> {
  const far = new Map<number, number>([[start, from]]);
  const done = new Set<number>();
  const heap = new EntryHeap(Math.min(1024, pointCount));
  heap.push(from, start);
  while (heap.size > 0) {
    const p = heap.pop();
    if (done.has(p)) continue;
    done.add(p);
    const own = far.get(p) as number;
    for (let e = neighbours.offsets[p]; e < neighbours.offsets[p + 1]; e++) {
      const n = neighbours.points[e];
      const distance =
        own +
        Math.hypot(
          positions[p * 3] - positions[n * 3],
          positions[p * 3 + 1] - positions[n * 3 + 1],
          positions[p * 3 + 2] - positions[n * 3 + 2],
        );
      if (distance < radius && distance < (far.get(n) ?? Infinity)) {
        far.set(n, distance);
        heap.push(distance, n);
      }
    }
  }
  return far;
}

function putRow(rows: WeightRows, point: number, influences: readonly (readonly [number, number])[]): void {
  const first = point * SLOTS;
  rows.joints.fill(0, first, first + SLOTS);
  rows.values.fill(0, first, first + SLOTS);
  influences.slice(0, SLOTS).forEach(([joint, weight], k) => {
    if (weight <= 0) return;
    rows.joints[first + k] = joint;
    rows.values[first + k] = weight;
  });
}
