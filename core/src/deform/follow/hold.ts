import { type Anchors, anchorTo, type DriverSurface, usedPoints } from './anchors.ts';
import { coordinatesInCage } from './coordinatesInCage.ts';

/** Places in a cage: mean value coordinates of its points. */
export interface CageHold {
  readonly kind: 'cage';
  /** The driver's points that faces use, rising. */
  readonly points: Uint32Array;
  /** Float32Array, `points` a place: how much of each it is made of; sums to one. */
  readonly coordinates: Float32Array;
  /** Float32Array, by place: how far it stands off the cage, below zero within. */
  readonly heights: Float32Array;
}

/** What places hold on to: a surface, or a cage about them. */
export type Hold = Anchors | CageHold;

/** More points are no cage; nor is it one for so many places that the coordinates become too many. */
export const MAX_CAGE_POINTS = 1000;
export const MAX_COORDINATES = 10_000_000;
/** A cage has at least this share of the places within. */
const WITHIN = 0.9;

/**
 * What places hold on to of another surface. A closed one of few points, with most of the places within, is a cage; any other,
 * and a cage with holes, is a surface that they keep their distance from.
 *
 * @param places Float32Array, 3 a place, in the surface's space
 * @param watch  told how far it is, 0 to 1; may throw to end it
 * @returns undefined where the surface has no triangles
 */
export async function holdOn(
  surface: DriverSurface,
  places: Float32Array,
  watch?: (share: number) => void,
): Promise<Hold | undefined> {
  const anchors = await anchorTo(surface, places, watch);
  if (!anchors) return undefined;
  const points = usedPoints(surface);
  const count = anchors.heights.length;
  if (points.length > MAX_CAGE_POINTS || points.length * count > MAX_COORDINATES) return anchors;
  const within = anchors.heights.reduce((sum, height) => sum + (height < 0 ? 1 : 0), 0);
  if (within < WITHIN * count || !isClosed(surface.triangles)) return anchors;
  return {
    kind: 'cage',
    points,
    coordinates: await coordinatesIn(surface, points, places),
    heights: anchors.heights,
  };
}

function coordinatesIn(
  { positions, triangles }: DriverSurface,
  points: Uint32Array,
  places: Float32Array,
): Promise<Float32Array> {
  const numbers = new Map(Array.from(points, (p, i) => [p, i]));
  const cage = {
    positions: Float32Array.from(
      { length: points.length * 3 },
      (_, i) => positions[points[Math.floor(i / 3)] * 3 + (i % 3)],
    ),
    triangles: triangles.map((p) => numbers.get(p) as number),
  };
  return coordinatesInCage(cage, places);
}

/** Whether every side of a face is that of another one, run the other way. */
function isClosed(triangles: Uint32Array): boolean {
  const sides = new Map<string, number>();
  triangles.forEach((a, i) => {
    const b = triangles[i % 3 === 2 ? i - 2 : i + 1];
    const [key, by] = a < b ? [`${a} ${b}`, 1] : [`${b} ${a}`, -1];
    sides.set(key, (sides.get(key) ?? 0) + by);
  });
  return [...sides.values()].every((sum) => sum === 0);
}

/** Less of a cage's point than this does not count. */
const MIN_SHARE = 1e-4;

/** What a place holds on to: the driver's points, each with its share; in a cage some may be below zero. */
export function eachShare(hold: Hold, place: number, visit: (point: number, share: number) => void): void {
  if (hold.kind === 'cage') {
    const from = place * hold.points.length;
    hold.points.forEach((point, i) => {
      const share = hold.coordinates[from + i];
      if (Math.abs(share) > MIN_SHARE) visit(point, share);
    });
    return;
  }
  const { points, rows } = hold;
  for (let k = place * rows.stride; k < (place + 1) * rows.stride && rows.values[k] > 0; k++)
    visit(points[rows.joints[k]], rows.values[k]);
}
