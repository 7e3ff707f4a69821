import earcut from 'earcut';
import { cross, subtract, type Vec3 } from '../math/vector.ts';

/**
 * A polygon as triangles, counter-clockwise like itself. Convex ones become a fan from their first corner, which is how quads
 * are known again; others are cut at their ears, seen along their normal.
 *
 * @param corners numbers of vertices, three or more
 * @param placeOf where a vertex stands
 * @param put     takes a triangle's vertices
 */
export function triangulate(
  corners: readonly number[],
  placeOf: (vertex: number) => Vec3,
  put: (a: number, b: number, c: number) => void,
): void {
  if (corners.length === 3) {
    put(corners[0], corners[1], corners[2]);
    return;
  }
  const places = corners.map(placeOf);
  const normal = newellNormal(places);
  if (isConvex(places, normal)) {
    for (let k = 2; k < corners.length; k++) put(corners[0], corners[k - 1], corners[k]);
    return;
  }
  // Seen along the greatest share of the normal, as it is or from behind.
  const flat = normal.map(Math.abs);
  const axis = flat.indexOf(Math.max(...flat));
  const [u, v] = normal[axis] > 0 ? [(axis + 1) % 3, (axis + 2) % 3] : [(axis + 2) % 3, (axis + 1) % 3];
  const cut = earcut(places.flatMap((place) => [place[u], place[v]]));
  for (let k = 0; k < cut.length; k += 3) {
    const [a, b, c] = [cut[k], cut[k + 1], cut[k + 2]];
    const turn =
      (places[b][u] - places[a][u]) * (places[c][v] - places[a][v]) -
      (places[b][v] - places[a][v]) * (places[c][u] - places[a][u]);
    put(corners[a], corners[turn < 0 ? c : b], corners[turn < 0 ? b : c]);
  }
}

/** Newell's normal of a polygon that need not be flat; not of length one. */
function newellNormal(places: readonly Vec3[]): Vec3 {
  const sum: [number, number, number] = [0, 0, 0];
  places.forEach((from, i) => {
    const to = places[(i + 1) % places.length];
    for (let k = 0; k < 3; k++) {
      const [a, b] = [(k + 1) % 3, (k + 2) % 3];
      sum[k] += (from[a] - to[a]) * (from[b] + to[b]);
    }
  });
  return sum;
}

function isConvex(places: readonly Vec3[], normal: Vec3): boolean {
  const count = places.length;
  return places.every((place, i) => {
    const next = places[(i + 1) % count];
    const turn = cross(subtract(next, place), subtract(places[(i + 2) % count], next));
    return turn[0] * normal[0] + turn[1] * normal[1] + turn[2] * normal[2] >= 0;
  });
}
