/** A finished picture: RGBA bytes, rows from the top. */
export interface Picture {
  readonly width: number;
  readonly height: number;
  readonly pixels: Uint8Array;
}

export interface PictureMesh {
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  readonly triangles: Uint32Array;
}

/** Samples a pixel side; the picture is averaged down from them. */
export const SAMPLES = 2;
const MARGIN = 0.06;
/** Clay in light and in shade, linear mix by the light that falls on it. */
const LIT = [233, 226, 212];
const SHADE = [126, 116, 108];
const LIGHT = normalized([0.45, 0.75, 0.55]);

/** Meshes as they are seen: what falls on each sample. */
export interface Raster {
  /** Of the picture, in pixels; there are {@link SAMPLES} samples a pixel side. */
  readonly width: number;
  readonly height: number;
  /** Light on each sample, 0 to 1; −1 where nothing is. */
  readonly shade: Float32Array;
  /** Whose point is nearest: counted over all meshes; −1 where nothing is. */
  readonly owner: Int32Array;
  /** Where a place of the scene is in the picture, in pixels. */
  project(place: ArrayLike<number>): [number, number];
}

/** Looks at meshes from the front and a little to the side, orthographic and z-buffered. See {@link drawPicture}. */
export function rasterize(meshes: readonly PictureMesh[], width: number, height: number, turn = 35): Raster {
  const w = width * SAMPLES;
  const h = height * SAMPLES;
  const view = viewMatrix(turn, -12);
  const placed = meshes.map((mesh) => ({ ...mesh, at: transformAll(mesh.positions, view) }));
  const { scale, midX, midY } = fit(
    placed.map(({ at }) => at),
    w,
    h,
  );
  const depth = new Float32Array(w * h).fill(-Infinity);
  const shade = new Float32Array(w * h).fill(-1);
  const owner = new Int32Array(w * h).fill(-1);
  let first = 0;
  for (const { at, normals, triangles } of placed) {
    const count = at.length / 3;
    const light = new Float32Array(count);
    for (let p = 0; p < count; p++) {
      at[p * 3] = (at[p * 3] - midX) * scale + w / 2;
      at[p * 3 + 1] = h / 2 - (at[p * 3 + 1] - midY) * scale;
      light[p] = lightOn(normals, p, view);
    }
    const target = { w, h, depth, shade, owner };
    for (let t = 0; t < triangles.length; t += 3)
      fillTriangle(at, light, triangles[t], triangles[t + 1], triangles[t + 2], first, target);
    first += count;
  }
  const project = (place: ArrayLike<number>): [number, number] => {
    const at = transformAll(Float32Array.from(place), view);
    return [((at[0] - midX) * scale + w / 2) / SAMPLES, (h / 2 - (at[1] - midY) * scale) / SAMPLES];
  };
  return { width, height, shade, owner, project };
}

/**
 * A clay picture of meshes in scene space on a clear ground, looked at from the front and a little to the side: for
 * cards and reports, without a graphics card. Orthographic, z-buffered, two samples a pixel side.
 *
 * @param turn degrees about the upright axis (+y up, looking along −z at 0)
 */
export function drawPicture(
  meshes: readonly PictureMesh[],
  width: number,
  height: number,
  turn = 35,
): Picture {
  return average(rasterize(meshes, width, height, turn).shade, width, height);
}

function normalized(v: readonly number[]): number[] {
  const length = Math.hypot(...v);
  return v.map((x) => x / length);
}

/** Rows of a 3×3 matrix: turned about y, then tilted about x. */
function viewMatrix(turn: number, tilt: number): number[] {
  const [c, s] = [Math.cos((-turn * Math.PI) / 180), Math.sin((-turn * Math.PI) / 180)];
  const [d, e] = [Math.cos((-tilt * Math.PI) / 180), Math.sin((-tilt * Math.PI) / 180)];
  return [c, 0, s, e * s, d, -e * c, -d * s, e, d * c];
}

function transformAll(positions: Float32Array, m: readonly number[]): Float32Array {
  const out = new Float32Array(positions.length);
  for (let i = 0; i < positions.length; i += 3) {
    const [x, y, z] = [positions[i], positions[i + 1], positions[i + 2]];
    for (let r = 0; r < 3; r++) out[i + r] = m[r * 3] * x + m[r * 3 + 1] * y + m[r * 3 + 2] * z;
  }
  return out;
}

function fit(
  clouds: readonly Float32Array[],
  w: number,
  h: number,
): { scale: number; midX: number; midY: number } {
  const low = [Infinity, Infinity];
  const high = [-Infinity, -Infinity];
  for (const cloud of clouds) {
    for (let i = 0; i < cloud.length; i += 3) {
      for (let k = 0; k < 2; k++) {
        low[k] = Math.min(low[k], cloud[i + k]);
        high[k] = Math.max(high[k], cloud[i + k]);
      }
    }
  }
  const room = 1 - 2 * MARGIN;
  const scale = Math.min((w * room) / (high[0] - low[0] || 1), (h * room) / (high[1] - low[1] || 1));
  return { scale, midX: (low[0] + high[0]) / 2 || 0, midY: (low[1] + high[1]) / 2 || 0 };
}

function lightOn(normals: Float32Array, point: number, view: readonly number[]): number {
  let sum = 0;
  for (let r = 0; r < 3; r++) {
    const turned =
      view[r * 3] * normals[point * 3] +
      view[r * 3 + 1] * normals[point * 3 + 1] +
      view[r * 3 + 2] * normals[point * 3 + 2];
    sum += turned * LIGHT[r];
  }
  // Wrapped light: clay glows a little past the edge of the light.
  return Math.max(0, (sum + 0.45) / 1.45);
}

interface Target {
  readonly w: number;
  readonly h: number;
  readonly depth: Float32Array;
  readonly shade: Float32Array;
  readonly owner: Int32Array;
}

/**
 * @param at    where points are: samples from the left, from above, and how near
 * @param first the number of the mesh's first point among all
 */
function fillTriangle(
  at: Float32Array,
  light: Float32Array,
  p: number,
  q: number,
  r: number,
  first: number,
  { w, h, depth, shade, owner }: Target,
): void {
  const [ax, ay] = [at[p * 3], at[p * 3 + 1]];
  const [bx, by] = [at[q * 3], at[q * 3 + 1]];
  const [cx, cy] = [at[r * 3], at[r * 3 + 1]];
  const area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay);
  if (area === 0 || !Number.isFinite(area)) return;
  const inverse = 1 / area;
  const left = Math.max(0, Math.ceil(Math.min(ax, bx, cx) - 0.5));
  const right = Math.min(w - 1, Math.floor(Math.max(ax, bx, cx) - 0.5));
  const top = Math.max(0, Math.ceil(Math.min(ay, by, cy) - 0.5));
  const bottom = Math.min(h - 1, Math.floor(Math.max(ay, by, cy) - 0.5));
  const [az, bz, cz] = [at[p * 3 + 2], at[q * 3 + 2], at[r * 3 + 2]];
  for (let py = top; py <= bottom; py++) {
    const sy = py + 0.5;
    for (let px = left; px <= right; px++) {
      const sx = px + 0.5;
      const a = ((bx - sx) * (cy - sy) - (cx - sx) * (by - sy)) * inverse;
      const b = ((cx - sx) * (ay - sy) - (ax - sx) * (cy - sy)) * inverse;
      const c = 1 - a - b;
      if (a < 0 || b < 0 || c < 0) continue;
      const to = py * w + px;
      const near = a * az + b * bz + c * cz;
      if (near <= depth[to]) continue;
      depth[to] = near;
      shade[to] = a * light[p] + b * light[q] + c * light[r];
      owner[to] = first + (a >= b && a >= c ? p : b >= c ? q : r);
    }
  }
}

function average(shade: Float32Array, width: number, height: number): Picture {
  const pixels = new Uint8Array(width * height * 4);
  const w = width * SAMPLES;
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      let covered = 0;
      let light = 0;
      const first = y * SAMPLES * w + x * SAMPLES;
      for (let s = 0; s < SAMPLES * SAMPLES; s++) {
        const value = shade[first + (s >> 1) * w + (s & 1)];
        if (value < 0) continue;
        covered++;
        light += value;
      }
      if (covered === 0) continue;
      const mix = Math.min(1, light / covered);
      const at = (y * width + x) * 4;
      for (let k = 0; k < 3; k++) pixels[at + k] = Math.round(SHADE[k] + (LIT[k] - SHADE[k]) * mix);
      pixels[at + 3] = Math.round((255 * covered) / (SAMPLES * SAMPLES));
    }
  }
  return { width, height, pixels };
}
