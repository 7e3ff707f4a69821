import { countBytes } from '../memory/countBytes.ts';
import type { KernelMemory } from '../memory/kernelMemory.ts';
import { createKernelMemory } from '../memory/wasmMemory.ts';
import type { Neighbours } from '../mesh/neighbours.ts';
import { frameAt, NO_TANGENT, type RelaxArrays } from './relax.ts';
import { relaxKernels, type RelaxKernels } from './relaxKernels.ts';

/** How the skinned surface is relaxed. */
export interface Relaxing {
  /** Whole number from 1 to {@link MAX_RELAX_PASSES}. */
  readonly passes: number;
  /** 0 to 1: 0 for the skinned surface, 1 for the relaxed one. */
  readonly strength: number;
  /** Whether every pass takes back what it shrinks (Taubin 1995). */
  readonly keepsVolume: boolean;
}

export const MAX_RELAX_PASSES = 100;
export const DEFAULT_RELAXING: Relaxing = { passes: 10, strength: 1, keepsVolume: false };

/** The surface of a part at rest. */
export interface RelaxMesh {
  readonly pointCount: number;
  readonly triangles: Uint32Array;
  readonly neighbours: Neighbours;
  /** Float32Array, 3 a point, scene space. */
  readonly rest: Float32Array;
  readonly restNormals: Float32Array;
}

/** Points in rings about some of them: ring r ends at ends[r] of `points`. */
export interface RelaxPatch {
  readonly points: Uint32Array;
  readonly ends: Uint32Array;
}

/** How far a point goes to the middle of its neighbours in a pass, and back again where volume is kept. */
const SHARE = 0.5;
const BACK = 1 / (0.1 - 1 / SHARE);

/**
 * Relaxes one part's deformed surface: smoothed by some passes, with the detail that rest has over its own smoothing carried
 * back in the frames of the smoothed surface (Mancewicz, Derksen, Rijpkema, Wilson 2014, "Delta Mush: smoothing deformations
 * while preserving detail"). At rest it changes nothing. Holds its own copy of the skinned surface, in memory of its own.
 */
export class SurfaceRelaxer {
  readonly #all: RelaxArrays;
  readonly #amounts: Float32Array;
  #arrays: RelaxArrays;
  readonly #kernels: RelaxKernels;
  readonly #mesh: RelaxMesh;
  readonly #list: Uint32Array;
  readonly #rings: Uint32Array;
  #relaxing: Relaxing;

  static async create(mesh: RelaxMesh, relaxing: Relaxing): Promise<SurfaceRelaxer> {
    return new SurfaceRelaxer(
      mesh,
      relaxing,
      await createKernelMemory(countBytes((memory) => lay(memory, mesh))),
    );
  }

  /** @param memory nobody else's, with room for what {@link create} counts */
  constructor(mesh: RelaxMesh, relaxing: Relaxing, memory: KernelMemory) {
    const { arrays, list, amounts } = lay(memory, mesh);
    this.#mesh = mesh;
    this.#arrays = this.#all = arrays;
    this.#amounts = amounts;
    this.#list = list;
    this.#kernels = relaxKernels(memory);
    this.#rings = new Uint32Array(mesh.pointCount);
    this.#relaxing = relaxing;
    fillTopology(arrays, mesh);
    this.#bindDetail();
  }

  get relaxing(): Relaxing {
    return this.#relaxing;
  }

  set relaxing(relaxing: Relaxing) {
    const { passes, keepsVolume } = this.#relaxing;
    this.#relaxing = relaxing;
    if (relaxing.passes !== passes || relaxing.keepsVolume !== keepsVolume) this.#bindDetail();
  }

  /** The relaxed surface, as far as it has been asked for. Float32Array, 3 a point, scene space. */
  get relaxed(): Pick<RelaxArrays, 'positions' | 'normals'> {
    return this.#arrays;
  }

  /** How much of relaxing each point takes, 0..1, in all of the following; undefined for all of it. */
  setAmounts(amounts: Float32Array | undefined): void {
    if (amounts) this.#amounts.set(amounts);
    this.#arrays = amounts ? { ...this.#all, amounts: this.#amounts } : this.#all;
  }

  /** How many rings about a point have a say in where it comes to lie. */
  get reach(): number {
    return this.#passShares().length + 1;
  }

  /** Relaxes the whole surface. @param positions, normals Float32Array, 3 a point, scene space: as skinned; the result */
  relaxAll(positions: Float32Array, normals: Float32Array): void {
    const { pointCount } = this.#mesh;
    for (let p = 0; p < pointCount; p++) this.#list[p] = p;
    spreadOut(positions, this.#arrays.skinned, pointCount);
    this.#arrays.skinnedNormals.set(normals);
    const smooth = this.#smooth(() => pointCount);
    this.#kernels.relaxFrames(this.#arrays, this.#list, pointCount, smooth, this.#relaxing.strength);
    positions.set(this.#arrays.positions);
    normals.set(this.#arrays.normals);
  }

  /**
   * Points about some, in rings, as far as their places reach: what has to be skinned for {@link relaxPatch}.
   * @param reaches 1 for what those points need; 2 for what all need that those points have a say in
   */
  patchAbout(points: ArrayLike<number>, count: number, reaches: 1 | 2): RelaxPatch {
    const most = this.reach * reaches;
    const { offsets, neighbours } = this.#arrays;
    const rings = this.#rings;
    const found: number[] = [];
    const ends = new Uint32Array(most + 1);
    for (let i = 0; i < count; i++) {
      if (rings[points[i]] !== 0) continue;
      rings[points[i]] = 1;
      found.push(points[i]);
    }
    ends[0] = found.length;
    for (let ring = 1, next = 0; ring <= most; ring++) {
      for (const end = found.length; next < end; next++) {
        const p = found[next];
        for (let n = offsets[p]; n < offsets[p + 1]; n++) {
          if (rings[neighbours[n]] !== 0) continue;
          rings[neighbours[n]] = 1;
          found.push(neighbours[n]);
        }
      }
      ends[ring] = found.length;
    }
    for (const p of found) rings[p] = 0;
    return { points: Uint32Array.from(found), ends };
  }

  /**
   * Takes the skinned surface of listed points in; all others stay as they were taken in before.
   * @param positions, normals Float32Array, 3 a listed point
   */
  take(points: ArrayLike<number>, count: number, positions: Float32Array, normals: Float32Array): void {
    const { skinned, skinnedNormals } = this.#arrays;
    for (let i = 0; i < count; i++) {
      const p = points[i];
      for (let k = 0; k < 3; k++) {
        skinned[p * 4 + k] = positions[i * 3 + k];
        skinnedNormals[p * 3 + k] = normals[i * 3 + k];
      }
    }
  }

  /**
   * Relaxes the inner points of a patch: all but its outer {@link reach} rings; see {@link relaxed}. All of its points must
   * have been taken in.
   * @returns how many of the patch's points were relaxed: the first ones
   */
  relaxPatch({ points, ends }: RelaxPatch): number {
    const last = ends.length - 1;
    this.#list.set(points);
    const smooth = this.#smooth((pass) => ends[last - 1 - pass]);
    const count = ends[last - this.reach];
    this.#kernels.relaxFrames(this.#arrays, this.#list, count, smooth, this.#relaxing.strength);
    return count;
  }

  #passShares(): number[] {
    const { passes, keepsVolume } = this.#relaxing;
    return Array.from({ length: passes }, () => (keepsVolume ? [SHARE, BACK] : [SHARE])).flat();
  }

  /** Smooths what was taken in, `countIn(pass)` of the listed points a pass. @returns the smoothed places */
  #smooth(countIn: (pass: number) => number): Float32Array {
    const { skinned, smooth, other } = this.#arrays;
    let from = skinned;
    this.#passShares().forEach((share, pass) => {
      const to = from === smooth ? other : smooth;
      this.#kernels.relaxPass(this.#arrays, this.#list, countIn(pass), from, to, share);
      from = to;
    });
    return from;
  }

  /** What rest is over its own smoothing, in each point's frame. */
  #bindDetail(): void {
    const { rest, restNormals, pointCount } = this.#mesh;
    const { detail, skinned } = this.#arrays;
    for (let p = 0; p < pointCount; p++) this.#list[p] = p;
    spreadOut(rest, skinned, pointCount);
    const smooth = this.#smooth(() => pointCount);
    chooseTangents(this.#arrays, smooth, pointCount);
    const frame = new Float64Array(9);
    detail.fill(0);
    for (let p = 0; p < pointCount; p++) {
      if (!frameAt(this.#arrays, smooth, p, frame)) {
        this.#arrays.tangents[p] = NO_TANGENT;
        continue;
      }
      for (let row = 0; row < 3; row++)
        for (let k = 0; k < 3; k++) {
          detail[p * 8 + row] += frame[row * 3 + k] * (rest[p * 3 + k] - smooth[p * 4 + k]);
          detail[p * 8 + 3 + row] += frame[row * 3 + k] * restNormals[p * 3 + k];
        }
    }
  }
}

function lay(
  memory: KernelMemory,
  { pointCount, triangles, neighbours }: RelaxMesh,
): { arrays: RelaxArrays; list: Uint32Array; amounts: Float32Array } {
  return {
    list: memory.u32(pointCount),
    amounts: memory.f32(pointCount),
    arrays: {
      offsets: memory.u32(pointCount + 1),
      neighbours: memory.u32(neighbours.points.length),
      faceOffsets: memory.u32(pointCount + 1),
      faces: memory.u32(triangles.length),
      triangles: memory.u32(triangles.length),
      tangents: memory.u32(pointCount),
      detail: memory.f32(pointCount * 8),
      skinned: memory.f32(pointCount * 4),
      smooth: memory.f32(pointCount * 4),
      other: memory.f32(pointCount * 4),
      skinnedNormals: memory.f32(pointCount * 3),
      positions: memory.f32(pointCount * 3),
      normals: memory.f32(pointCount * 3),
      amounts: undefined,
    },
  };
}

function fillTopology(arrays: RelaxArrays, { pointCount, triangles, neighbours }: RelaxMesh): void {
  arrays.offsets.set(neighbours.offsets);
  arrays.neighbours.set(neighbours.points.subarray(0, arrays.neighbours.length));
  arrays.triangles.set(triangles);
  const { faceOffsets, faces } = arrays;
  for (const p of triangles) faceOffsets[p + 1]++;
  for (let p = 0; p < pointCount; p++) faceOffsets[p + 1] += faceOffsets[p];
  const ends = faceOffsets.slice(0, pointCount);
  triangles.forEach((p, corner) => {
    faces[ends[p]++] = Math.floor(corner / 3);
  });
}

/** The neighbour that lies widest across the normal: its direction is the surest in any pose. */
function chooseTangents(arrays: RelaxArrays, places: Float32Array, pointCount: number): void {
  const { offsets, neighbours, tangents } = arrays;
  const frame = new Float64Array(9);
  for (let p = 0; p < pointCount; p++) {
    let [best, widest] = [NO_TANGENT, 0];
    for (let n = offsets[p]; n < offsets[p + 1]; n++) {
      tangents[p] = neighbours[n];
      if (!frameAt(arrays, places, p, frame)) continue;
      let wide = 0;
      for (let k = 0; k < 3; k++) wide += frame[k] * (places[neighbours[n] * 4 + k] - places[p * 4 + k]);
      if (wide > widest) [best, widest] = [neighbours[n], wide];
    }
    tangents[p] = best;
  }
}

function spreadOut(from: Float32Array, to: Float32Array, count: number): void {
  for (let p = 0; p < count; p++) {
    to[p * 4] = from[p * 3];
    to[p * 4 + 1] = from[p * 3 + 1];
    to[p * 4 + 2] = from[p * 3 + 2];
  }
}
