import { countBytes } from '../../memory/countBytes.ts';
import { CoreError } from '../../errors.ts';
import type { CharacterPart } from '../../document/character.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { type Change, countPoints } from '../../weights/delta.ts';
import { areasOf, type Confines } from '../../weights/confines.ts';
import { adoptRows, createRowBlock } from '../../weights/rowBlock.ts';
import type { RowBlock } from '../../weights/rewriteRows.ts';
import { createRowsIn, TINY_WEIGHT, type WeightRows } from '../../weights/rows.ts';
import { readAnatomy, type Anatomy } from './anatomy.ts';
import {
  type BindSpace,
  gatherBindSpace,
  jointPlaces,
  layBindSpace,
} from '../../document/space/bindSpace.ts';
import { blendNearest, farthestShares } from './blend.ts';
import { findChains } from '../../skeleton/chains.ts';
import { findDedicated, preferDedicated, type Dedicated } from './dedicated.ts';
import { heatWeights, layHeat } from './heat.ts';
import { readInside, spreadInside, type Watch } from './insideDistance.ts';
import { createNearestJoints, type NearestJoints } from './nearestJoints.ts';
import { FAR_RATIO, JOINTS_A_POINT, layNearest, nearestJoints } from './nearest.ts';
import {
  applyControls,
  applyFollowers,
  followNearest,
  laySettling,
  relaxRows,
  stiffenIslands,
  stopLeaks,
} from './settle.ts';
import { rewritePoints, type RewriteRules } from '../../weights/rewritePoints.ts';
import { fillSolid, type Solid } from '../../spatial/solid.ts';
import { readSoup, type Soup } from '../../spatial/soup.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';
import { borrowMemory } from '../../memory/memoryPool.ts';

export const BIND_METHODS = ['nearest', 'heat', 'volume'] as const;
export type BindMethod = (typeof BIND_METHODS)[number];

/** What a binding asks of a part. */
export type BindPart = Pick<
  CharacterPart,
  | 'name'
  | 'pointCount'
  | 'positions'
  | 'triangles'
  | 'polygonOffsets'
  | 'polygonPoints'
  | 'inverseBinds'
  | 'source'
>;

/** What is bound: parts and skeleton as read, and the weights as they are. */
export interface BindSkin {
  readonly parts: readonly BindPart[];
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
/** Shares of the nearest joint's that count before smoothing. */
const MIN_SHARE = 1e-4;
/** Slots of a proposed row. */
const SLOTS = 8;

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
  const loan = await borrowMemory(countBytes((memory) => layBinding(memory, skin, request.parts)));
  try {
    return await bindWith(loan.memory, skin, request, watch);
  } finally {
    loan.giveBack();
  }
}

async function bindWith(
  memory: KernelMemory,
  skin: BindSkin,
  request: BindRequest,
  watch: Watch,
): Promise<{ change: Change; report: BindReport }> {
  const space = gatherBindSpace(skin.parts, request.parts, memory);
  const places = jointPlaces(skin.skeleton, skin.parts);
  const soup = readSoup(space.positions, space.triangles, memory);
  if (!(soup.longest > 0) || !Number.isFinite(soup.longest)) {
    throw new CoreError(
      'bind-impossible',
      'These parts have no size, so there is nothing to bind. Choose other parts.',
    );
  }
  const cells = request.cells ?? CELLS[request.method];
  const solid = await fillSolid(space.positions, space.triangles, soup, cells);
  watch(0.1);
  const anatomy = readAnatomy(skin.skeleton, places, (joint) => request.deforming[joint] !== 0, space, solid);
  if (anatomy.bones.count === 0) {
    throw new CoreError(
      'bind-impossible',
      'No bone is left to bind to. Let more joints deform, or choose another part.',
    );
  }
  const binder = new Binder(skin, request, space, soup, places, solid, anatomy);
  const { rows, fallbacks } = await binder.propose((share) => watch(0.12 + 0.76 * share));
  watch(0.9);
  const stiff = stiffenIslands(rows, space);
  applyControls(rows, space, anatomy.controls, places, (p) => isMain(space, p));
  applyFollowers(rows, space, anatomy.followers);
  watch(0.95);
  return write(skin, request, space, rows, { fallbacks, stiff });
}

/** Room for the method and what it may fall back on; what is never touched costs nothing. */
function layBinding(
  memory: KernelMemory,
  { parts: all, skeleton, rows }: BindSkin,
  parts: readonly number[],
): unknown {
  const pointCount = parts.reduce((sum, part) => sum + all[part].pointCount, 0);
  const triangleCount = parts.reduce((sum, part) => sum + all[part].triangles.length / 3, 0);
  const jointCount = skeleton.joints.length;
  return [
    layBindSpace(memory, all, parts),
    ...[1, 2].map(() => layNearest(memory, pointCount, 4 * jointCount, jointCount)),
    createNearestJoints(pointCount, JOINTS_A_POINT, memory),
    ...[1, 2, 3].map(() => createRowsIn(memory, pointCount, SLOTS)),
    laySettling(memory, pointCount),
    layHeat(memory, pointCount, triangleCount),
    memory.f64(8),
    // Joints' factors, and chains, each time that distances are blended.
    ...[1, 2, 3].map(() => [memory.f64(jointCount), memory.i32(jointCount), memory.f32(jointCount)]),
    memory.u8(65536),
    ...[...stridesOf(rows, parts)].map((stride) => createRowBlock(memory, stride, SLOTS)),
  ];
}

const stridesOf = (rows: readonly WeightRows[], parts: readonly number[]): Set<number> =>
  new Set(parts.map((part) => rows[part].stride));

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
  readonly #soup: Soup;
  readonly #dedicated: Dedicated;

  constructor(
    skin: BindSkin,
    request: BindRequest,
    space: BindSpace,
    soup: Soup,
    places: Float32Array,
    solid: Solid,
    anatomy: Anatomy,
  ) {
    this.#skin = skin;
    this.#request = request;
    this.#space = space;
    this.#places = places;
    this.#solid = solid;
    this.#anatomy = anatomy;
    this.#soup = soup;
    this.#dedicated = findDedicated(
      skin.skeleton,
      space.parts.map((part) => skin.parts[part].name),
      space,
      (joint) => request.deforming[joint] !== 0,
    );
  }

  async propose(watch: Watch): Promise<Proposal> {
    switch (this.#request.method) {
      case 'nearest':
        return this.#nearest(watch);
      case 'heat':
        return this.#heat(watch);
      case 'volume':
        return this.#volume(this.#solid, watch);
    }
  }

  #nearestJoints(watch: Watch, farOf?: Float64Array): NearestJoints {
    const { bones } = this.#anatomy;
    const { skeleton } = this.#skin;
    const { memory, positions } = this.#space;
    const reach = nearestJoints(memory, skeleton, bones, positions, this.#soup, watch, farOf);
    preferDedicated(reach, this.#space, skeleton, this.#dedicated);
    return reach;
  }

  #soften(reach: NearestJoints): WeightRows {
    const { skeleton } = this.#skin;
    const chains = findChains(skeleton, this.#places);
    const rows = blendNearest(reach, chains, this.#request.softness, MIN_SHARE, this.#space.memory);
    return relaxRows(rows, this.#space, reach.radii);
  }

  #nearest(watch: Watch): Proposal {
    const chains = findChains(this.#skin.skeleton, this.#places);
    const { softness } = this.#request;
    // Nothing is smoothed later on: what would be dropped in the end need not be found.
    const reach = this.#nearestJoints(watch, farthestShares(chains, softness, FAR_RATIO, TINY_WEIGHT));
    const rows = blendNearest(reach, chains, softness, TINY_WEIGHT, this.#space.memory);
    stopLeaks(rows, this.#space);
    return { rows, fallbacks: [] };
  }

  #volume(solid: Solid, watch: Watch): Proposal {
    const { bones } = this.#anatomy;
    const inside = spreadInside(solid, bones, JOINTS_A_POINT, (share) => watch(0.8 * share));
    const reach = readInside(inside, bones, this.#space.positions, this.#space.memory);
    watch(0.9);
    preferDedicated(reach, this.#space, this.#skin.skeleton, this.#dedicated);
    const rows = this.#soften(reach);
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
      const reach = this.#nearestJoints(() => undefined);
      const near = blendNearest(
        reach,
        findChains(this.#skin.skeleton, this.#places),
        this.#request.softness,
        MIN_SHARE,
        this.#space.memory,
      );
      rows.joints.set(near.joints);
      rows.values.set(near.values);
    } else followNearest(rows, this.#space);
    return this.#byPart(empty, why);
  }

  async #heat(watch: Watch): Promise<Proposal> {
    const reach = this.#nearestJoints((share) => watch(0.1 * share));
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
      rows = createRowsIn(this.#space.memory, this.#space.pointCount, SLOTS);
      why = 'no-solution';
    }
    const cold: number[] = [];
    for (let p = 0; p < rows.pointCount; p++) if (rows.values[p * rows.stride] === 0) cold.push(p);
    stopLeaks(rows, this.#space);
    if (cold.length === 0) return { rows, fallbacks: [] };
    const { positions, triangles } = this.#space;
    const other = this.#volume(
      await fillSolid(positions, triangles, this.#soup, this.#request.cells ?? FINE_CELLS),
      (share) => watch(0.7 + 0.3 * share),
    );
    for (const p of cold) {
      const [from, to] = [p * SLOTS, (p + 1) * SLOTS];
      rows.joints.set(other.rows.joints.subarray(from, to), from);
      rows.values.set(other.rows.values.subarray(from, to), from);
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

/** Whether a point's island is large enough to carry controls. */
function isMain({ islands, islandPoints: { starts }, pointCount }: BindSpace, point: number): boolean {
  const island = islands.ofPoint[point];
  return island >= 0 && starts[island + 1] - starts[island] > 0.02 * pointCount;
}

/** Puts a proposal into the chosen points' rows, under locks and limit. */
function write(
  { rows: rowsOfPart }: BindSkin,
  { method, parts, points, limit, locks, confines }: BindRequest,
  { firstPoint, memory }: BindSpace,
  proposal: WeightRows,
  told: Pick<BindReport, 'fallbacks' | 'stiff'>,
): { change: Change; report: BindReport } {
  const change: Change[number][] = [];
  const blocks = new Map(
    [...stridesOf(rowsOfPart, parts)].map((stride) => [stride, createRowBlock(memory, stride, SLOTS)]),
  );
  const ownLocks = memory.u8(65536);
  ownLocks.set(locks);
  let asked = 0;
  let held = 0;
  parts.forEach((part, i) => {
    const rows = rowsOfPart[part];
    const chosen = points?.get(part) ?? allPoints(rows.pointCount);
    // A first binding leaves no weight so small that it hides.
    const rules = { locks: ownLocks, limit, least: TINY_WEIGHT };
    const block = blocks.get(rows.stride) as RowBlock;
    const { delta, held: stayed } = areasOf(confines, part)
      ? adoptConfined(part, rows, chosen, { locks, limit, confines }, proposal, firstPoint[i])
      : adoptRows(memory, block, part, rows, chosen, rules, proposal, firstPoint[i]);
    asked += chosen.length;
    held += stayed;
    if (delta.points.length > 0) change.push(delta);
  });
  const changed = countPoints(change);
  change.sort((a, b) => a.part - b.part);
  return { change, report: { method, asked, changed, held, ...told } };
}

/** The same one by one, where joints may weigh only in some places. */
function adoptConfined(
  part: number,
  rows: WeightRows,
  points: Uint32Array,
  rules: RewriteRules,
  { joints, values }: WeightRows,
  first: number,
): ReturnType<typeof rewritePoints> {
  return rewritePoints(part, rows, points, rules, (p, c) => {
    const from = (first + p) * SLOTS;
    for (let k = from; k < from + SLOTS; k++) {
      if (values[k] < TINY_WEIGHT || rules.locks[joints[k]]) continue;
      c.joints[c.count] = joints[k];
      c.values[c.count++] = values[k];
    }
  });
}

function allPoints(count: number): Uint32Array {
  const points = new Uint32Array(count);
  for (let p = 0; p < count; p++) points[p] = p;
  return points;
}
