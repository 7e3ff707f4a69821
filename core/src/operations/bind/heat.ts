import { factorize, planFactor, type SymmetricMatrix } from '../../solve/ldl.ts';
import { SOLVE_WIDTH } from '../../solve/ldlLoops.ts';
import { layDissection, nestedDissection } from '../../solve/nestedDissection.ts';
import { findNeighbours, layNeighbours } from '../../mesh/topology.ts';
import { edgeCotangents, NO_EDGE, type EdgeCotangents } from '../../mesh/cotangents.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { createRowsIn, type WeightRows } from '../../weights/rows.ts';
import type { BindSpace } from '../../document/space/bindSpace.ts';
import { createMeasure, measureBone, type Bones } from '../../skeleton/bones.ts';
import type { Watch } from './insideDistance.ts';
import type { NearestJoints } from './nearestJoints.ts';
import { cellAt, type Solid } from '../../spatial/solid.ts';
import { INSIDE } from '../../spatial/voxels.ts';
import { solveKernels } from '../../solve/solveKernels.ts';
import { createKernelMemory } from '../../memory/wasmMemory.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';

/** How hard bones pull against the spreading, for the default softness. */
const PULL = 1;
/** A second bone this much further at most pulls as much as the nearest: at a joint, the two share the ring. */
const EQUALLY_NEAR = 1.0005;
/** Shares below this are dropped. */
const MIN_SHARE = 1e-3;
/** Where no joint of a batch warms a point more than this, its part of the equations is passed over. */
const COLD = 1e-5;

/**
 * Heat weights (Baran & Popović 2007, "Automatic rigging and animation of 3D characters"): on the surface, heat spreads
 * from each joint's bones against (L + M·H) w = M·H p, with L the cotangent Laplacian, M the points' areas, and H the
 * pull of the nearest bone, 1/distance², where the bone is seen from the point through the inside. One sparse factor
 * serves all joints.
 *
 * Points of islands that no bone is seen from keep an empty row.
 *
 * @param nearest the nearest joints of every point of the space, by {@link nearestJoints}
 * @param softness 0..1; a softer border lets the heat spread further
 * @throws CoreError `no-solution` if the matrix cannot be factorized
 */
export async function heatWeights(
  space: BindSpace,
  bones: Bones,
  nearest: NearestJoints,
  solid: Solid,
  softness: number,
  watch: Watch,
): Promise<WeightRows> {
  const { pointCount, positions } = space;
  const { weights, areas } = edgeCotangents(space);
  const { joints, seconds, pulls } = findPulls(
    space,
    bones,
    nearest,
    solid,
    areas,
    PULL / (softness * softness),
  );
  watch(0.1);
  // 1. Only islands with a pull: elsewhere the matrix is singular.
  const warm = new Uint8Array(space.islands.count);
  for (let p = 0; p < pointCount; p++)
    if (pulls[p] > 0 && space.islands.ofPoint[p] >= 0) warm[space.islands.ofPoint[p]] = 1;
  const included = (p: number): boolean =>
    space.islands.ofPoint[p] >= 0 && warm[space.islands.ofPoint[p]] === 1;
  // The matrix couples points along triangles, quads' diagonals among them.
  const coupled = neighboursOfTriangles(space);
  const order = nestedDissection(positions, coupled, space.memory).filter(included);
  watch(0.2);
  const matrix = assemble(space, order, weights, pulls);
  // 2. One factor, then the joints some at a time.
  const plan = planFactor(matrix);
  const memory = await createKernelMemory(plan.bytes);
  const { factor, sides, quiet } = factorize(memory, matrix, plan, (share) => watch(0.2 + 0.3 * share));
  const rows = createRowsIn(space.memory, pointCount, 8);
  const warmed = sourcesOf(order, joints, seconds, pulls);
  const used = [...warmed.keys()].sort((a, b) => a - b);
  for (let first = 0; first < used.length; first += SOLVE_WIDTH) {
    const batch = used.slice(first, first + SOLVE_WIDTH);
    sides.fill(0);
    batch.forEach((joint, k) => {
      for (const [i, pull] of warmed.get(joint) ?? []) sides[i * SOLVE_WIDTH + k] += pull;
    });
    solveKernels(memory).ldlSolve(factor, sides, quiet, COLD);
    for (let i = 0; i < order.length; i++) {
      if (quiet[i]) continue;
      for (let k = 0; k < batch.length; k++) {
        const share = sides[i * SOLVE_WIDTH + k];
        if (share > MIN_SHARE) keepLargest(rows, order[i], batch[k], share);
      }
    }
    watch(0.5 + (0.5 * (first + batch.length)) / used.length);
  }
  normalizeRows(rows);
  return rows;
}

/** By joint: the equations that it warms, and how hard. Two joints that are equally near pull half as hard each. */
function sourcesOf(
  order: Uint32Array,
  joints: Uint16Array,
  seconds: Uint16Array,
  pulls: Float64Array,
): Map<number, [number, number][]> {
  const sources = new Map<number, [number, number][]>();
  const put = (joint: number, i: number, pull: number): void => {
    const list = sources.get(joint);
    if (list) list.push([i, pull]);
    else sources.set(joint, [[i, pull]]);
  };
  order.forEach((p, i) => {
    if (joints[p] === NO_JOINT) return;
    const isShared = seconds[p] !== NO_JOINT;
    put(joints[p], i, isShared ? pulls[p] / 2 : pulls[p]);
    if (isShared) put(seconds[p], i, pulls[p] / 2);
  });
  return sources;
}

/** Room that {@link heatWeights} takes in the space's memory. */
export const layHeat = (memory: KernelMemory, pointCount: number, triangleCount: number): unknown => [
  memory.u32(triangleCount + 1),
  layNeighbours(memory, pointCount, triangleCount * 3),
  layDissection(memory, pointCount),
  createRowsIn(memory, pointCount, 8),
];

function neighboursOfTriangles({ triangles, pointCount, memory }: BindSpace): Neighbours {
  const offsets = memory.u32(triangles.length / 3 + 1);
  for (let t = 0; t < offsets.length; t++) offsets[t] = t * 3;
  return findNeighbours({ offsets, points: triangles }, pointCount, memory);
}

const NO_JOINT = 65535;

function findPulls(
  { pointCount, positions }: BindSpace,
  bones: Bones,
  nearest: NearestJoints,
  solid: Solid,
  areas: Float64Array,
  strength: number,
): { joints: Uint16Array; seconds: Uint16Array; pulls: Float64Array } {
  const seconds = new Uint16Array(pointCount).fill(NO_JOINT);
  const joints = new Uint16Array(pointCount).fill(NO_JOINT);
  const pulls = new Float64Array(pointCount);
  const bonesOf = new Map<number, number[]>();
  bones.joints.forEach((joint, b) => bonesOf.set(joint, [...(bonesOf.get(joint) ?? []), b]));
  const measure = createMeasure();
  for (let p = 0; p < pointCount; p++) {
    const first = p * nearest.width;
    if (nearest.distances[first] === Infinity) continue;
    const [x, y, z] = [positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]];
    let length = Infinity;
    let seen = false;
    for (const b of bonesOf.get(nearest.joints[first]) ?? []) {
      measureBone(bones, b, x, y, z, measure);
      if (measure.length >= length) continue;
      length = measure.length;
      seen = sees(solid, x, y, z, measure.x, measure.y, measure.z);
    }
    if (!seen) continue;
    joints[p] = nearest.joints[first];
    if (nearest.distances[first + 1] <= EQUALLY_NEAR * nearest.distances[first])
      seconds[p] = nearest.joints[first + 1];
    pulls[p] = (strength * (areas[p] || 1e-12)) / Math.max(length * length, 1e-12);
  }
  return { joints, seconds, pulls };
}

/** Whether the straight line from a point of the surface to a place runs inside; the first cells may be the shell. */
function sees(solid: Solid, x: number, y: number, z: number, tx: number, ty: number, tz: number): boolean {
  const steps = Math.ceil(Math.hypot(tx - x, ty - y, tz - z) / (solid.size * 0.7));
  for (let s = 2; s <= steps; s++) {
    const t = s / steps;
    const cell = cellAt(solid, x + (tx - x) * t, y + (ty - y) * t, z + (tz - z) * t);
    if (cell < 0 || solid.solid[cell] !== INSIDE) return false;
  }
  return true;
}

function assemble(
  { pointCount }: BindSpace,
  order: Uint32Array,
  { starts, others, values }: EdgeCotangents,
  pulls: Float64Array,
): SymmetricMatrix {
  const size = order.length;
  const placeOf = new Int32Array(pointCount).fill(-1);
  order.forEach((p, i) => (placeOf[p] = i));
  const diagonal = new Float64Array(size);
  order.forEach((p, i) => (diagonal[i] = pulls[p]));
  const counts = new Uint32Array(size + 1);
  const each = (visit: (low: number, high: number, value: number) => void): void => {
    for (let p = 0; p < pointCount; p++) {
      if (placeOf[p] < 0) continue;
      for (let e = starts[p]; e < starts[p + 1] && others[e] !== NO_EDGE; e++) {
        const [a, b] = [placeOf[p], placeOf[others[e]]];
        if (values[e] > 0) visit(Math.min(a, b), Math.max(a, b), values[e]);
      }
    }
  };
  each((_, high) => counts[high + 1]++);
  for (let i = 0; i < size; i++) counts[i + 1] += counts[i] + 1;
  const ends = counts.slice(0, size);
  const matrix: SymmetricMatrix = {
    size,
    starts: counts,
    rows: new Uint32Array(counts[size]),
    values: new Float64Array(counts[size]),
  };
  each((low, high, value) => {
    matrix.rows[ends[high]] = low;
    matrix.values[ends[high]++] = -value;
    diagonal[low] += value;
    diagonal[high] += value;
  });
  for (let i = 0; i < size; i++) {
    matrix.rows[ends[i]] = i;
    // A point that only degenerate triangles use has no equation of its own.
    matrix.values[ends[i]] = diagonal[i] > 0 ? diagonal[i] : 1;
  }
  return matrix;
}

/** Keeps the largest shares of a row, which stays sorted by falling value. */
function keepLargest(
  { stride, joints, values }: WeightRows,
  point: number,
  joint: number,
  share: number,
): void {
  const first = point * stride;
  let k = first + stride - 1;
  if (values[k] >= share) return;
  for (; k > first && values[k - 1] < share; k--) {
    values[k] = values[k - 1];
    joints[k] = joints[k - 1];
  }
  values[k] = share;
  joints[k] = joint;
}

function normalizeRows({ pointCount, stride, values }: WeightRows): void {
  for (let p = 0; p < pointCount; p++) {
    let sum = 0;
    for (let k = p * stride; k < (p + 1) * stride; k++) sum += values[k];
    if (sum > 0) for (let k = p * stride; k < (p + 1) * stride; k++) values[k] /= sum;
  }
}
