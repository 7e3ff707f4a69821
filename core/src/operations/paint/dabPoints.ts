import type { Neighbours } from '../../mesh/neighbours.ts';
import { falloffAt } from '../../math/falloff.ts';
import { gatherFootprint, type BrushTip, type FootprintWorkspace } from './brushFootprint.ts';

export const DEPTHS = ['surface', 'facing', 'through'] as const;
/**
 * What a brush reaches: `surface` by the distance along the surface, so that it never leaps to what lies near through the
 * air; `facing` what is within the radius and turned to the eye; `through` all within the radius, also behind.
 */
export type Depth = (typeof DEPTHS)[number];

export interface DabPlace extends BrushTip {
  readonly depth: Depth;
  /** The direction of sight, for `facing`. */
  readonly sight: readonly [number, number, number];
}

/** A part's surface as posed. */
export interface DabSurface {
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  readonly neighbours: Neighbours;
}

/**
 * The points under a dab and the brush's falloff at each.
 * @param seeds   corners of the polygon under the cursor; none where another part was hit
 * @param list    receives the points (capacity pointCount); `amounts` the falloff, 0..1
 * @returns the number of points
 */
export function gatherDab(
  { positions, normals, neighbours }: DabSurface,
  seeds: readonly number[],
  place: DabPlace,
  workspace: FootprintWorkspace,
  list: Uint32Array,
  amounts: Float32Array,
): number {
  if (place.depth === 'surface') {
    const count = gatherFootprint(positions, neighbours, seeds, place, workspace, list, amounts);
    return alongSurface(positions, neighbours, seeds, place, workspace, list, amounts, count);
  }
  const { centre, radius, falloff, sight } = place;
  const [cx, cy, cz] = centre;
  const facing = place.depth === 'facing';
  const most = radius * radius;
  let count = 0;
  for (let p = 0; p * 3 < positions.length; p++) {
    const dx = positions[p * 3] - cx;
    const dy = positions[p * 3 + 1] - cy;
    const dz = positions[p * 3 + 2] - cz;
    const squared = dx * dx + dy * dy + dz * dz;
    if (squared >= most) continue;
    if (facing) {
      const toward =
        normals[p * 3] * sight[0] + normals[p * 3 + 1] * sight[1] + normals[p * 3 + 2] * sight[2];
      if (toward >= 0) continue;
    }
    list[count] = p;
    amounts[count++] = falloffAt(falloff, Math.sqrt(squared) / radius);
  }
  return count;
}

/** Paths along edges are longer than the surface itself by about this much, on quads and triangles alike. */
const DETOUR = 1.08;

/**
 * Keeps, of the points that the footprint has met, those whose distance along the surface is within the radius, and fades them by
 * that distance: the longer of the straight distance and the shortest path along edges (Dijkstra 1959), less their detour.
 */
function alongSurface(
  positions: Float32Array,
  { offsets, points }: Neighbours,
  seeds: readonly number[],
  { centre, radius, falloff }: BrushTip,
  workspace: FootprintWorkspace,
  list: Uint32Array,
  amounts: Float32Array,
  met: number,
): number {
  const geodesicDistances = (workspace.geodesicDistances ??= new Float32Array(workspace.stamp.length));
  for (let i = 0; i < met; i++) geodesicDistances[list[i]] = Infinity;
  const straight = (p: number): number =>
    Math.hypot(
      positions[p * 3] - centre[0],
      positions[p * 3 + 1] - centre[1],
      positions[p * 3 + 2] - centre[2],
    );
  // A queue in buckets of the path's length: within a bucket the order does not matter.
  const buckets: number[][] = Array.from({ length: BUCKETS + 1 }, () => []);
  const reach = radius * DETOUR;
  const put = (p: number, distance: number): void => {
    if (distance >= geodesicDistances[p] || distance >= reach) return;
    geodesicDistances[p] = distance;
    buckets[Math.floor((distance / reach) * BUCKETS)].push(p);
  };
  for (const seed of seeds) if (workspace.stamp[seed] === workspace.current) put(seed, straight(seed));
  for (const bucket of buckets) {
    for (let i = 0; i < bucket.length; i++) {
      const p = bucket[i];
      const own = geodesicDistances[p];
      const [x, y, z] = [positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]];
      for (let e = offsets[p]; e < offsets[p + 1]; e++) {
        const q = points[e];
        if (workspace.stamp[q] !== workspace.current) continue;
        const dx = positions[q * 3] - x;
        const dy = positions[q * 3 + 1] - y;
        const dz = positions[q * 3 + 2] - z;
        put(q, own + Math.sqrt(dx * dx + dy * dy + dz * dz));
      }
    }
  }
  let count = 0;
  for (let i = 0; i < met; i++) {
    const p = list[i];
    const distance = Math.max(straight(p), geodesicDistances[p] / DETOUR);
    if (!(distance < radius)) continue;
    list[count] = p;
    amounts[count++] = falloffAt(falloff, distance / radius);
  }
  return count;
}

const BUCKETS = 48;
