import { anchorTo } from '../../deform/follow/anchors.ts';
import { MAX_CAGE_POINTS } from '../../deform/follow/hold.ts';
import { weightsHeld } from '../../deform/follow/weightsAlong.ts';
import { CoreError } from '../../errors.ts';
import { createPlainMemory } from '../../memory/kernelMemory.ts';
import { trianglesOfQuads } from '../../mesh/quads.ts';
import { fillSolid } from '../../spatial/solid.ts';
import { readSoup, type Soup } from '../../spatial/soup.ts';
import { createRows, type WeightRows } from '../../weights/rows.ts';
import { cellSurface, type QuadSurface } from './cellSurface.ts';
import { type Across, coarseCells, solidPlaces } from './coarseCells.ts';
import { type HeldBody, joinBodies } from './joinBodies.ts';
import { SolidField } from './solidField.ts';
import { countOutside, wrapCage } from './wrapCage.ts';

/** One cell on either side of the middle: no cage that is the same on both sides has fewer. */
export const MIN_CAGE_POINTS = 12;

export interface CageRequest {
  /** Closed or torn. */
  readonly bodies: readonly HeldBody[];
  /** How many points it is to have: it gets at most so many, and about as many. */
  readonly points: number;
  /** The plane that it is the same on both sides of; missing where it need not be. */
  readonly across?: Across;
}

export interface MadeCage extends Pick<QuadSurface, 'positions' | 'quads'> {
  /** What moves it as the bodies near it move. */
  readonly rows: WeightRows;
  /** How many points of what it holds are not within. */
  readonly outside: number;
}

/** Cells that the volume is filled with, and across the longest side at most. */
const CELLS = 30_000;
/** So many places at most are looked at while the cage is drawn close. */
const MAX_PLACES = 20_000;
/** Halvings of the range in which the size of the cells is looked for. */
const TRIES = 14;

/**
 * A coarse closed body of quads about other bodies: their volume in large cells, whose surface is drawn close to it and evened, then
 * moved out until all is within. Parts that are closer to each other than a cell are held by one body.
 *
 * @throws CoreError argument-invalid if there is nothing to go about, or the number of points cannot be
 */
export async function makeCage({ bodies, points, across }: CageRequest): Promise<MadeCage> {
  const body = joinBodies(bodies);
  const { positions, triangles } = body.surface;
  if (!(points >= MIN_CAGE_POINTS && points <= MAX_CAGE_POINTS))
    throw new CoreError('argument-invalid', `A cage has ${MIN_CAGE_POINTS} to ${MAX_CAGE_POINTS} points.`, {
      points,
    });
  if (triangles.length === 0)
    throw new CoreError('argument-invalid', 'There is no surface that a cage could go about.', {});
  const soup = readSoup(positions, triangles, createPlainMemory());
  if (!(soup.longest > 0 && Number.isFinite(soup.longest)))
    throw new CoreError('argument-invalid', 'What the cage is to go about has no size.', {});
  const solid = await fillSolid(positions, triangles, soup, CELLS);
  const cells = solidPlaces(solid);
  const surfaceOf = (size: number): QuadSurface =>
    cellSurface(coarseCells(solid, cells, size, across), across);
  const { surface, edge } = coarseSurface(surfaceOf, {
    least: solid.size,
    most: 2 * reachOf(soup, across),
    points,
  });
  const used = usedPlaces(positions, triangles);
  const wrapped = await wrapCage(surface, {
    field: new SolidField(solid, across),
    places: onBothSides(some(used, MAX_PLACES), across),
    edge,
    ...(across && { across }),
  });
  return {
    positions: wrapped,
    quads: surface.quads,
    rows: await weightsAt(body, wrapped),
    outside: await countOutside(wrapped, trianglesOfQuads(surface.quads), used),
  };
}

/** How large cells must be for one to hold all; with a plane, one on either side. */
function reachOf({ least, most, longest }: Soup, across: Across | undefined): number {
  if (!across) return longest;
  const { axis, middle } = across;
  return Math.max(longest, middle - least[axis], most[axis] - middle);
}

async function weightsAt({ surface, rows }: HeldBody, places: Float32Array): Promise<WeightRows> {
  const hold = await anchorTo(surface, places);
  const count = places.length / 3;
  return hold ? weightsHeld(rows, hold, count) : createRows(count);
}

/** The surface of the smallest cells that makes no more points than wanted. */
function coarseSurface(
  surfaceOf: (size: number) => QuadSurface,
  { least, most, points }: { readonly least: number; readonly most: number; readonly points: number },
): { readonly surface: QuadSurface; readonly edge: number } {
  let [low, high] = [Math.log(least), Math.log(most)];
  let [surface, edge] = [surfaceOf(most), most];
  for (let i = 0; i < TRIES; i++) {
    const middle = (low + high) / 2;
    const tried = surfaceOf(Math.exp(middle));
    if (tried.positions.length / 3 > points) low = middle;
    else {
      [surface, edge] = [tried, Math.exp(middle)];
      high = middle;
    }
  }
  return { surface, edge };
}

/** Places that faces use: others are nowhere on the surface. */
function usedPlaces(positions: Float32Array, triangles: Uint32Array): Float32Array {
  const used = [...new Set(triangles)];
  const places = new Float32Array(used.length * 3);
  used.forEach((p, i) => places.set(positions.subarray(p * 3, p * 3 + 3), i * 3));
  return places;
}

/** Places, and what they are across the middle. */
function onBothSides(places: Float32Array, across: Across | undefined): Float32Array {
  if (!across) return places;
  const both = new Float32Array(places.length * 2);
  both.set(places);
  both.set(places, places.length);
  for (let i = places.length + across.axis; i < both.length; i += 3) both[i] = 2 * across.middle - both[i];
  return both;
}

function some(places: Float32Array, most: number): Float32Array {
  const step = Math.ceil(places.length / 3 / most);
  if (step <= 1) return places;
  return Float32Array.from(
    { length: Math.floor(places.length / 3 / step) * 3 },
    (_, i) => places[Math.floor(i / 3) * step * 3 + (i % 3)],
  );
}
