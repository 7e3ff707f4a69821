import type { PosedPalettes } from '../../deform/PosedPalettes.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';
import { layPalettes } from './layPalettes.ts';
import type { LookArrays } from './lookProducts.ts';
import { inBlocks } from './settleArrays.ts';
import { settleKernels, type SettleKernels } from './settleKernels.ts';
import { MAX_SETTLED } from './ShareSolver.ts';

/** So many bytes of looks are held at a time. */
const MAX_BYTES = 128 * 2 ** 20;

/** How many poses are taken at a time. */
export const batchSize = (pointCount: number, poseCount: number): number =>
  Math.max(4, Math.min(inBlocks(poseCount), 4 * Math.floor(MAX_BYTES / (48 * Math.max(1, pointCount)))));

export interface BatchSizes {
  readonly poses: number;
  readonly pointCount: number;
  readonly jointCount: number;
  readonly candidates: number;
}

export const layLooks = (memory: KernelMemory, sizes: BatchSizes): LookArrays => ({
  poses: sizes.poses,
  positions: memory.f32(3 * sizes.pointCount),
  joints: memory.u16(sizes.candidates),
  palettes: memory.f32(12 * sizes.poses * sizes.jointCount),
  looks: memory.f32(3 * sizes.poses * sizes.pointCount),
  away: memory.f32(3 * sizes.poses * (MAX_SETTLED + 1)),
  gram: memory.f64(MAX_SETTLED * MAX_SETTLED),
});

/** Some poses' looks of a part, side by side. */
export class LookBatch {
  readonly #arrays: LookArrays;
  readonly #kernels: SettleKernels;
  #from = 0;
  #count = 0;

  constructor(memory: KernelMemory, sizes: BatchSizes, positions: Float32Array, joints: Uint16Array) {
    this.#arrays = layLooks(memory, sizes);
    this.#kernels = settleKernels(memory);
    this.#arrays.positions.set(positions);
    this.#arrays.joints.set(joints);
  }

  /** Numbers of the poses that are held. */
  get poses(): { readonly from: number; readonly count: number } {
    return { from: this.#from, count: this.#count };
  }

  begin(posed: PosedPalettes, inverseBinds: Float32Array, from: number): void {
    const { palettes, poses, looks } = this.#arrays;
    this.#from = from;
    this.#count = Math.min(poses, posed.count - from);
    layPalettes(posed, inverseBinds, this.poses, palettes, poses);
    if (this.#count < poses) looks.fill(0);
  }

  /** Takes in where the points are in a pose. @param look Float32Array, 3 a point */
  take(pose: number, look: Float32Array): void {
    const { looks, poses } = this.#arrays;
    for (let i = 0, to = pose - this.#from; i < look.length; i++, to += poses) looks[to] = look[i];
  }

  /** Adds a point's products to those that there are. @param gram n × n: the lower half counts */
  addProducts(point: number, from: number, n: number, gram: Float64Array): void {
    this.#kernels.lookProducts(this.#arrays, point, from, n);
    for (let i = 0; i < n * n; i++) gram[i] += this.#arrays.gram[i];
  }

  /** Where a point is in a held pose: x, y or z. */
  at(point: number, pose: number, axis: number): number {
    return this.#arrays.looks[(point * 3 + axis) * this.#arrays.poses + pose - this.#from];
  }
}
