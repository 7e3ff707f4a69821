import {
  LayerMesh,
  picturePixels,
  type Picture as DrawnPicture,
  type Drawing,
  type LayerPart,
  type PicturePixels,
} from '../../drawing/index.ts';
import { boxAround } from '../../document/space/boundSpace.ts';
import type { Picture } from './drawPicture.ts';

/** Samples a pixel side; the picture is averaged down from them. */
const SAMPLES = 2;
const MARGIN = 0.04;
/** Sides of triangles are at least this share of the page's height. */
const SMALLEST = 1 / 200;

/**
 * A picture of a drawing in its own colours on a clear ground, whole: for cards and reports, without a graphics card.
 *
 * @param parts one a layer, with where the points are at rest
 * @param posed where they are in a pose, one a layer; the picture then holds all of it instead of the page
 */
export function drawDrawing(
  drawing: Drawing,
  parts: readonly LayerPart[],
  width: number,
  height: number,
  posed?: readonly Float32Array[],
): Picture {
  const [w, h] = [width * SAMPLES, height * SAMPLES];
  const [, , pageWidth, pageHeight] = drawing.page.map((length) => length * drawing.scale);
  const colours = new Float32Array(w * h * 4);
  const laid = drawing.layers.map((layer, i) => {
    const mesh = new LayerMesh(layer, parts[i], drawing, pageHeight * SMALLEST);
    const places = new Float32Array(mesh.count * 3);
    mesh.place(posed?.[i] ?? parts[i].positions, places);
    return { mesh, places };
  });
  const box = posed ? boxAround(laid.map(({ places }) => places)) : undefined;
  const least = box?.least ?? [-pageWidth / 2, 0];
  const most = box?.most ?? [pageWidth / 2, pageHeight];
  const [midX, midY] = [0, 1].map((k) => (least[k] + most[k]) / 2);
  const scale = (1 - 2 * MARGIN) * Math.min(w / (most[0] - least[0] || 1), h / (most[1] - least[1] || 1));
  for (const { mesh, places } of laid) {
    // Of one layer at a time: pixels take much memory.
    const looks = samplersOf(mesh, drawing.pictures ?? []);
    for (let t = 0; t < mesh.triangles.length; t += 3) {
      const corners = mesh.triangles.subarray(t, t + 3);
      const x = Array.from(corners, (p) => (places[p * 3] - midX) * scale + w / 2);
      const y = Array.from(corners, (p) => h / 2 - (places[p * 3 + 1] - midY) * scale);
      const own = Array.from(corners, (p) => mesh.colours.subarray(p * 4, p * 4 + 4));
      layTriangle(x, y, own, w, h, colours, looks[t / 3]?.(corners));
    }
  }
  return averaged(colours, width, height);
}

/** Red, green, blue and opacity of a picture, by the shares of a triangle's first two corners. */
type Sample = (a: number, b: number) => ArrayLike<number>;

/** By triangle, what samples its picture; nothing where it has none whose pixels can be read. */
function samplersOf(
  { pieces, uvs }: LayerMesh,
  pictures: readonly DrawnPicture[],
): (((corners: Uint32Array) => Sample) | undefined)[] {
  const held = new Map<number, PicturePixels | undefined>();
  const pixelsOf = (index: number): PicturePixels | undefined => {
    if (!held.has(index)) held.set(index, picturePixels(pictures[index]));
    return held.get(index);
  };
  return pieces.flatMap(({ paint, triangleCount }) => {
    const pixels = paint.picture && pixelsOf(paint.picture.index);
    const sampler = pixels && ((corners: Uint32Array): Sample => sampleOf(pixels, uvs, corners));
    return Array.from({ length: triangleCount }, () => sampler);
  });
}

function sampleOf({ width, height, data }: PicturePixels, uvs: Float32Array, corners: Uint32Array): Sample {
  const [p, q, r] = corners;
  return (a, b) => {
    const at = (k: number, size: number): number => {
      const value = a * uvs[p * 2 + k] + b * uvs[q * 2 + k] + (1 - a - b) * uvs[r * 2 + k];
      return Math.max(0, Math.min(size - 1, Math.floor(value * size)));
    };
    const from = (at(1, height) * width + at(0, width)) * 4;
    return data.subarray(from, from + 4);
  };
}

/** Lays the colours of three corners over what is there; samples on an edge between two triangles belong to one of them. */
function layTriangle(
  x: readonly number[],
  y: readonly number[],
  colours: readonly Uint8Array[],
  w: number,
  h: number,
  out: Float32Array,
  sample?: Sample,
): void {
  const area = (x[1] - x[0]) * (y[2] - y[0]) - (x[2] - x[0]) * (y[1] - y[0]);
  if (area === 0 || !Number.isFinite(area)) return;
  const [first, second, third] = colours;
  const top = Math.max(0, Math.ceil(Math.min(...y) - 0.5));
  const low = Math.min(h - 1, Math.floor(Math.max(...y) - 0.5));
  for (let py = top; py <= low; py++) {
    const sy = py + 0.5;
    const [from, to] = spanAt(x, y, sy);
    for (let px = Math.max(0, Math.ceil(from - 0.5)); px < Math.min(w, Math.ceil(to - 0.5)); px++) {
      const sx = px + 0.5;
      const a = ((x[1] - sx) * (y[2] - sy) - (x[2] - sx) * (y[1] - sy)) / area;
      const b = ((x[2] - sx) * (y[0] - sy) - (x[0] - sx) * (y[2] - sy)) / area;
      const seen = sample?.(a, b);
      const mix = (k: number): number =>
        seen && k < 3 ? seen[k] : a * first[k] + b * second[k] + (1 - a - b) * third[k];
      const share = (mix(3) / 255) * (seen ? seen[3] / 255 : 1);
      const at = (py * w + px) * 4;
      for (let k = 0; k < 3; k++) out[at + k] += share * (mix(k) - out[at + k]);
      out[at + 3] += share * (1 - out[at + 3]);
    }
  }
}

/** Where a line across meets a triangle. */
function spanAt(x: readonly number[], y: readonly number[], line: number): [number, number] {
  let [from, to] = [Infinity, -Infinity];
  for (let k = 0; k < 3; k++) {
    const next = (k + 1) % 3;
    if (y[k] > line === y[next] > line) continue;
    const at = x[k] + ((line - y[k]) / (y[next] - y[k])) * (x[next] - x[k]);
    from = Math.min(from, at);
    to = Math.max(to, at);
  }
  return [from, to];
}

function averaged(colours: Float32Array, width: number, height: number): Picture {
  const pixels = new Uint8Array(width * height * 4);
  const w = width * SAMPLES;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const sum = [0, 0, 0, 0];
      for (let s = 0; s < SAMPLES * SAMPLES; s++) {
        const at = ((y * SAMPLES + Math.floor(s / SAMPLES)) * w + x * SAMPLES + (s % SAMPLES)) * 4;
        // What is laid over nothing is as dark as it is clear.
        for (let k = 0; k < 3; k++) sum[k] += colours[at + k];
        sum[3] += colours[at + 3];
      }
      if (sum[3] === 0) continue;
      const to = (y * width + x) * 4;
      for (let k = 0; k < 3; k++) pixels[to + k] = Math.round(Math.min(255, sum[k] / sum[3]));
      pixels[to + 3] = Math.round((255 * sum[3]) / (SAMPLES * SAMPLES));
    }
  return { width, height, pixels };
}
