import type { Change } from '@judoka/core/weights';
import { PackReader, PackWriter } from './packBytes.ts';

/**
 * Which points a change is of, as bytes that are quick to hold against others: a part's points as spans, where each begins
 * and ends alternating in one rising list.
 */
export function packPlaces(change: Change): Buffer {
  const writer = new PackWriter();
  for (const { part, points } of change) {
    const ends: number[] = [];
    for (let from = 0, to = 1; from < points.length; from = to++) {
      while (to < points.length && points[to] === points[to - 1] + 1) to++;
      ends.push(points[from], points[to - 1] + 1);
    }
    writer.u32(part);
    writer.u32(ends.length);
    writer.rising(Uint32Array.from(ends));
  }
  return Buffer.from(writer.finish());
}

/**
 * How many of the marked points a change is of.
 * @param marked by part, Uint8Array: not 0 where a point is asked about
 */
export function countMarked(places: Uint8Array, marked: ReadonlyMap<number, Uint8Array>): number {
  const reader = new PackReader(places);
  let count = 0;
  while (!reader.isAtEnd) {
    const mask = marked.get(reader.u32());
    const ends = reader.rising(reader.u32());
    if (!mask) continue;
    for (let i = 0; i < ends.length; i += 2)
      for (let p = ends[i], to = Math.min(ends[i + 1], mask.length); p < to; p++) if (mask[p] !== 0) count++;
  }
  return count;
}
