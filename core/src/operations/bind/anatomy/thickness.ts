import { cross, distance, type Vec3, normalize } from '../../../math/vector.ts';
import { FACTOR_STEPS } from '../../../skeleton/bones.ts';
import { isInside, type Solid } from '../../../spatial/solid.ts';

/** How far a ray stays inside, in whole steps. */
export function rayInside(solid: Solid, [x, y, z]: Vec3, [dx, dy, dz]: Vec3, step: number): number {
  let t = 0;
  while (isInside(solid, x + dx * (t + step), y + dy * (t + step), z + dz * (t + step))) t += step;
  return t;
}

/** Bones that meet in a joint are equally thick there, so that the border between them lies square to both. */
export function shareEnds(ends: Float32Array, radii: Float32Array, same: number): void {
  const count = ends.length / 6;
  const slotOf = (end: number): number => (end >> 1) * FACTOR_STEPS + (end & 1) * (FACTOR_STEPS - 1);
  const taken = new Uint8Array(count * 2);
  for (let a = 0; a < count * 2; a++) {
    if (taken[a]) continue;
    const group = [a];
    for (let b = a + 1; b < count * 2; b++) {
      const far = Math.hypot(...[0, 1, 2].map((k) => ends[a * 3 + k] - ends[b * 3 + k]));
      if (!taken[b] && far < same) group.push(b);
    }
    if (group.length === 1) continue;
    const mean = group.reduce((sum, end) => sum + radii[slotOf(end)], 0) / group.length;
    for (const end of group) {
      taken[end] = 1;
      radii[slotOf(end)] = mean;
    }
  }
}

export const SPOKES = 8;

/** Unit ways across a bone, evenly around it. */
export function spokesAround(from: Vec3, to: Vec3): Vec3[] {
  const length = distance(from, to);
  const axis: Vec3 =
    length > 0
      ? [(to[0] - from[0]) / length, (to[1] - from[1]) / length, (to[2] - from[2]) / length]
      : [0, 1, 0];
  // Any way that is not along the axis: across its smallest component.
  const least = axis.map(Math.abs).indexOf(Math.min(...axis.map(Math.abs)));
  const other = [0, 0, 0];
  other[least] = 1;
  const u = normalize(cross(axis, other));
  const v = cross(axis, u);
  return Array.from({ length: SPOKES }, (_, k) => {
    const [c, s] = [Math.cos((2 * Math.PI * k) / SPOKES), Math.sin((2 * Math.PI * k) / SPOKES)];
    return [u[0] * c + v[0] * s, u[1] * c + v[1] * s, u[2] * c + v[2] * s] as const;
  });
}
