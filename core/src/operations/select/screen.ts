/** A surface as a camera sees it. */
export interface ScreenSurface {
  /** Float32Array, 3·pointCount, scene. */
  readonly positions: Float32Array;
  readonly triangles: Uint32Array;
}

/** How the scene falls on a picture of `width` × `height` cells; `matrix` is projection · view, column-major. */
export interface ScreenView {
  readonly matrix: ArrayLike<number>;
  readonly width: number;
  readonly height: number;
}

/** Places in the picture and depths: Float32Array, 3·pointCount; depth is Infinity behind the eye. */
export function projectPoints(
  { matrix: m, width, height }: ScreenView,
  positions: Float32Array,
): Float32Array {
  const out = new Float32Array(positions.length);
  for (let i = 0; i < positions.length; i += 3) {
    const [x, y, z] = [positions[i], positions[i + 1], positions[i + 2]];
    const w = m[3] * x + m[7] * y + m[11] * z + m[15];
    const inverse = 1 / w;
    out[i] = (0.5 + 0.5 * (m[0] * x + m[4] * y + m[8] * z + m[12]) * inverse) * width;
    out[i + 1] = (0.5 - 0.5 * (m[1] * x + m[5] * y + m[9] * z + m[13]) * inverse) * height;
    // The distance along the line of sight, which does not bunch up far away.
    out[i + 2] = w > 1e-9 ? w : Infinity;
  }
  return out;
}

/**
 * Which points are seen: those that no surface lies before, by a picture of depths.
 * @param slack how far behind a surface a point may lie and still count as on it, as a share of its distance
 * @returns one mask a surface
 */
export function seenPoints(view: ScreenView, surfaces: readonly ScreenSurface[], slack = 4e-3): Uint8Array[] {
  const { width, height } = view;
  const nearest = new Float32Array(width * height).fill(Infinity);
  const projected = surfaces.map(({ positions }) => projectPoints(view, positions));
  surfaces.forEach(({ triangles }, i) => {
    for (let t = 0; t < triangles.length; t += 3)
      fillTriangle(
        nearest,
        width,
        height,
        projected[i],
        triangles[t] * 3,
        triangles[t + 1] * 3,
        triangles[t + 2] * 3,
      );
  });
  return projected.map((at) => {
    const seen = new Uint8Array(at.length / 3);
    for (let p = 0; p < seen.length; p++) {
      const [x, y, depth] = [Math.floor(at[p * 3]), Math.floor(at[p * 3 + 1]), at[p * 3 + 2]];
      if (!(x >= 0 && y >= 0 && x < width && y < height && depth < Infinity)) continue;
      seen[p] = depth <= deepestAround(nearest, width, height, x, y) * (1 + slack) ? 1 : 0;
    }
    return seen;
  });
}

/** The farthest of a cell and its neighbours: on an edge of the silhouette a cell may show what is behind it. */
function deepestAround(nearest: Float32Array, width: number, height: number, x: number, y: number): number {
  let deepest = 0;
  for (let v = Math.max(0, y - 1); v <= Math.min(height - 1, y + 1); v++) {
    for (let u = Math.max(0, x - 1); u <= Math.min(width - 1, x + 1); u++) {
      const depth = nearest[v * width + u];
      if (depth !== Infinity && depth > deepest) deepest = depth;
    }
  }
  return deepest === 0 ? Infinity : Math.min(deepest, nearest[y * width + x] * 1.02);
}

function fillTriangle(
  nearest: Float32Array,
  width: number,
  height: number,
  at: Float32Array,
  a: number,
  b: number,
  c: number,
): void {
  const ax = at[a] - 0.5;
  const ay = at[a + 1] - 0.5;
  const bx = at[b] - 0.5;
  const by = at[b + 1] - 0.5;
  const cx = at[c] - 0.5;
  const cy = at[c + 1] - 0.5;
  const fromX = Math.max(0, Math.ceil(ax < bx ? (ax < cx ? ax : cx) : bx < cx ? bx : cx));
  const toX = Math.min(width - 1, Math.floor(ax > bx ? (ax > cx ? ax : cx) : bx > cx ? bx : cx));
  if (fromX > toX) return;
  const fromY = Math.max(0, Math.ceil(ay < by ? (ay < cy ? ay : cy) : by < cy ? by : cy));
  const toY = Math.min(height - 1, Math.floor(ay > by ? (ay > cy ? ay : cy) : by > cy ? by : cy));
  if (fromY > toY) return;
  const area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
  if (!(Math.abs(area) > 1e-9) || at[a + 2] + at[b + 2] + at[c + 2] === Infinity) return;
  // One over the distance is linear on the picture.
  const inverse = 1 / area;
  const za = inverse / at[a + 2];
  const zb = inverse / at[b + 2];
  const zc = inverse / at[c + 2];
  const sign = area > 0 ? 1 : -1;
  for (let y = fromY; y <= toY; y++) {
    for (let x = fromX; x <= toX; x++) {
      const u = (bx - x) * (cy - y) - (by - y) * (cx - x);
      const v = (cx - x) * (ay - y) - (cy - y) * (ax - x);
      const w = area - u - v;
      if (u * sign < 0 || v * sign < 0 || w * sign < 0) continue;
      const depth = 1 / (u * za + v * zb + w * zc);
      if (depth < nearest[y * width + x]) nearest[y * width + x] = depth;
    }
  }
}

/** Rows that a closed line is sorted into: a place is looked at against the few edges that pass its row. */
const LINE_ROWS = 256;

/** Which places of the picture (x, y, …, three numbers a point) lie in a closed line, by its winding (even–odd). */
export function insideLine(at: Float32Array, line: Float32Array): Uint8Array {
  const inside = new Uint8Array(at.length / 3);
  const corners = line.length / 2;
  let [left, right, top, bottom] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let i = 0; i < corners; i++) {
    left = Math.min(left, line[i * 2]);
    right = Math.max(right, line[i * 2]);
    top = Math.min(top, line[i * 2 + 1]);
    bottom = Math.max(bottom, line[i * 2 + 1]);
  }
  if (!(bottom > top)) return inside;
  const scale = (LINE_ROWS - 1e-6) / (bottom - top);
  const rows: number[][] = Array.from({ length: LINE_ROWS }, () => []);
  for (let i = 0; i < corners; i++) {
    const k = i === 0 ? corners - 1 : i - 1;
    const [low, high] = [line[i * 2 + 1], line[k * 2 + 1]].sort((a, b) => a - b);
    for (let row = Math.floor((low - top) * scale); row <= Math.floor((high - top) * scale); row++)
      rows[row].push(i);
  }
  for (let p = 0; p < inside.length; p++) {
    const x = at[p * 3];
    const y = at[p * 3 + 1];
    if (!(x >= left && x <= right && y >= top && y <= bottom) || at[p * 3 + 2] === Infinity) continue;
    const edges = rows[Math.floor((y - top) * scale)];
    let odd = 0;
    for (let e = 0; e < edges.length; e++) {
      const i = edges[e];
      const k = i === 0 ? corners - 1 : i - 1;
      const yi = line[i * 2 + 1];
      const yk = line[k * 2 + 1];
      if (yi > y === yk > y) continue;
      if (x < ((line[k * 2] - line[i * 2]) * (y - yi)) / (yk - yi) + line[i * 2]) odd ^= 1;
    }
    inside[p] = odd;
  }
  return inside;
}
