import { type Picture, type Raster, SAMPLES } from './drawPicture.ts';

/** From no weight to all of it: bare clay, sand, sea-green, deep ink; darker all the way, so that it is read in grey. */
const TIDE: readonly (readonly [number, readonly [number, number, number]])[] = [
  [0, [0xe4, 0xdb, 0xcb]],
  [0.12, [0xdc, 0xd3, 0xa8]],
  [0.3, [0xa9, 0xc3, 0xa0]],
  [0.5, [0x6a, 0xa5, 0x8f]],
  [0.68, [0x34, 0x80, 0x8a]],
  [0.84, [0x1f, 0x54, 0x75]],
  [1, [0x16, 0x26, 0x4f]],
];
const INK = [0x1e, 0x27, 0x40];
/** How much of the light is left in the darkest fold. */
const DARKEST = 0.62;

/** The ramp in steps, three numbers a step: a picture shows no more than that. */
const STEPS = 255;
const RAMP = Float32Array.from({ length: (STEPS + 1) * 3 }, (_, i) => tide(Math.floor(i / 3) / STEPS)[i % 3]);

/**
 * A picture of how much of a surface follows something, in the colours of the relief.
 * @param weights by point, counted over all meshes of the raster: 0 to 1
 */
export function drawWeights({ width, height, shade, owner }: Raster, weights: Float32Array): Picture {
  const pixels = new Uint8Array(width * height * 4);
  const w = width * SAMPLES;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      let red = 0;
      let green = 0;
      let blue = 0;
      let covered = 0;
      const first = y * SAMPLES * w + x * SAMPLES;
      for (let s = 0; s < SAMPLES * SAMPLES; s++) {
        const at = first + (s >> 1) * w + (s & 1);
        if (shade[at] < 0) continue;
        covered++;
        const step = Math.round(STEPS * Math.min(1, Math.max(0, weights[owner[at]]))) * 3;
        const light = DARKEST + (1 - DARKEST) * Math.min(1, shade[at]);
        red += RAMP[step] * light;
        green += RAMP[step + 1] * light;
        blue += RAMP[step + 2] * light;
      }
      if (covered === 0) continue;
      const to = (y * width + x) * 4;
      pixels[to] = Math.round(red / covered);
      pixels[to + 1] = Math.round(green / covered);
      pixels[to + 2] = Math.round(blue / covered);
      pixels[to + 3] = Math.round((255 * covered) / (SAMPLES * SAMPLES));
    }
  return { width, height, pixels };
}

function tide(weight: number): readonly number[] {
  let i = 1;
  while (i < TIDE.length - 1 && TIDE[i][0] < weight) i++;
  const [[from, a], [to, b]] = [TIDE[i - 1], TIDE[i]];
  const share = Math.min(1, Math.max(0, (weight - from) / (to - from)));
  return a.map((x, k) => x + (b[k] - x) * share);
}

/**
 * Draws bones as thin strokes and joints as small lozenges over a picture.
 * @param places  by joint: where it stands, in the scene
 * @param parents by joint: the one above it, −1 for none
 */
export function drawSkeleton(
  picture: Picture,
  raster: Raster,
  places: readonly (readonly number[])[],
  parents: readonly number[],
): Picture {
  const drawn = { ...picture, pixels: picture.pixels.slice() };
  const at = places.map((place) => raster.project(place));
  parents.forEach((parent, joint) => {
    if (parent >= 0) stroke(drawn, at[parent], at[joint]);
  });
  for (const [x, y] of at)
    for (let dy = -2; dy <= 2; dy++)
      for (let dx = -2; dx <= 2; dx++)
        if (Math.abs(dx) + Math.abs(dy) <= 2) ink(drawn, Math.round(x) + dx, Math.round(y) + dy);
  return drawn;
}

function stroke(picture: Picture, [ax, ay]: readonly number[], [bx, by]: readonly number[]): void {
  const steps = Math.min(4000, Math.max(1, Math.ceil(Math.max(Math.abs(bx - ax), Math.abs(by - ay)))));
  for (let i = 0; i <= steps; i++)
    ink(picture, Math.round(ax + ((bx - ax) * i) / steps), Math.round(ay + ((by - ay) * i) / steps));
}

function ink({ width, height, pixels }: Picture, x: number, y: number): void {
  if (x < 0 || y < 0 || x >= width || y >= height) return;
  const at = (y * width + x) * 4;
  for (let k = 0; k < 3; k++) pixels[at + k] = INK[k];
  pixels[at + 3] = 255;
}
