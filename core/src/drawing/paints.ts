import type { Gradient, Paint } from './drawing.ts';

/** What paints need: where the drawing's own places are in the scene. */
export interface PageScale {
  readonly page: readonly [number, number, number, number];
  readonly scale: number;
}

/** The colour that a paint has at a place of the scene at rest, as red, green, blue and opacity from 0 to 1. */
export function colourAt(
  { colour, opacity, gradient }: Paint,
  x: number,
  y: number,
  { page, scale }: PageScale,
): readonly [number, number, number, number] {
  if (!gradient) return [...rgbOf(colour), opacity];
  const [r, g, b, share] = stopAt(gradient, x / scale + page[0] + page[2] / 2, page[1] + page[3] - y / scale);
  return [r, g, b, share * opacity];
}

/** Where a place of the scene at rest lies on a paint's picture. */
export function pictureAt(
  { picture }: Paint,
  x: number,
  y: number,
  { page, scale }: PageScale,
): readonly [number, number] {
  if (!picture) return [0, 0];
  const [a, b, c, d, e, f] = picture.place;
  const [u, v] = [x / scale + page[0] + page[2] / 2, page[1] + page[3] - y / scale];
  return [a * u + c * v + e, b * u + d * v + f];
}

function stopAt(
  { kind, place: [a, b, c, d, e, f], spread, stops }: Gradient,
  x: number,
  y: number,
): [number, number, number, number] {
  const along = a * x + c * y + e;
  const at = spreadOut(kind === 'linear' ? along : Math.hypot(along, b * x + d * y + f), spread);
  const next = stops.findIndex((stop) => stop.at >= at);
  const after = stops[next < 0 ? stops.length - 1 : next];
  const before = next > 0 ? stops[next - 1] : after;
  const share =
    after.at > before.at ? Math.max(0, Math.min(1, (at - before.at) / (after.at - before.at))) : 1;
  const [low, high] = [rgbOf(before.colour), rgbOf(after.colour)];
  const mix = (from: number, to: number): number => from + share * (to - from);
  return [
    mix(low[0], high[0]),
    mix(low[1], high[1]),
    mix(low[2], high[2]),
    mix(before.opacity, after.opacity),
  ];
}

function spreadOut(at: number, spread: Gradient['spread']): number {
  if (spread === 'pad') return Math.max(0, Math.min(1, at));
  const turn = at - Math.floor(at);
  return spread === 'repeat' || Math.floor(at) % 2 === 0 ? turn : 1 - turn;
}

/** A colour written as `#rrggbb`, as its three values from 0 to 1. */
function rgbOf(hex: string): [number, number, number] {
  const value = Number.parseInt(hex.slice(1), 16);
  return [(value >> 16) / 255, ((value >> 8) & 255) / 255, (value & 255) / 255];
}
