/**
 * What relaxing reads and writes, in flat arrays of one memory. Places lie in four floats each, of which the last is not used.
 *
 * - `offsets`, `neighbours`          compressed rows: the points that share an edge with a point.
 * - `faceOffsets`, `faces`           compressed rows: the triangles about a point.
 * - `triangles`                      Uint32Array, 3 a triangle.
 * - `tangents`                       Uint32Array, pointCount: the neighbour that a point's frame looks to; {@link NO_TANGENT}
 *                                    where there is no frame.
 * - `detail`                         Float32Array, 8 a point: how rest lies over the smoothed rest in its frame (3), the rest
 *                                    normal in that frame (3), two unused.
 * - `skinned`, `smooth`, `other`     Float32Array, 4 a point, scene space: as skinned, and two that passes go between.
 * - `skinnedNormals`                 Float32Array, 3 a point, scene space.
 * - `positions`, `normals`           Float32Array, 3 a point, scene space: the results.
 * - `amounts`                        Float32Array, pointCount: how much of relaxing a point takes; undefined for all of it.
 */
export interface RelaxArrays {
  readonly offsets: Uint32Array;
  readonly neighbours: Uint32Array;
  readonly faceOffsets: Uint32Array;
  readonly faces: Uint32Array;
  readonly triangles: Uint32Array;
  readonly tangents: Uint32Array;
  readonly detail: Float32Array;
  readonly skinned: Float32Array;
  readonly smooth: Float32Array;
  readonly other: Float32Array;
  readonly skinnedNormals: Float32Array;
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  readonly amounts: Float32Array | undefined;
}

export const NO_TANGENT = 0xffffffff;

/** A tangent whose square is less than this share of its edge's lies along the normal: no frame. */
const STEEP = 1e-8;

/** One pass over the first `count` listed points: each goes a share of the way to the middle of its neighbours. */
export function relaxPass(
  { offsets, neighbours }: Pick<RelaxArrays, 'offsets' | 'neighbours'>,
  list: Uint32Array,
  count: number,
  from: Float32Array,
  to: Float32Array,
  share: number,
): void {
  for (let i = 0; i < count; i++) {
    const p = list[i];
    const [begin, end] = [offsets[p], offsets[p + 1]];
    for (let k = p * 4; k < p * 4 + 3; k++) {
      let sum = 0;
      for (let n = begin; n < end; n++) sum += from[neighbours[n] * 4 + (k & 3)];
      to[k] = begin === end ? from[k] : from[k] + share * (sum / (end - begin) - from[k]);
    }
  }
}

const frame = new Float64Array(9);

/**
 * The frame of a point on a smoothed surface: tangent, the one across, normal (area weighted).
 * @returns whether there is one
 */
export function frameAt(
  { faceOffsets, faces, triangles, tangents }: RelaxArrays,
  places: Float32Array,
  p: number,
  out: Float64Array,
): boolean {
  const to = tangents[p];
  if (to === NO_TANGENT) return false;
  let [nx, ny, nz] = [0, 0, 0];
  for (let f = faceOffsets[p]; f < faceOffsets[p + 1]; f++) {
    const t = faces[f] * 3;
    const [a, b, c] = [triangles[t] * 4, triangles[t + 1] * 4, triangles[t + 2] * 4];
    const [ux, uy, uz] = [
      places[b] - places[a],
      places[b + 1] - places[a + 1],
      places[b + 2] - places[a + 2],
    ];
    const [vx, vy, vz] = [
      places[c] - places[a],
      places[c + 1] - places[a + 1],
      places[c + 2] - places[a + 2],
    ];
    nx += uy * vz - uz * vy;
    ny += uz * vx - ux * vz;
    nz += ux * vy - uy * vx;
  }
  const size = Math.hypot(nx, ny, nz);
  if (size === 0) return false;
  [nx, ny, nz] = [nx / size, ny / size, nz / size];
  const [ex, ey, ez] = [0, 1, 2].map((k) => places[to * 4 + k] - places[p * 4 + k]);
  const up = ex * nx + ey * ny + ez * nz;
  const [tx, ty, tz] = [ex - up * nx, ey - up * ny, ez - up * nz];
  const wide = tx * tx + ty * ty + tz * tz;
  if (!(wide > STEEP * (ex * ex + ey * ey + ez * ez))) return false;
  const by = 1 / Math.sqrt(wide);
  out[0] = tx * by;
  out[1] = ty * by;
  out[2] = tz * by;
  out[3] = ny * out[2] - nz * out[1];
  out[4] = nz * out[0] - nx * out[2];
  out[5] = nx * out[1] - ny * out[0];
  out[6] = nx;
  out[7] = ny;
  out[8] = nz;
  return true;
}

/**
 * Carries the detail of the first `count` listed points back onto the smoothed surface, and blends with the skinned one.
 * Points without a frame stay as they were skinned. Twin of core/kernels/relax.ts, which computes in f32.
 *
 * @param smooth   `smooth` or `other`, whichever the last pass wrote
 * @param strength 0 for the skinned surface, 1 for the relaxed one; times the point's amount
 */
export function relaxFrames(
  arrays: RelaxArrays,
  list: Uint32Array,
  count: number,
  smooth: Float32Array,
  strength: number,
): void {
  const { detail, skinned, skinnedNormals, positions, normals, amounts } = arrays;
  for (let i = 0; i < count; i++) {
    const p = list[i];
    const isFramed = frameAt(arrays, smooth, p, frame);
    const amount = strength * (amounts ? amounts[p] : 1);
    for (let k = 0; k < 3; k++) {
      const [as, d] = [skinned[p * 4 + k], p * 8];
      const normal = skinnedNormals[p * 3 + k];
      positions[p * 3 + k] = as;
      normals[p * 3 + k] = normal;
      if (!isFramed) continue;
      const relaxed =
        smooth[p * 4 + k] +
        frame[k] * detail[d] +
        frame[3 + k] * detail[d + 1] +
        frame[6 + k] * detail[d + 2];
      positions[p * 3 + k] = as + amount * (relaxed - as);
      const turned = frame[k] * detail[d + 3] + frame[3 + k] * detail[d + 4] + frame[6 + k] * detail[d + 5];
      normals[p * 3 + k] = normal + amount * (turned - normal);
    }
    if (isFramed) setLengthOne(normals, p * 3);
  }
}

function setLengthOne(normals: Float32Array, at: number): void {
  const size = Math.hypot(normals[at], normals[at + 1], normals[at + 2]);
  if (size === 0) return;
  for (let k = at; k < at + 3; k++) normals[k] /= size;
}
