import { extractRotation } from '../../solve/extractRotation.ts';
import { afterLastOf, firstOf, type SettleArrays } from './settleArrays.ts';

/**
 * The loops that weights are settled by; twin of core/kernels/settle.ts, which takes four poses at a time and counts in single
 * precision.
 */

const matrix = new Float64Array(9);
const turn = new Float32Array(4);

/** The best rotations about listed points, in the blocks where they are asked for or open. */
export function turnPoints(arrays: SettleArrays, from: number, to: number, isAll: boolean): void {
  const { offsets, blocks } = isAll ? arrays.asked : arrays.open;
  for (let i = from; i < to; i++)
    for (let b = offsets[i]; b < offsets[i + 1]; b++)
      for (let k = firstOf(blocks[b]); k < afterLastOf(blocks[b]); k++) turnPoint(arrays, i, k);
}

function turnPoint(arrays: SettleArrays, i: number, k: number): void {
  const { poses, offsets, neighbours, rest, places, turns } = arrays;
  const own = i * 3 * poses + k;
  matrix.fill(0);
  for (let n = offsets[i]; n < offsets[i + 1]; n++) {
    const q = neighbours[n];
    const other = q * 3 * poses + k;
    const dx = places[other] - places[own];
    const dy = places[other + poses] - places[own + poses];
    const dz = places[other + 2 * poses] - places[own + 2 * poses];
    for (let c = 0; c < 3; c++) {
      const r = rest[q * 3 + c] - rest[i * 3 + c];
      matrix[c * 3] += dx * r;
      matrix[c * 3 + 1] += dy * r;
      matrix[c * 3 + 2] += dz * r;
    }
  }
  const at = i * 4 * poses + k;
  for (let c = 0; c < 4; c++) turn[c] = turns[at + c * poses];
  extractRotation(matrix, turn, 0);
  for (let c = 0; c < 4; c++) turns[at + c * poses] = turn[c];
}

const edge = new Float64Array(3);
const turned = new Float64Array(3);

/** By·d, turned as a point is in a pose, is added to `turned`. */
function addTurned({ turns, poses }: SettleArrays, i: number, k: number, by: number): void {
  const at = i * 4 * poses + k;
  const [x, y, z, w] = [turns[at], turns[at + poses], turns[at + 2 * poses], turns[at + 3 * poses]];
  const [dx, dy, dz] = edge;
  const cx = 2 * (y * dz - z * dy);
  const cy = 2 * (z * dx - x * dz);
  const cz = 2 * (x * dy - y * dx);
  turned[0] += by * (dx + w * cx + y * cz - z * cy);
  turned[1] += by * (dy + w * cy + z * cx - x * cz);
  turned[2] += by * (dz + w * cz + x * cy - y * cx);
}

/**
 * Where a listed point's neighbours want it, in each pose of its blocks; from there to where each of its joints alone would put
 * it; and the products of these, summed over the poses.
 * @param hold how strongly it is held where it came, as a share of what its neighbours say
 */
export function aimPoint(arrays: SettleArrays, i: number, hold: number): void {
  const { open, poses, offsets, neighbours, listed, rest, places, came, away, gram, jointOffsets } = arrays;
  const n = jointOffsets[i + 1] - jointOffsets[i];
  const count = offsets[i + 1] - offsets[i];
  gram.fill(0, 0, n * n);
  let slot = 0;
  for (let b = open.offsets[i]; b < open.offsets[i + 1]; b++)
    for (let k = firstOf(open.blocks[b]); k < afterLastOf(open.blocks[b]); k++, slot++) {
      turned.fill(0);
      for (let e = offsets[i]; e < offsets[i + 1]; e++) {
        const q = neighbours[e];
        for (let c = 0; c < 3; c++) {
          edge[c] = rest[i * 3 + c] - rest[q * 3 + c];
          turned[c] += places[(q * 3 + c) * poses + k];
        }
        // Each end's rotation counts half; this end's whole beyond the listed points.
        addTurned(arrays, i, k, q < listed ? 0.5 : 1);
        if (q < listed) addTurned(arrays, q, k, 0.5);
      }
      for (let c = 0; c < 3; c++) {
        const wanted = turned[c] + hold * count * came[(i * 3 + c) * poses + k];
        away[(3 * n + c) * poses + slot] = wanted / (count + hold * count);
      }
      addAway(arrays, i, k, slot);
    }
}

function addAway(arrays: SettleArrays, i: number, k: number, slot: number): void {
  const { poses, jointOffsets, joints, away, gram } = arrays;
  const [from, n] = [jointOffsets[i], jointOffsets[i + 1] - jointOffsets[i]];
  for (let c = 0; c < n; c++) {
    for (let r = 0; r < 3; r++)
      away[(c * 3 + r) * poses + slot] =
        alone(arrays, i, joints[from + c], k, r) - away[(3 * n + r) * poses + slot];
    for (let d = 0; d <= c; d++)
      for (let r = 0; r < 3; r++)
        gram[c * n + d] += away[(c * 3 + r) * poses + slot] * away[(d * 3 + r) * poses + slot];
  }
}

/** x, y or z of where a joint alone would put a point. */
function alone({ palettes, poses, positions }: SettleArrays, i: number, joint: number, k: number, r: number) {
  const m = (joint * 12 + r) * poses + k;
  const [x, y, z] = [positions[i * 3], positions[i * 3 + 1], positions[i * 3 + 2]];
  return (
    palettes[m] * x + palettes[m + 3 * poses] * y + palettes[m + 6 * poses] * z + palettes[m + 9 * poses]
  );
}

/** A listed point's places by the weights of its joints, in its blocks. */
export function placePoint(arrays: SettleArrays, i: number): void {
  const { open, poses, jointOffsets, joints, weights, places } = arrays;
  for (let b = open.offsets[i]; b < open.offsets[i + 1]; b++)
    for (let k = firstOf(open.blocks[b]); k < afterLastOf(open.blocks[b]); k++)
      for (let r = 0; r < 3; r++) {
        let sum = 0;
        for (let c = jointOffsets[i]; c < jointOffsets[i + 1]; c++)
          if (weights[c] !== 0) sum += weights[c] * alone(arrays, i, joints[c], k, r);
        places[(i * 3 + r) * poses + k] = sum;
      }
}

/** All points' places in all poses, by the rows that they came with; at rest without weight. */
export function placeRows(arrays: SettleArrays): void {
  const { count, poses, stride, rowJoints, rowValues, rest, places } = arrays;
  for (let i = 0; i < count; i++)
    for (let k = 0; k < poses; k++)
      for (let r = 0; r < 3; r++) {
        let sum = rowValues[i * stride] === 0 ? rest[i * 3 + r] : 0;
        for (let c = i * stride; c < (i + 1) * stride && rowValues[c] !== 0; c++)
          sum += rowValues[c] * alone(arrays, i, rowJoints[c], k, r);
        places[(i * 3 + r) * poses + k] = sum;
      }
}

/** By pose, how far the listed points are from where they rest, together; into `moved`. */
export function sumMoved({ listed, poses, rest, places, moved }: SettleArrays): void {
  for (let k = 0; k < poses; k++) {
    moved[k] = 0;
    for (let i = 0; i < listed; i++) {
      const [x, y, z] = [0, 1, 2].map((r) => places[(i * 3 + r) * poses + k] - rest[i * 3 + r]);
      moved[k] += Math.sqrt(x * x + y * y + z * z);
    }
  }
}
