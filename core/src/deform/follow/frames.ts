import type { PointList } from '../../weights/pointList.ts';

/**
 * How a surface is turned at a point: across towards a neighbour, across both, and out along the normal. Zeros where that
 * cannot be told.
 * @param frames 9 numbers from `to` on: three axes, one after the other
 */
export function frameOf(
  positions: Float32Array,
  normals: Float32Array,
  point: number,
  beside: number,
  frames: Float32Array | Float64Array,
  to: number,
): boolean {
  const [p, q] = [point * 3, beside * 3];
  const nx = normals[p];
  const ny = normals[p + 1];
  const nz = normals[p + 2];
  let tx = positions[q] - positions[p];
  let ty = positions[q + 1] - positions[p + 1];
  let tz = positions[q + 2] - positions[p + 2];
  const over = tx * nx + ty * ny + tz * nz;
  tx -= over * nx;
  ty -= over * ny;
  tz -= over * nz;
  const length = Math.sqrt(tx * tx + ty * ty + tz * tz);
  if (!(length > 0) || !(nx * nx + ny * ny + nz * nz > 0.5)) {
    frames.fill(0, to, to + 9);
    return false;
  }
  tx /= length;
  ty /= length;
  tz /= length;
  frames[to] = tx;
  frames[to + 1] = ty;
  frames[to + 2] = tz;
  frames[to + 3] = ny * tz - nz * ty;
  frames[to + 4] = nz * tx - nx * tz;
  frames[to + 5] = nx * ty - ny * tx;
  frames[to + 6] = nx;
  frames[to + 7] = ny;
  frames[to + 8] = nz;
  return true;
}

/** What a surface has done at its anchors since rest. */
export interface TurningSurface {
  /** Float32Array, 9 an anchor: its frame at rest; see {@link frameOf}. */
  readonly frames: Float32Array;
  /** Float32Array, 3 a point of the surface: at rest, and now. */
  readonly rest: Float32Array;
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  /** Float32Array, a point each: how much larger it is than at rest. */
  readonly scales: Float32Array;
  /** Uint32Array, an anchor each: its point, and the neighbour that tells how it is turned. */
  readonly own: Uint32Array;
  readonly beside: Uint32Array;
}

const posed = new Float64Array(9);

/**
 * The matrices that do to space what a surface has done at some anchors: turned, moved, and made larger; only moved where its
 * turn cannot be told.
 * @param palette Float32Array, 16 an anchor, column-major: the results
 */
export function layTurns(
  { frames, rest, positions, normals, scales, own, beside }: TurningSurface,
  { points: anchors, count }: PointList,
  palette: Float32Array,
): void {
  for (let i = 0; i < count; i++) {
    const a = anchors[i];
    const [f, to, p, scale] = [a * 9, a * 16, own[a] * 3, scales[own[a]]];
    const isTold =
      frameOf(positions, normals, own[a], beside[a], posed, 0) &&
      frames[f + 6] ** 2 + frames[f + 7] ** 2 + frames[f + 8] ** 2 > 0;
    let [x, y, z] = [positions[p], positions[p + 1], positions[p + 2]];
    for (let column = 0; column < 3; column++) {
      let r0 = column === 0 ? scale : 0;
      let r1 = column === 1 ? scale : 0;
      let r2 = column === 2 ? scale : 0;
      if (isTold) {
        const a0 = scale * frames[f + column];
        const a1 = scale * frames[f + column + 3];
        const a2 = scale * frames[f + column + 6];
        r0 = posed[0] * a0 + posed[3] * a1 + posed[6] * a2;
        r1 = posed[1] * a0 + posed[4] * a1 + posed[7] * a2;
        r2 = posed[2] * a0 + posed[5] * a1 + posed[8] * a2;
      }
      const at = to + column * 4;
      palette[at] = r0;
      palette[at + 1] = r1;
      palette[at + 2] = r2;
      palette[at + 3] = 0;
      const from = rest[p + column];
      x -= r0 * from;
      y -= r1 * from;
      z -= r2 * from;
    }
    palette[to + 12] = x;
    palette[to + 13] = y;
    palette[to + 14] = z;
    palette[to + 15] = 1;
  }
}
