import type { Neighbours } from '../../mesh/neighbours.ts';
import { falloffAt, type Falloff, type FalloffCurve } from '../../math/falloff.ts';

/** Memory for gathering, made once a part. `stamp` tells which points this gathering has met. */
export interface FootprintWorkspace {
  readonly stamp: Uint32Array;
  current: number;
  /** Float32Array, pointCount: geodesic distances, in the units of `positions`; made when first needed. */
  geodesicDistances?: Float32Array;
}

export function createFootprintWorkspace(pointCount: number): FootprintWorkspace {
  return { stamp: new Uint32Array(pointCount), current: 0 };
}

export interface BrushTip {
  /** Centre, in the space of `positions`. */
  readonly centre: readonly [number, number, number];
  /** In scene units; above zero. */
  readonly radius: number;
  readonly falloff: Falloff | FalloffCurve;
}

/**
 * The points under a brush: those within the radius that hang together, along edges inside the radius, with the points
 * that were hit. So a brush on one leg does not reach the other, however near it is.
 *
 * @param positions Float32Array, 3·pointCount, as posed
 * @param seeds     corners of the polygon under the cursor
 * @param list      receives the points (capacity pointCount); `amounts` the falloff at each, 0..1
 * @returns the number of points
 */
export function gatherFootprint(
  positions: Float32Array,
  { offsets, points }: Neighbours,
  seeds: readonly number[],
  { centre, radius, falloff }: BrushTip,
  workspace: FootprintWorkspace,
  list: Uint32Array,
  amounts: Float32Array,
): number {
  const { stamp } = workspace;
  const mark = ++workspace.current;
  const [cx, cy, cz] = centre;
  const radiusSquared = radius * radius;
  let count = 0;
  const meet = (point: number): void => {
    if (stamp[point] === mark) return;
    stamp[point] = mark;
    const dx = positions[point * 3] - cx;
    const dy = positions[point * 3 + 1] - cy;
    const dz = positions[point * 3 + 2] - cz;
    const distanceSquared = dx * dx + dy * dy + dz * dz;
    if (distanceSquared >= radiusSquared) return;
    list[count] = point;
    amounts[count] = falloffAt(falloff, Math.sqrt(distanceSquared) / radius);
    count++;
  };
  for (const seed of seeds) meet(seed);
  for (let head = 0; head < count; head++) {
    const point = list[head];
    for (let k = offsets[point]; k < offsets[point + 1]; k++) meet(points[k]);
  }
  return count;
}
