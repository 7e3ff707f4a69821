import type { FillRule } from './drawing.ts';

/** Closed lines of places: where each begins, and behind the last; 2 numbers a place. */
export interface ClosedLines {
  readonly places: Float32Array;
  readonly lines: readonly number[];
}

/** Whether a place is filled: how often the lines run around it (the winding number), or whether that is odd. */
export function isInside({ places, lines }: ClosedLines, x: number, y: number, rule: FillRule): boolean {
  let winding = 0;
  let crossings = 0;
  for (let line = 0; line + 1 < lines.length; line++) {
    const [from, to] = [lines[line], lines[line + 1]];
    for (let k = from, before = to - 1; k < to; before = k++) {
      const above = places[k * 2 + 1] > y;
      if (above === places[before * 2 + 1] > y) continue;
      const share = (y - places[k * 2 + 1]) / (places[before * 2 + 1] - places[k * 2 + 1]);
      if (x >= places[k * 2] + share * (places[before * 2] - places[k * 2])) continue;
      crossings++;
      winding += above ? 1 : -1;
    }
  }
  return rule === 'evenodd' ? crossings % 2 === 1 : winding !== 0;
}
