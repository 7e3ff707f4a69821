import type { Neighbours } from '../../mesh/neighbours.ts';

/** How far about a bend weights may change, as a share of how thick it is there. */
const REACH = 0.8;

/** How far the surface is from a joint: the nearer half of a bend's points tells it; the farther ones are what it moves along. */
export function thicknessAt(rest: Float32Array, points: Uint32Array, joint: ArrayLike<number>): number {
  const far = Float64Array.from(points, (p) =>
    Math.hypot(rest[p * 3] - joint[0], rest[p * 3 + 1] - joint[1], rest[p * 3 + 2] - joint[2]),
  ).sort();
  return far[Math.floor(far.length / 4)];
}

/**
 * A bend's points, and those about it along the surface as far as it is thick: there it has room to bend softly.
 * @param rest   Float32Array, 3 a point, scene space
 * @param points of the bend
 * @param joint  where the joint stands, in the scene
 */
export function bendSurroundings(
  rest: Float32Array,
  { offsets, points: next }: Neighbours,
  points: Uint32Array,
  joint: ArrayLike<number>,
): Uint32Array {
  const reach = REACH * thicknessAt(rest, points, joint);
  const away = new Map<number, number>(Array.from(points, (p) => [p, 0]));
  let edge = [...points];
  while (edge.length > 0) {
    const found: number[] = [];
    for (const p of edge)
      for (let n = offsets[p]; n < offsets[p + 1]; n++) {
        const q = next[n];
        const length = Math.hypot(...[0, 1, 2].map((k) => rest[q * 3 + k] - rest[p * 3 + k]));
        const total = (away.get(p) ?? 0) + length;
        if (total > reach || total >= (away.get(q) ?? Infinity)) continue;
        away.set(q, total);
        found.push(q);
      }
    edge = found;
  }
  return Uint32Array.from(away.keys()).sort();
}
