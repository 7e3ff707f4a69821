/** A place of the drawing, in its pixels; y grows downwards. A corner where `sharp`. */
export interface Place {
  readonly x: number;
  readonly y: number;
  readonly sharp?: boolean;
}

export const at = (x: number, y: number, sharp = false): Place => ({ x, y, sharp });

const number = (value: number): string => String(Math.round(value * 100) / 100);
const pair = ({ x, y }: Place): string => `${number(x)} ${number(y)}`;

/** How far handles reach toward the neighbours. */
const REACH = 1 / 6;

/** A closed path through places, smooth but at corners: each handle lies along its neighbours' chord (Catmull–Rom). */
export function closedPath(places: readonly Place[]): string {
  const count = places.length;
  const handle = (k: number, toward: 1 | -1): Place => {
    const here = places[k];
    if (here.sharp) return here;
    const [before, after] = [places[(k + count - 1) % count], places[(k + 1) % count]];
    return at(here.x + toward * REACH * (after.x - before.x), here.y + toward * REACH * (after.y - before.y));
  };
  const curves = places.map((here, k) => {
    const next = (k + 1) % count;
    if (here.sharp && places[next].sharp) return next === 0 ? '' : `L${pair(places[next])}`;
    return `C${pair(handle(k, 1))} ${pair(handle(next, -1))} ${pair(places[next])}`;
  });
  return `M${pair(places[0])}${curves.join('')}Z`;
}

/** A stop on a limb's way: where it is, how wide the limb is there, and whether the outline has points there. */
export interface Stop {
  readonly x: number;
  readonly y: number;
  readonly width: number;
}

/** The outline of a limb along its stops, with round ends. */
export function limb(stops: readonly Stop[]): Place[] {
  const sides: [Place[], Place[]] = [[], []];
  stops.forEach(({ x, y, width }, k) => {
    const [from, to] = [stops[Math.max(0, k - 1)], stops[Math.min(stops.length - 1, k + 1)]];
    const length = Math.hypot(to.x - from.x, to.y - from.y);
    const [dx, dy] = [(to.x - from.x) / length, (to.y - from.y) / length];
    sides[0].push(at(x - (dy * width) / 2, y + (dx * width) / 2));
    sides[1].unshift(at(x + (dy * width) / 2, y - (dx * width) / 2));
  });
  const cap = (end: Stop, before: Stop): Place => {
    const length = Math.hypot(end.x - before.x, end.y - before.y);
    return at(
      end.x + ((end.x - before.x) / length) * end.width * 0.45,
      end.y + ((end.y - before.y) / length) * end.width * 0.45,
    );
  };
  return [
    ...sides[0],
    cap(stops[stops.length - 1], stops[stops.length - 2]),
    ...sides[1],
    cap(stops[0], stops[1]),
  ];
}

/** Places between two stops, so that a limb has points along its way. */
export function along(from: Stop, to: Stop, shares: readonly number[]): Stop[] {
  return shares.map((share) => ({
    x: from.x + share * (to.x - from.x),
    y: from.y + share * (to.y - from.y),
    width: from.width + share * (to.width - from.width),
  }));
}
