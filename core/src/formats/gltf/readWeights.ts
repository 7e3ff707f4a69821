import type { Accessor, Primitive } from '@gltf-transform/core';
import { CoreError } from '../../errors.ts';
import { createCandidates, normalizeCandidates, type Candidates } from '../../weights/normalize.ts';
import { createRows, DEFAULT_STRIDE, type WeightRows } from '../../weights/rows.ts';
import type { CharacterPart, SourceWeights } from '../../document/character.ts';
import { NO_SEAMS, type SeamWeights } from '../../document/seamWeights.ts';
import { arrayOf } from './accessorArray.ts';

/** A sum this near to one is left as it came. */
const SUM_TOLERANCE = 1e-6;
/** Vertices of one point that differ by less than this a slot agree. */
const SEAM_TOLERANCE = 1e-5;

interface Sets {
  readonly count: number;
  readonly joints: readonly ArrayLike<number>[];
  readonly weights: readonly Float32Array[];
  readonly sumTolerance: number;
}

/** What a part without weights of its own has to say about its source. */
export function noSourceWeights(vertexCount: number): SourceWeights {
  return {
    sumMin: 0,
    sumMax: 0,
    maxInfluences: 0,
    scaled: 0,
    broken: 0,
    seams: NO_SEAMS,
    sums: new Float32Array(0),
    brokenVertices: new Uint8Array(0),
    sumTolerance: 0,
    asCame: new Uint8Array(vertexCount),
  };
}

/**
 * Reads JOINTS_n and WEIGHTS_n of a primitive into rows a point. Rows that do not sum to one are scaled to one; weights
 * that are negative or not numbers count as nothing; a joint named twice by a vertex is added up; of vertices of one point
 * that disagree, the first gives the row. All of it is counted.
 * @throws CoreError file-invalid where a weight names a joint that the skin does not have
 */
export function readWeights(
  primitive: Primitive,
  part: CharacterPart,
  jointCount: number,
): { rows: WeightRows; source: SourceWeights } {
  const sets = readSets(primitive);
  const stride = Math.max(DEFAULT_STRIDE, sets.count * 4);
  const rows = createRows(part.pointCount, stride);
  const pointState = new Uint8Array(part.pointCount); // 1: seen, 2: its vertices disagree
  const asCame = new Uint8Array(part.vertexCount);
  const sums = new Float32Array(part.vertexCount);
  const brokenVertices = new Uint8Array(part.vertexCount);
  const scratch = createRows(1, stride);
  const locks = new Uint8Array(jointCount);
  const c = createCandidates(sets.count * 4);
  const stats = { sumMin: Infinity, sumMax: 0, maxInfluences: 0, scaled: 0, broken: 0 };

  for (let vertex = 0; vertex < part.vertexCount; vertex++) {
    const { sum, clean } = gather(sets, vertex, part, c);
    stats.sumMin = Math.min(stats.sumMin, sum);
    stats.sumMax = Math.max(stats.sumMax, sum);
    stats.maxInfluences = Math.max(stats.maxInfluences, c.count);
    sums[vertex] = sum;
    if (!clean) {
      stats.broken++;
      brokenVertices[vertex] = 1;
    }
    const exact = Math.abs(sum - 1) <= SUM_TOLERANCE;
    if (!exact && sum > 0) stats.scaled++;
    asCame[vertex] = clean && (exact || sum === 0) ? 1 : 0;
    const point = part.vertexPoint[vertex];
    if (pointState[point] === 0) {
      pointState[point] = 1;
      putRow(rows, point, c, exact, locks);
    } else {
      scratch.values.fill(0);
      putRow(scratch, 0, c, exact, locks);
      if (!agree(scratch, rows, point)) pointState[point] = 2;
    }
  }
  const seams = readSeams(sets, part, stride, pointState, locks);
  const none = part.vertexCount === 0;
  const { sumTolerance } = sets;
  return {
    rows,
    source: { ...stats, sumMin: none ? 0 : stats.sumMin, seams, asCame, sums, brokenVertices, sumTolerance },
  };
}

function readSets(primitive: Primitive): Sets {
  const joints: ArrayLike<number>[] = [];
  const weights: Float32Array[] = [];
  let sumTolerance = 1e-3;
  for (let n = 0; ; n++) {
    const j = primitive.getAttribute(`JOINTS_${n}`);
    const w = primitive.getAttribute(`WEIGHTS_${n}`);
    if (!j || !w) return { count: n, joints, weights, sumTolerance };
    joints.push(arrayOf(j) ?? new Uint16Array(j.getCount() * 4));
    if (!(arrayOf(w) instanceof Float32Array)) sumTolerance = 1e-2;
    weights.push(weightsOf(w));
  }
}

/** Weights as numbers 0..1: whole-number types count in shares of their largest value, marked as normalized or not. */
function weightsOf(accessor: Accessor): Float32Array {
  const array = arrayOf(accessor);
  if (!array) return new Float32Array(accessor.getCount() * 4);
  if (array instanceof Float32Array) return array;
  const most = array instanceof Uint8Array ? 255 : array instanceof Uint16Array ? 65535 : 1;
  const shares = new Float32Array(array.length);
  for (let i = 0; i < array.length; i++) shares[i] = array[i] / most;
  return shares;
}

interface Gathered {
  sum: number;
  /** False where a weight was negative or no number. */
  clean: boolean;
}

const gathered: Gathered = { sum: 0, clean: true };

/** The influences of one vertex as candidates. The answer is only good until the next call. */
function gather(
  sets: Sets,
  vertex: number,
  part: CharacterPart,
  c: Candidates,
): { sum: number; clean: boolean } {
  const { jointOfSlot } = part.source;
  let sum = 0;
  let clean = true;
  c.count = 0;
  for (let n = 0; n < sets.count; n++) {
    const slots = sets.joints[n];
    const weights = sets.weights[n];
    for (let k = vertex * 4; k < vertex * 4 + 4; k++) {
      const weight = weights[k];
      if (weight === 0) continue;
      if (!(weight > 0) || weight === Infinity) {
        clean = false;
        continue;
      }
      const slot = slots[k];
      if (!(slot < jointOfSlot.length)) {
        const { mesh, primitive } = part.source;
        const where = `meshes[${mesh}].primitives[${primitive}].JOINTS_${n}`;
        throw new CoreError(
          'file-invalid',
          `The file is damaged at ${where}: vertex ${vertex} names joint ${slot}, but the skin has ${jointOfSlot.length}.`,
          { where, vertex },
        );
      }
      sum += weight;
      addCandidate(c, jointOfSlot[slot], weight);
    }
  }
  gathered.sum = sum;
  gathered.clean = clean;
  return gathered;
}

function addCandidate(c: Candidates, joint: number, weight: number): void {
  for (let i = 0; i < c.count; i++) {
    if (c.joints[i] === joint) {
      c.values[i] += weight;
      return;
    }
  }
  c.joints[c.count] = joint;
  c.values[c.count++] = weight;
}

function putRow(rows: WeightRows, point: number, c: Candidates, exact: boolean, locks: Uint8Array): void {
  if (c.count === 0) return;
  if (!exact) {
    normalizeCandidates(rows, point, c, { fixed: -1, limit: rows.stride, locks });
    return;
  }
  // Sums to one already: keep every bit, only sorted (insertion; rows are short).
  const from = point * rows.stride;
  for (let i = 0; i < c.count; i++) {
    const joint = c.joints[i];
    const value = Math.fround(c.values[i]);
    let k = from + i - 1;
    for (; k >= from; k--) {
      if (rows.values[k] > value || (rows.values[k] === value && rows.joints[k] < joint)) break;
      rows.values[k + 1] = rows.values[k];
      rows.joints[k + 1] = rows.joints[k];
    }
    rows.values[k + 1] = value;
    rows.joints[k + 1] = joint;
  }
}

function agree(a: WeightRows, rows: WeightRows, point: number): boolean {
  const from = point * rows.stride;
  for (let k = 0; k < rows.stride; k++) {
    if (Math.abs(a.values[k] - rows.values[from + k]) > SEAM_TOLERANCE) return false;
    if (a.values[k] > SEAM_TOLERANCE && a.joints[k] !== rows.joints[from + k]) {
      // Equal weights may stand in either order only if their joints do, which sorting has settled.
      return false;
    }
  }
  return true;
}

/** The own rows of the vertices of points that disagree. */
function readSeams(
  sets: Sets,
  part: CharacterPart,
  stride: number,
  pointState: Uint8Array,
  locks: Uint8Array,
): SeamWeights {
  const points = Uint32Array.from(pointState.keys()).filter((point) => pointState[point] === 2);
  if (points.length === 0) return NO_SEAMS;
  const { vertexCount, vertexPoint } = part;
  const vertices = Uint32Array.from({ length: vertexCount }, (_, vertex) => vertex).filter(
    (vertex) => pointState[vertexPoint[vertex]] === 2,
  );
  const rows = createRows(vertices.length, stride);
  const one = createCandidates(sets.count * 4);
  vertices.forEach((vertex, i) => {
    const { sum } = gather(sets, vertex, part, one);
    putRow(rows, i, one, Math.abs(sum - 1) <= SUM_TOLERANCE, locks);
  });
  return { points, vertices, rows };
}
