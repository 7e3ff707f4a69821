import type { BindFallback, BindMethod, BindRequest, BindSkin, FallbackReason } from './bindRequest.ts';
import { CoreError } from '../../errors.ts';
import { createRowsIn, TINY_WEIGHT, type WeightRows } from '../../weights/rows.ts';
import type { Anatomy } from './anatomy/anatomy.ts';
import type { BindSpace } from '../../document/space/bindSpace.ts';
import { blendNearest, farthestShares } from './blend.ts';
import { findChains } from '../../skeleton/chains.ts';
import { type Dedicated, findDedicated, preferDedicated } from './anatomy/dedicated.ts';
import { heatWeights } from './heat.ts';
import { readInside, spreadInside, type Watch } from './insideDistance.ts';
import type { NearestJoints } from './nearestJoints.ts';
import { FAR_RATIO, JOINTS_A_POINT, nearestJoints } from './nearest.ts';
import { followNearest, relaxRows, stopLeaks } from './settle.ts';
import { fillSolid, type Solid } from '../../spatial/solid.ts';
import type { Soup } from '../../spatial/soup.ts';

/** Solid cells: what the volume method measures in, what is enough to see bones, and to tell limbs' thickness. */
const FINE_CELLS = 80_000;
const COARSE_CELLS = 16_000;
const LIMB_CELLS = 12_000;
export const CELLS: Readonly<Record<BindMethod, number>> = {
  nearest: LIMB_CELLS,
  heat: COARSE_CELLS,
  volume: FINE_CELLS,
};
/** Shares of the nearest joint's that count before smoothing. */
const MIN_SHARE = 1e-4;
/** Slots of a proposed row. */
export const SLOTS = 8;

interface Proposal {
  readonly rows: WeightRows;
  readonly fallbacks: BindFallback[];
}

export class Binder {
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
