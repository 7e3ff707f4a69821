import type { KernelMemory } from '../memory/kernelMemory.ts';
import { createRowsIn, type WeightRows } from '../weights/rows.ts';
import type { PointList } from '../weights/pointList.ts';

/**
 * What skinning reads and writes, all in flat arrays.
 *
 * - `rest`, `restNormals`      Float32Array, 3·pointCount, part space.
 * - `palette`                  Float32Array, 16·(jointCount + 1): a column-major matrix a joint, part space → scene
 *                              space; the last one is where unweighted points stay.
 * - `positions`, `normals`     Float32Array, 3·pointCount, scene space: the results. May not alias the rest arrays.
 */
export interface SkinArrays {
  readonly rest: Float32Array;
  readonly restNormals: Float32Array;
  readonly rows: WeightRows;
  readonly palette: Float32Array;
  readonly positions: Float32Array;
  readonly normals: Float32Array;
}

/** Room for a part's skinning in the kernels' memory. */
export const laySkin = (
  memory: KernelMemory,
  pointCount: number,
  stride: number,
  jointCount: number,
): SkinArrays => ({
  rest: memory.f32(pointCount * 3),
  restNormals: memory.f32(pointCount * 3),
  rows: createRowsIn(memory, pointCount, stride),
  palette: memory.f32((jointCount + 1) * 16),
  positions: memory.f32(pointCount * 3),
  normals: memory.f32(pointCount * 3),
});

/**
 * Linear blend skinning of positions and normals with any number of influences (Magnenat-Thalmann, Laperrière,
 * Thalmann 1988, "Joint-dependent local deformations"). Normals go through the blended matrix and are set to length
 * one, which is exact for turns and even scales. Twin of core/kernels/skin.ts, which computes in f32.
 */
export function skinRange(arrays: SkinArrays, from: number, to: number): void {
  for (let point = from; point < to; point++) skinPoint(arrays, point, point);
}

/** Skins the listed points only; all other results stay. */
export function skinList(arrays: SkinArrays, list: PointList): void {
  for (let i = 0; i < list.count; i++) skinPoint(arrays, list.points[i], list.points[i]);
}

/** Skins the listed points into results of their own: the i-th listed point is written at slots[i]. */
export function skinSlots(arrays: SkinArrays, list: PointList, slots: Uint32Array): void {
  for (let i = 0; i < list.count; i++) skinPoint(arrays, list.points[i], slots[i]);
}

const blended = new Float64Array(16);

function skinPoint(arrays: SkinArrays, point: number, slot: number): void {
  const { rest, restNormals, rows, palette, positions, normals } = arrays;
  const row = point * rows.stride;
  blended.fill(0);
  if (rows.values[row] === 0) {
    const from = palette.length - 16;
    for (let e = 0; e < 16; e++) blended[e] = palette[from + e];
  } else {
    for (let k = row; k < row + rows.stride && rows.values[k] !== 0; k++) {
      const weight = rows.values[k];
      const from = rows.joints[k] * 16;
      for (let e = 0; e < 16; e++) blended[e] += weight * palette[from + e];
    }
  }
  const m = blended;
  const x = rest[point * 3];
  const y = rest[point * 3 + 1];
  const z = rest[point * 3 + 2];
  positions[slot * 3] = m[0] * x + m[4] * y + m[8] * z + m[12];
  positions[slot * 3 + 1] = m[1] * x + m[5] * y + m[9] * z + m[13];
  positions[slot * 3 + 2] = m[2] * x + m[6] * y + m[10] * z + m[14];
  const a = restNormals[point * 3];
  const b = restNormals[point * 3 + 1];
  const c = restNormals[point * 3 + 2];
  const nx = m[0] * a + m[4] * b + m[8] * c;
  const ny = m[1] * a + m[5] * b + m[9] * c;
  const nz = m[2] * a + m[6] * b + m[10] * c;
  const length = Math.sqrt(nx * nx + ny * ny + nz * nz);
  const scale = length > 0 ? 1 / length : 1;
  normals[slot * 3] = nx * scale;
  normals[slot * 3 + 1] = ny * scale;
  normals[slot * 3 + 2] = nz * scale;
}
