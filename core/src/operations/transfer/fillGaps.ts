import { edgeCotangents, NO_EDGE } from '../../mesh/cotangents.ts';
import { findNeighbours, layNeighbours } from '../../mesh/topology.ts';
import { createKernelMemory } from '../../memory/wasmMemory.ts';
import { countBytes } from '../../memory/countBytes.ts';
import { factorize, planFactor, type SymmetricMatrix } from '../../solve/ldl.ts';
import { SOLVE_WIDTH } from '../../solve/ldlLoops.ts';
import { layDissection, nestedDissection } from '../../solve/nestedDissection.ts';
import { solveKernels } from '../../solve/solveKernels.ts';

/** A surface with values at some of its points. */
export interface GapSurface {
  readonly positions: Float32Array;
  readonly triangles: Uint32Array;
  readonly pointCount: number;
}

/** Weights by joint and point on their way; see {@link fillGaps}. */
export interface GapWeights {
  /** By point, what it has: joints with weights summing to one; undefined or empty where it is unknown. */
  readonly rows: (readonly (readonly [number, number])[] | undefined)[];
}

/** Above this many unknown points the fill is only continuous at its rim, not smooth: the smooth equations grow too dense. */
const MAX_SMOOTH = 16_000;
/** Shares below this are dropped. */
const MIN_SHARE = 2e-3;

/**
 * Fills points without weights from the surface around them, by solving for weights that change as evenly as they can and
 * go on smoothly from the rim (Abdrashitov, Raichstat, Monsen & Hill 2023, "Robust skin weights transfer via weight
 * inpainting": L + L M⁻¹ L, with L the cotangent Laplacian and M the points' areas, here in units of the mean area so that
 * no length matters).
 *
 * @param unknown points to be filled, rising; those that no known point can be reached from are left out
 * @returns rows of the filled points
 */
export async function fillGaps(
  surface: GapSurface,
  known: GapWeights['rows'],
  unknown: Uint32Array,
  watch: (share: number) => void = () => undefined,
): Promise<Map<number, [number, number][]>> {
  const operator = laplacianOf(surface);
  const reached = reachable(operator, known, unknown);
  const filled = new Map<number, [number, number][]>();
  if (reached.length === 0) return filled;
  const order = await eliminationOrder(surface, reached);
  const system = assemble(operator, known, order, order.length <= MAX_SMOOTH);
  watch(0.2);
  const plan = planFactor(system.matrix);
  const memory = await createKernelMemory(plan.bytes);
  const { factor, sides, quiet } = factorize(memory, system.matrix, plan, (share) =>
    watch(0.2 + 0.4 * share),
  );
  const joints = [...system.loads.keys()].sort((a, b) => a - b);
  for (const p of order) filled.set(p, []);
  for (let first = 0; first < joints.length; first += SOLVE_WIDTH) {
    const batch = joints.slice(first, first + SOLVE_WIDTH);
    sides.fill(0);
    batch.forEach((joint, k) => {
      for (const [i, load] of system.loads.get(joint) ?? []) sides[i * SOLVE_WIDTH + k] += load;
    });
    solveKernels(memory).ldlSolve(factor, sides, quiet, 0);
    order.forEach((p, i) => {
      batch.forEach((joint, k) => {
        const share = sides[i * SOLVE_WIDTH + k];
        if (share > MIN_SHARE) filled.get(p)?.push([joint, share]);
      });
    });
    watch(0.6 + (0.4 * (first + batch.length)) / joints.length);
  }
  return filled;
}

/** A Laplacian by rows, and the points' areas in units of the mean. */
interface Operator {
  readonly offsets: Uint32Array;
  readonly others: Uint32Array;
  readonly values: Float64Array;
  readonly diagonal: Float64Array;
  readonly areas: Float64Array;
}

/** Edges that say nothing still hold a little: a point on slivers alone is not lost. */
const LEAST_VALUE = 1e-4;

function laplacianOf(surface: GapSurface): Operator {
  const { pointCount } = surface;
  const { weights, areas } = edgeCotangents(surface);
  const offsets = new Uint32Array(pointCount + 1);
  const each = (visit: (a: number, b: number, value: number) => void): void => {
    for (let p = 0; p < pointCount; p++)
      for (let e = weights.starts[p]; e < weights.starts[p + 1] && weights.others[e] !== NO_EDGE; e++)
        visit(p, weights.others[e], Math.max(LEAST_VALUE, weights.values[e]));
  };
  each((a, b) => {
    offsets[a + 1]++;
    offsets[b + 1]++;
  });
  for (let p = 0; p < pointCount; p++) offsets[p + 1] += offsets[p];
  const ends = offsets.slice(0, pointCount);
  const others = new Uint32Array(offsets[pointCount]);
  const values = new Float64Array(offsets[pointCount]);
  const diagonal = new Float64Array(pointCount);
  each((a, b, value) => {
    others[ends[a]] = b;
    values[ends[a]++] = -value;
    others[ends[b]] = a;
    values[ends[b]++] = -value;
    diagonal[a] += value;
    diagonal[b] += value;
  });
  let [sum, count] = [0, 0];
  for (const area of areas)
    if (area > 0) {
      sum += area;
      count++;
    }
  const mean = count > 0 ? sum / count : 1;
  return { offsets, others, values, diagonal, areas: areas.map((area) => Math.max(1e-3, area / mean)) };
}

/** The unknown points that hang together with a known one. */
function reachable(
  { offsets, others }: Operator,
  known: GapWeights['rows'],
  unknown: Uint32Array,
): Uint32Array {
  const open = new Uint8Array(known.length);
  for (const p of unknown) open[p] = 1;
  const isKnown = (p: number): boolean => (known[p]?.length ?? 0) > 0;
  const queue: number[] = [];
  for (const p of unknown) {
    for (let e = offsets[p]; e < offsets[p + 1]; e++)
      if (open[p] === 1 && isKnown(others[e])) {
        open[p] = 2;
        queue.push(p);
      }
  }
  for (const p of queue)
    for (let e = offsets[p]; e < offsets[p + 1]; e++)
      if (open[others[e]] === 1) {
        open[others[e]] = 2;
        queue.push(others[e]);
      }
  return unknown.filter((p) => open[p] === 2);
}

/** The order in which the unknown points are eliminated. */
async function eliminationOrder(
  { positions, triangles, pointCount }: GapSurface,
  points: Uint32Array,
): Promise<Uint32Array> {
  const local = new Int32Array(pointCount).fill(-1);
  points.forEach((p, i) => (local[p] = i));
  const corners: number[] = [];
  for (let t = 0; t < triangles.length; t += 3) {
    const own = [local[triangles[t]], local[triangles[t + 1]], local[triangles[t + 2]]];
    if (own.every((i) => i >= 0)) corners.push(...own);
  }
  const lay = (memory: Parameters<typeof layDissection>[0]) => ({
    positions: memory.f32(points.length * 3),
    offsets: memory.u32(corners.length / 3 + 1),
    corners: memory.u32(Math.max(1, corners.length)),
  });
  const memory = await createKernelMemory(
    countBytes((counted) => [
      lay(counted),
      layNeighbours(counted, points.length, corners.length),
      layDissection(counted, points.length),
    ]),
  );
  const room = lay(memory);
  points.forEach((p, i) => room.positions.set(positions.subarray(p * 3, p * 3 + 3), i * 3));
  room.offsets.forEach((_, t) => (room.offsets[t] = t * 3));
  room.corners.set(corners);
  const neighbours = findNeighbours(
    { offsets: room.offsets, points: room.corners.subarray(0, corners.length) },
    points.length,
    memory,
  );
  return nestedDissection(room.positions, neighbours, memory).map((i) => points[i]);
}

interface System {
  readonly matrix: SymmetricMatrix;
  /** By joint: equations with what known points put on their right side. */
  readonly loads: Map<number, [number, number][]>;
}

/** The equations of the unknown points, in their order: (L + L M⁻¹ L) w = 0 with the known ones given, or L w = 0. */
function assemble(
  operator: Operator,
  known: GapWeights['rows'],
  order: Uint32Array,
  isSmooth: boolean,
): System {
  const { offsets, others, values, diagonal, areas } = operator;
  const size = order.length;
  const place = new Int32Array(known.length).fill(-1);
  order.forEach((p, i) => (place[p] = i));
  const sums = new Float64Array(known.length);
  const seen = new Uint8Array(known.length);
  const touched: number[] = [];
  const add = (p: number, value: number): void => {
    if (seen[p] === 0) {
      seen[p] = 1;
      touched.push(p);
    }
    sums[p] += value;
  };
  const addRow = (p: number, factor: number): void => {
    add(p, factor * diagonal[p]);
    for (let e = offsets[p]; e < offsets[p + 1]; e++) add(others[e], factor * values[e]);
  };
  const starts = new Uint32Array(size + 1);
  const rows: number[] = [];
  const entries: number[] = [];
  const loads: System['loads'] = new Map();
  order.forEach((p, i) => {
    addRow(p, 1);
    if (isSmooth) {
      addRow(p, diagonal[p] / areas[p]);
      for (let e = offsets[p]; e < offsets[p + 1]; e++) addRow(others[e], values[e] / areas[others[e]]);
    }
    for (const q of touched) {
      const k = place[q];
      if (k < 0) addLoad(loads, known[q], i, -sums[q]);
      else if (k < i) {
        rows.push(k);
        entries.push(sums[q]);
      }
    }
    rows.push(i);
    entries.push(sums[p] > 0 ? sums[p] : 1);
    for (const q of touched) sums[q] = seen[q] = 0;
    touched.length = 0;
    starts[i + 1] = rows.length;
  });
  return {
    matrix: { size, starts, rows: Uint32Array.from(rows), values: Float64Array.from(entries) },
    loads,
  };
}

function addLoad(
  loads: System['loads'],
  row: readonly (readonly [number, number])[] | undefined,
  equation: number,
  factor: number,
): void {
  for (const [joint, weight] of row ?? []) {
    const list = loads.get(joint);
    if (list) list.push([equation, factor * weight]);
    else loads.set(joint, [[equation, factor * weight]]);
  }
}
