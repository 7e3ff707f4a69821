import { CoreError } from '../errors.ts';
import type { CharacterPart } from '../io/character.ts';
import type { Skeleton } from '../skeleton/skeleton.ts';
import type { Change } from '../weights/delta.ts';
import { TINY_WEIGHT } from '../check/strays.ts';
import { createRows, type WeightRows } from '../weights/rows.ts';
import { readAnatomy, type Anatomy } from './anatomy.ts';
import { gatherBindSpace, jointPlaces, type BindSpace } from './bindSpace.ts';
import { blendReach, farthestShares, findChains } from './blend.ts';
import { findDedicated, preferDedicated, type Dedicated } from './dedicated.ts';
import { heatWeights } from './heat.ts';
import { readInside, spreadInside, type Reach, type Watch } from './insideDistance.ts';
import { FAR_RATIO, reachNearest } from './nearest.ts';
import {
  applyControls,
  applyFollowers,
  followNearest,
  relaxRows,
  stiffenIslands,
  stopLeaks,
} from './settle.ts';
import type { Confines } from '../weights/confines.ts';
import { rewritePoints } from './rewritePoints.ts';
import { fillSolid, type Solid } from './solid.ts';
import { boxOfTriangles } from './voxels.ts';

export const BIND_METHODS = ['nearest', 'heat', 'volume'] as const;
export type BindMethod = (typeof BIND_METHODS)[number];

/** What is bound: parts and skeleton as read, and the weights as they are. */
export interface BindSkin {
  readonly parts: readonly Omit<CharacterPart, 'normals'>[];
  readonly skeleton: Skeleton;
  readonly rows: readonly WeightRows[];
}

export interface BindRequest {
  readonly method: BindMethod;
  /** The parts to bind; their surfaces make the solid. */
  readonly parts: readonly number[];
  /** By part, the points to bind, rising; all of a part that is missing. */
  readonly points?: ReadonlyMap<number, Uint32Array>;
  /** Uint8Array, jointCount: not 0 where a joint may get weight. */
  readonly deforming: Uint8Array;
  /** How soft borders are, in shares of the limb's thickness, above 0 and at most 1. */
  readonly softness: number;
  /** Largest number of influences, 1 to 8. */
  readonly limit: number;
  readonly locks: Uint8Array;
  readonly confines?: Confines;
  /** Solid cells to measure in, for the volume method; fewer are quicker and coarser. */
  readonly cells?: number;
}

/** Why a region was bound in another way than asked. */
export type FallbackReason = 'no-bone-seen' | 'no-solution' | 'no-way-inside';

export interface BindFallback {
  readonly part: number;
  /** Points of the part. */
  readonly points: Uint32Array;
  readonly why: FallbackReason;
}

export interface BindReport {
  readonly method: BindMethod;
  /** Points asked for, and those whose row is another now. */
  readonly asked: number;
  readonly changed: number;
  readonly fallbacks: readonly BindFallback[];
  /** Points where the locked joints leave no room: they stayed as they were. */
  readonly held: number;
  /** Islands bound as one piece. */
  readonly stiff: number;
}

/** Solid cells: what the volume method measures in, what is enough to see bones, and to tell limbs' thickness. */
const FINE_CELLS = 80_000;
const COARSE_CELLS = 16_000;
const LIMB_CELLS = 12_000;
const CELLS: Readonly<Record<BindMethod, number>> = {
  nearest: LIMB_CELLS,
  heat: COARSE_CELLS,
  volume: FINE_CELLS,
};
const REACH_WIDTH = 6;

/**
 * A first binding.
 *
 * - `nearest`: the nearest bones through the air, held to their neighbourhood in the skeleton.
 * - `heat`: heat spreading over the surface from the bones that are seen.
 * - `volume`: the nearest bones through the inside of the solid.
 *
 * All three share bones, controls and followers ({@link readAnatomy}), and finish whatever the mesh is like: heat falls
 * back on volume where no bone is seen or the equations have no solution, volume on the nearest bound surface where no
 * bone gets in. Locked joints keep their weights to the bit; points that are not asked for stay.
 *
 * @param watch told how far the work is; may throw to end it, nothing is changed then
 * @throws CoreError `bind-impossible` without a deforming joint or a surface, `argument-invalid` for bad numbers
 */
export async function bindSkin(
  skin: BindSkin,
  request: BindRequest,
  watch: Watch = () => undefined,
): Promise<{ change: Change; report: BindReport }> {
  checkRequest(skin, request);
  watch(0);
  const space = gatherBindSpace(skin.parts, request.parts);
  const places = jointPlaces(skin.skeleton, skin.parts);
  const box = boxOfTriangles(space.positions, space.triangles);
  const { least, most } = box;
  const longest = Math.max(...most.map((x, k) => x - least[k]));
  if (!(longest > 0) || !Number.isFinite(longest)) {
    throw new CoreError(
      'bind-impossible',
      'These parts have no size, so there is nothing to bind. Choose other parts.',
    );
  }
  const cells = request.cells ?? CELLS[request.method];
  const solid = fillSolid(space.positions, space.triangles, longest, cells, box);
  watch(0.1);
  const anatomy = readAnatomy(skin.skeleton, places, (joint) => request.deforming[joint] !== 0, space, solid);
  if (anatomy.bones.count === 0) {
    throw new CoreError(
      'bind-impossible',
      'No bone is left to bind to. Let more joints deform, or choose another part.',
    );
  }
  const binder = new Binder(skin, request, space, places, solid, anatomy, longest);
  const { rows, fallbacks } = await binder.propose((share) => watch(0.12 + 0.76 * share));
  watch(0.9);
  const stiff = stiffenIslands(rows, space);
  const main = mainIslands(space);
  applyControls(rows, space, anatomy.controls, places, (p) => main[space.islands.ofPoint[p]] === 1);
  applyFollowers(rows, space, anatomy.followers);
  watch(0.95);
  return write(skin, request, space, rows, { fallbacks, stiff });
}

function checkRequest(
  { skeleton, parts }: BindSkin,
  { deforming, parts: chosen, softness, limit }: BindRequest,
): void {
  if (skeleton.joints.length === 0)
    throw new CoreError(
      'bind-impossible',
      'This character has no joints. Bring in a file with a skeleton first.',
    );
  if (!deforming.some((one) => one !== 0))
    throw new CoreError(
      'bind-impossible',
      'No joint may deform. Switch deforming on for at least one joint.',
    );
  if (chosen.length === 0 || chosen.some((part) => !parts[part] || parts[part].triangles.length === 0))
    throw new CoreError('bind-impossible', 'Choose at least one part that has a surface.');
  if (!(softness > 0 && softness <= 1))
    throw new CoreError('argument-invalid', 'Falloff is a number above 0 and at most 1.', { softness });
  if (!(Number.isInteger(limit) && limit >= 1 && limit <= 8))
    throw new CoreError(
      'argument-invalid',
      'The largest number of influences is a whole number from 1 to 8.',
      { limit },
    );
}

interface Proposal {
  readonly rows: WeightRows;
  readonly fallbacks: BindFallback[];
}

class Binder {
  readonly #skin: BindSkin;
  readonly #request: BindRequest;
  readonly #space: BindSpace;
  readonly #places: Float32Array;
  readonly #solid: Solid;
  readonly #anatomy: Anatomy;
  readonly #longest: number;
  readonly #all: Uint32Array;
  readonly #dedicated: Dedicated;

  constructor(
    skin: BindSkin,
    request: BindRequest,
    space: BindSpace,
    places: Float32Array,
    solid: Solid,
    anatomy: Anatomy,
    longest: number,
  ) {
    this.#skin = skin;
    this.#request = request;
    this.#space = space;
    this.#places = places;
    this.#solid = solid;
    this.#anatomy = anatomy;
    this.#longest = longest;
    this.#all = Uint32Array.from({ length: space.pointCount }, (_, p) => p);
    this.#dedicated = findDedicated(
      skin.skeleton,
      space.parts.map((part) => skin.parts[part].name),
      space,
      (joint) => request.deforming[joint] !== 0,
    );
  }

  propose(watch: Watch): Promise<Proposal> {
    switch (this.#request.method) {
      case 'nearest':
        return this.#nearest(watch);
      case 'heat':
        return this.#heat(watch);
      case 'volume':
        return this.#volume(this.#solid, watch);
    }
  }

  #reachNearest(watch: Watch, farOf?: Float64Array): Reach {
    const { bones } = this.#anatomy;
    const { skeleton } = this.#skin;
    const reach = reachNearest(skeleton, bones, this.#space.positions, this.#all, watch, farOf);
    preferDedicated(reach, this.#space, skeleton, this.#dedicated);
    return reach;
  }

  async #soften(reach: Reach): Promise<WeightRows> {
    const rows = blendReach(reach, findChains(this.#skin.skeleton, this.#places), this.#request.softness);
    return relaxRows(rows, this.#space, reach.radii);
  }

  async #nearest(watch: Watch): Promise<Proposal> {
    const chains = findChains(this.#skin.skeleton, this.#places);
    const { softness } = this.#request;
    const reach = this.#reachNearest(watch, farthestShares(chains, softness, FAR_RATIO));
    const rows = blendReach(reach, chains, softness);
    stopLeaks(rows, this.#space);
    return { rows, fallbacks: [] };
  }

  async #volume(solid: Solid, watch: Watch): Promise<Proposal> {
    const { bones } = this.#anatomy;
    const inside = spreadInside(solid, bones, REACH_WIDTH, (share) => watch(0.8 * share));
    const reach = readInside(inside, bones, this.#space.positions, this.#all);
    watch(0.9);
    preferDedicated(reach, this.#space, this.#skin.skeleton, this.#dedicated);
    const rows = await this.#soften(reach);
    const fallbacks = this.#fill(rows, 'no-way-inside');
    stopLeaks(rows, this.#space);
    return { rows, fallbacks };
  }

  /** Empty rows follow the nearest bound surface; with none at all, the nearest bones. */
  #fill(rows: WeightRows, why: FallbackReason): BindFallback[] {
    const empty: number[] = [];
    for (let p = 0; p < rows.pointCount; p++) if (rows.values[p * rows.stride] === 0) empty.push(p);
    if (empty.length === 0) return [];
    if (empty.length === rows.pointCount) {
      const reach = this.#reachNearest(() => undefined);
      const near = blendReach(reach, findChains(this.#skin.skeleton, this.#places), this.#request.softness);
      rows.joints.set(near.joints);
      rows.values.set(near.values);
    } else followNearest(rows, this.#space);
    return this.#byPart(empty, why);
  }

  async #heat(watch: Watch): Promise<Proposal> {
    const reach = this.#reachNearest((share) => watch(0.1 * share));
    let rows: WeightRows;
    let why: FallbackReason = 'no-bone-seen';
    try {
      rows = await heatWeights(
        this.#space,
        this.#anatomy.bones,
        reach,
        this.#solid,
        this.#request.softness,
        (share) => watch(0.1 + 0.6 * share),
      );
    } catch (error) {
      if (!(error instanceof CoreError) || error.code !== 'no-solution') throw error;
      rows = createRows(this.#space.pointCount, 8);
      why = 'no-solution';
    }
    const cold: number[] = [];
    for (let p = 0; p < rows.pointCount; p++) if (rows.values[p * rows.stride] === 0) cold.push(p);
    stopLeaks(rows, this.#space);
    if (cold.length === 0) return { rows, fallbacks: [] };
    const { positions, triangles } = this.#space;
    const other = await this.#volume(
      fillSolid(positions, triangles, this.#longest, this.#request.cells ?? FINE_CELLS),
      (share) => watch(0.7 + 0.3 * share),
    );
    for (const p of cold) {
      rows.joints.set(other.rows.joints.subarray(p * 8, p * 8 + 8), p * 8);
      rows.values.set(other.rows.values.subarray(p * 8, p * 8 + 8), p * 8);
    }
    return { rows, fallbacks: this.#byPart(cold, why) };
  }

  #byPart(points: readonly number[], why: FallbackReason): BindFallback[] {
    const { firstPoint, parts } = this.#space;
    return parts.flatMap((part, i) => {
      const own = points.filter((p) => p >= firstPoint[i] && p < firstPoint[i + 1]);
      return own.length > 0 ? [{ part, points: Uint32Array.from(own, (p) => p - firstPoint[i]), why }] : [];
    });
  }
}

/** Uint8Array, islands: 1 for those that are large enough to carry controls. */
function mainIslands({ islands, pointCount }: BindSpace): Uint8Array {
  const counts = new Uint32Array(islands.count);
  for (const island of islands.ofPoint) if (island >= 0) counts[island]++;
  return Uint8Array.from(counts, (count) => (count > 0.02 * pointCount ? 1 : 0));
}

/** Puts a proposal into the chosen points' rows, under locks and limit. */
function write(
  { rows: rowsOfPart }: BindSkin,
  { method, parts, points, limit, locks, confines }: BindRequest,
  { firstPoint }: BindSpace,
  proposal: WeightRows,
  told: Pick<BindReport, 'fallbacks' | 'stiff'>,
): { change: Change; report: BindReport } {
  const change: Change[number][] = [];
  let asked = 0;
  let held = 0;
  parts.forEach((part, i) => {
    const rows = rowsOfPart[part];
    const chosen = points?.get(part) ?? Uint32Array.from({ length: rows.pointCount }, (_, p) => p);
    const { delta, held: stayed } = rewritePoints(part, rows, chosen, { locks, limit, confines }, (p, c) => {
      const from = (firstPoint[i] + p) * 8;
      for (let k = from; k < from + 8; k++) {
        // A first binding leaves no weight so small that it hides.
        if (proposal.values[k] < TINY_WEIGHT || locks[proposal.joints[k]]) continue;
        c.joints[c.count] = proposal.joints[k];
        c.values[c.count++] = proposal.values[k];
      }
    });
    asked += chosen.length;
    held += stayed;
    if (delta.points.length > 0) change.push(delta);
  });
  const changed = change.reduce((sum, delta) => sum + delta.points.length, 0);
  change.sort((a, b) => a.part - b.part);
  return { change, report: { method, asked, changed, held, ...told } };
}
