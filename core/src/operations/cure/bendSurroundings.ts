import type { Neighbours } from '../../mesh/neighbours.ts';

/** How far about a bend weights may change, as a share of how thick it is there. */
const REACH = 0.8;

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
  const far = Array.from(points, (p) => Math.hypot(...[0, 1, 2].map((k) => rest[p * 3 + k] - joint[k]))).sort(
    (a, b) => a - b,
  );
  // The nearer half of the points tells the thickness; the farther ones are what the joint moves along.
  const reach = REACH * far[Math.floor(far.length / 4)];
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
