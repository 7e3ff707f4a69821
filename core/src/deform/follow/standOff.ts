import { type NearestPlaces, nearestPlaces } from '../../spatial/nearestPlaces.ts';

/** How places stand to a surface. */
export interface StandOff {
  readonly nearest: NearestPlaces;
  /** Float32Array, by place: how far it stands off the surface, below zero under it; scene units. */
  readonly heights: Float32Array;
}

/** A surface with what side its outside is on. */
export interface SidedSurface {
  /** Float32Array, 3 a point. */
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  readonly triangles: Uint32Array;
}

/**
 * How far places stand off a surface, and which of them lie under it: by the normal at the nearest place. The surface has
 * triangles.
 *
 * @param places Float32Array, 3 a place, in the surface's space
 */
export async function standOff(surface: SidedSurface, places: Float32Array): Promise<StandOff> {
  const nearest = await nearestPlaces(surface.positions, surface.triangles, places);
  const heights = nearest.distances.map((distance, p) =>
    rises(surface, nearest, places, p) < 0 ? -distance : distance,
  );
  return { nearest, heights };
}

/** Below zero for a place beneath the surface. */
function rises(
  { positions, normals, triangles }: SidedSurface,
  nearest: NearestPlaces,
  places: Float32Array,
  p: number,
): number {
  const corner = nearest.triangles[p] * 3;
  const a = triangles[corner] * 3;
  const b = triangles[corner + 1] * 3;
  const c = triangles[corner + 2] * 3;
  const u = nearest.shares[p * 3];
  const v = nearest.shares[p * 3 + 1];
  const w = nearest.shares[p * 3 + 2];
  let over = 0;
  for (let k = 0; k < 3; k++) {
    const at = u * positions[a + k] + v * positions[b + k] + w * positions[c + k];
    const normal = u * normals[a + k] + v * normals[b + k] + w * normals[c + k];
    over += (places[p * 3 + k] - at) * normal;
  }
  return over;
}
