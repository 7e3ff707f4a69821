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
const SAMPLES = 2;
const MARGIN = 0.06;
/** Clay in light and in shade, linear mix by the light that falls on it. */
const LIT = [233, 226, 212];
const SHADE = [126, 116, 108];
const LIGHT = normalized([0.45, 0.75, 0.55]);

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
  for (const { at, normals, triangles } of placed) {
    for (let t = 0; t < triangles.length; t += 3) {
      const corner = [triangles[t], triangles[t + 1], triangles[t + 2]];
      const x = corner.map((p) => (at[p * 3] - midX) * scale + w / 2);
      const y = corner.map((p) => h / 2 - (at[p * 3 + 1] - midY) * scale);
      const z = corner.map((p) => at[p * 3 + 2]);
      const light = corner.map((p) => lightOn(normals, p, view));
      fillTriangle(x, y, z, light, w, h, depth, shade);
    }
  }
  return average(shade, width, height);
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

function fillTriangle(
  x: readonly number[],
  y: readonly number[],
  z: readonly number[],
  light: readonly number[],
  w: number,
  h: number,
  depth: Float32Array,
  shade: Float32Array,
): void {
  const area = (x[1] - x[0]) * (y[2] - y[0]) - (x[2] - x[0]) * (y[1] - y[0]);
  if (area === 0 || !Number.isFinite(area)) return;
  const left = Math.max(0, Math.ceil(Math.min(...x) - 0.5));
  const right = Math.min(w - 1, Math.floor(Math.max(...x) - 0.5));
  const top = Math.max(0, Math.ceil(Math.min(...y) - 0.5));
  const bottom = Math.min(h - 1, Math.floor(Math.max(...y) - 0.5));
  for (let py = top; py <= bottom; py++) {
    for (let px = left; px <= right; px++) {
      const [sx, sy] = [px + 0.5, py + 0.5];
      const a = ((x[1] - sx) * (y[2] - sy) - (x[2] - sx) * (y[1] - sy)) / area;
      const b = ((x[2] - sx) * (y[0] - sy) - (x[0] - sx) * (y[2] - sy)) / area;
      const c = 1 - a - b;
      if (a < 0 || b < 0 || c < 0) continue;
      const at = py * w + px;
      const near = a * z[0] + b * z[1] + c * z[2];
      if (near <= depth[at]) continue;
      depth[at] = near;
      shade[at] = a * light[0] + b * light[1] + c * light[2];
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
      for (let s = 0; s < SAMPLES * SAMPLES; s++) {
        const value = shade[(y * SAMPLES + Math.floor(s / SAMPLES)) * w + x * SAMPLES + (s % SAMPLES)];
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
