import { PLAIN_MEMORY, type KernelMemory } from '../memory/kernelMemory.ts';
import type { PointList } from '../weights/pointList.ts';
import type { SkinArrays } from './skin.ts';

/**
 * What dual quaternion skinning blends, made from the matrices of linear skinning.
 *
 * - `quaternions`  Float32Array, 8·(jointCount + 1): the turn (x, y, z, w), then the dual part; the last one is where
 *                  unweighted points stay.
 * - `signs`        Float32Array, jointCount²: 1 or −1, whether two joints' turns lie in one half of the sphere.
 * - `scale`        Float32Array, 12: what stretches all points before they are turned, as three columns of four.
 * - `stretched`    whether there is such a scale.
 */
export interface DualPalette {
  readonly jointCount: number;
  readonly quaternions: Float32Array;
  readonly signs: Float32Array;
  readonly scale: Float32Array;
  stretched: boolean;
  /** Joints that are scaled otherwise than the rest: they are only turned and moved. */
  uneven: number;
}

export function createDualPalette(jointCount: number, memory: KernelMemory = PLAIN_MEMORY): DualPalette {
  return {
    jointCount,
    quaternions: memory.f32(8 * (jointCount + 1)),
    signs: memory.f32(jointCount * jointCount),
    scale: memory.f32(12),
    stretched: false,
    uneven: 0,
  };
}

/** How far the stretch of two joints may differ and still count as one. */
const SAME_STRETCH = 1e-3;

/**
 * Splits each matrix into a turn, a translation and a stretch (polar decomposition, Higham 1986). The stretch of the part as it
 * stands at rest is common to all joints; a joint with another one keeps its turn and translation only (`uneven` counts them).
 *
 * @param palette Float32Array, 16·(jointCount + 1), as linear skinning takes it
 */
export function fillDualPalette(palette: Float32Array, out: DualPalette): void {
  const { jointCount, quaternions, signs, scale } = out;
  const rest = split(palette, jointCount * 16);
  const still = rest.stretch.every((x, i) => Math.abs(x - (i % 4 === 0 ? 1 : 0)) < SAME_STRETCH);
  for (let c = 0; c < 3; c++) for (let r = 0; r < 3; r++) scale[c * 4 + r] = rest.stretch[c * 3 + r];
  out.stretched = !still;
  out.uneven = 0;
  for (let j = 0; j <= jointCount; j++) {
    const { turn, stretch } = split(palette, j * 16);
    const size = Math.hypot(...rest.stretch) || 1;
    if (stretch.some((x, i) => Math.abs(x - rest.stretch[i]) > SAME_STRETCH * size)) out.uneven++;
    putDual(quaternions, j * 8, quaternionOf(turn), palette, j * 16 + 12);
  }
  for (let a = 0; a < jointCount; a++) {
    for (let b = 0; b < jointCount; b++) {
      let dot = 0;
      for (let k = 0; k < 4; k++) dot += quaternions[a * 8 + k] * quaternions[b * 8 + k];
      signs[a * jointCount + b] = dot < 0 ? -1 : 1;
    }
  }
}

/** The turn (rows and columns as in the matrix, column by column) and the stretch before it, of a matrix's linear part. */
function split(m: Float32Array, o: number): { turn: number[]; stretch: number[] } {
  const linear = [m[o], m[o + 1], m[o + 2], m[o + 4], m[o + 5], m[o + 6], m[o + 8], m[o + 9], m[o + 10]];
  let turn = linear;
  for (let pass = 0; pass < 30; pass++) {
    const other = inverseTransposed(turn);
    if (!other) return { turn: [1, 0, 0, 0, 1, 0, 0, 0, 1], stretch: linear };
    const next = turn.map((x, i) => (x + other[i]) / 2);
    const moved = next.reduce((most, x, i) => Math.max(most, Math.abs(x - turn[i])), 0);
    turn = next;
    if (moved < 1e-9) break;
  }
  // A mirrored frame: the turn itself is never mirrored.
  if (determinant(turn) < 0) turn = turn.map((x) => -x);
  const stretch = Array.from({ length: 9 }, (_, i) => {
    const [c, r] = [Math.floor(i / 3), i % 3];
    return (
      turn[r * 3] * linear[c * 3] + turn[r * 3 + 1] * linear[c * 3 + 1] + turn[r * 3 + 2] * linear[c * 3 + 2]
    );
  });
  return { turn, stretch };
}

function determinant(m: readonly number[]): number {
  return (
    m[0] * (m[4] * m[8] - m[5] * m[7]) -
    m[3] * (m[1] * m[8] - m[2] * m[7]) +
    m[6] * (m[1] * m[5] - m[2] * m[4])
  );
}

function inverseTransposed(m: readonly number[]): number[] | undefined {
  const d = determinant(m);
  if (!(Math.abs(d) > 1e-30)) return undefined;
  return [
    m[4] * m[8] - m[5] * m[7],
    m[5] * m[6] - m[3] * m[8],
    m[3] * m[7] - m[4] * m[6],
    m[2] * m[7] - m[1] * m[8],
    m[0] * m[8] - m[2] * m[6],
    m[1] * m[6] - m[0] * m[7],
    m[1] * m[5] - m[2] * m[4],
    m[2] * m[3] - m[0] * m[5],
    m[0] * m[4] - m[1] * m[3],
  ].map((x) => x / d);
}

/** Unit quaternion of a turn, whose columns lie one behind the other. */
function quaternionOf(m: readonly number[]): [number, number, number, number] {
  const trace = m[0] + m[4] + m[8];
  if (trace > 0) {
    const s = Math.sqrt(trace + 1) * 2;
    return [(m[5] - m[7]) / s, (m[6] - m[2]) / s, (m[1] - m[3]) / s, s / 4];
  }
  const i = m[0] > m[4] && m[0] > m[8] ? 0 : m[4] > m[8] ? 1 : 2;
  const [j, k] = [(i + 1) % 3, (i + 2) % 3];
  const s = Math.sqrt(1 + m[i * 4] - m[j * 4] - m[k * 4]) * 2;
  const q: [number, number, number, number] = [0, 0, 0, 0];
  q[i] = s / 4;
  q[j] = (m[j * 3 + i] + m[i * 3 + j]) / s;
  q[k] = (m[k * 3 + i] + m[i * 3 + k]) / s;
  q[3] = (m[j * 3 + k] - m[k * 3 + j]) / s;
  return q;
}

/** The dual part is half the translation times the turn. */
function putDual(
  out: Float32Array,
  o: number,
  [x, y, z, w]: readonly [number, number, number, number],
  translation: Float32Array,
  from: number,
): void {
  const [tx, ty, tz] = [translation[from], translation[from + 1], translation[from + 2]];
  out.set(
    [
      x,
      y,
      z,
      w,
      (tx * w + ty * z - tz * y) / 2,
      (ty * w + tz * x - tx * z) / 2,
      (tz * w + tx * y - ty * x) / 2,
      -(tx * x + ty * y + tz * z) / 2,
    ],
    o,
  );
}

/**
 * Dual quaternion skinning of positions and normals (Kavan, Collins, Žára, O'Sullivan 2007, "Skinning with dual
 * quaternions"): turns are blended as turns, so that a twist does not thin a limb. Twin of core/kernels/skinDual.ts.
 */
export function skinDualRange(arrays: SkinArrays, dual: DualPalette, from: number, to: number): void {
  for (let point = from; point < to; point++) skinPointDual(arrays, dual, point, point);
}

/** Skins the listed points into results of their own: the i-th listed point is written at slots[i]. */
export function skinDualSlots(
  arrays: SkinArrays,
  dual: DualPalette,
  list: PointList,
  slots: Uint32Array,
): void {
  for (let i = 0; i < list.count; i++) skinPointDual(arrays, dual, list.points[i], slots[i]);
}

const blended = new Float64Array(8);

function blend({ rows }: SkinArrays, { quaternions, signs, jointCount }: DualPalette, point: number): void {
  const { joints, values, stride } = rows;
  const row = point * stride;
  blended.fill(0);
  if (values[row] === 0) {
    for (let e = 0; e < 8; e++) blended[e] = quaternions[jointCount * 8 + e];
    return;
  }
  const first = joints[row];
  for (let k = row; k < row + stride && values[k] !== 0; k++) {
    const weight = values[k] * (k === row ? 1 : signs[first * jointCount + joints[k]]);
    for (let e = 0; e < 8; e++) blended[e] += weight * quaternions[joints[k] * 8 + e];
  }
  const length = Math.hypot(blended[0], blended[1], blended[2], blended[3]) || 1;
  for (let e = 0; e < 8; e++) blended[e] /= length;
}

function skinPointDual(arrays: SkinArrays, dual: DualPalette, point: number, slot: number): void {
  const { rest, restNormals, positions, normals } = arrays;
  blend(arrays, dual, point);
  const [x, y, z, w, dx, dy, dz, dw] = blended;
  let [px, py, pz] = [rest[point * 3], rest[point * 3 + 1], rest[point * 3 + 2]];
  if (dual.stretched) {
    const s = dual.scale;
    [px, py, pz] = [
      s[0] * px + s[4] * py + s[8] * pz,
      s[1] * px + s[5] * py + s[9] * pz,
      s[2] * px + s[6] * py + s[10] * pz,
    ];
  }
  turnInto(positions, slot * 3, x, y, z, w, px, py, pz);
  positions[slot * 3] += 2 * (w * dx - dw * x + y * dz - z * dy);
  positions[slot * 3 + 1] += 2 * (w * dy - dw * y + z * dx - x * dz);
  positions[slot * 3 + 2] += 2 * (w * dz - dw * z + x * dy - y * dx);
  const n = point * 3;
  turnInto(normals, slot * 3, x, y, z, w, restNormals[n], restNormals[n + 1], restNormals[n + 2]);
}

function turnInto(
  out: Float32Array,
  o: number,
  x: number,
  y: number,
  z: number,
  w: number,
  vx: number,
  vy: number,
  vz: number,
): void {
  const ux = y * vz - z * vy + w * vx;
  const uy = z * vx - x * vz + w * vy;
  const uz = x * vy - y * vx + w * vz;
  out[o] = vx + 2 * (y * uz - z * uy);
  out[o + 1] = vy + 2 * (z * ux - x * uz);
  out[o + 2] = vz + 2 * (x * uy - y * ux);
}
