import { countBytes } from '../../memory/countBytes.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';
import { MAX_SETTLED } from './ShareSolver.ts';

/** Poses of which something is asked at points, in fours: compressed rows. */
export interface PoseBlocks {
  readonly offsets: Uint32Array;
  readonly blocks: Uint16Array;
}

/**
 * What weights are settled by, in the kernels' memory. Points are numbered anew: those listed, which may change, and then their
 * neighbours. A point's places are three runs of `poses` numbers, one of x, one of y, one of z.
 */
export interface SettleArrays {
  /** Numbers a run: the poses, filled up to fours. */
  readonly poses: number;
  readonly listed: number;
  readonly count: number;
  /** Float32Array, 3 a point: where it is bound, and where it rests. */
  readonly positions: Float32Array;
  readonly rest: Float32Array;
  /** Compressed rows, a listed point each: the numbers of its neighbours. */
  readonly offsets: Uint32Array;
  readonly neighbours: Uint32Array;
  /** By listed point: the blocks in which it may come to lie elsewhere. */
  readonly open: PoseBlocks;
  /** By listed point: the blocks in which its rotation is asked for. */
  readonly asked: PoseBlocks;
  /** Compressed rows, a listed point each: who may weigh, and how much. */
  readonly jointOffsets: Uint32Array;
  readonly joints: Uint16Array;
  readonly weights: Float64Array;
  /** `stride` a point: what it came with. */
  readonly stride: number;
  readonly rowJoints: Uint16Array;
  readonly rowValues: Float32Array;
  /** 12 runs a joint: the upper three rows of what it does to the part, column by column. */
  readonly palettes: Float32Array;
  /** 3 runs a point. */
  readonly places: Float32Array;
  /** The listed points' places as they came. */
  readonly came: Float32Array;
  /** 4 runs a listed point: its rotation as a quaternion. */
  readonly turns: Float32Array;
  /** 3 runs a joint, and 3 of where the point is wanted: scratch. */
  readonly away: Float32Array;
  /** The products of these, n × n. */
  readonly gram: Float64Array;
  /** One run: how far points have moved. */
  readonly moved: Float64Array;
}

export interface SettleSizes {
  readonly poses: number;
  readonly listed: number;
  readonly count: number;
  readonly neighbours: number;
  readonly open: number;
  readonly asked: number;
  readonly weights: number;
  readonly stride: number;
  readonly joints: number;
}

const BLOCK = 4;

/** A number of poses, filled up to whole blocks. */
export const inBlocks = (poses: number): number => Math.ceil(poses / BLOCK) * BLOCK;
export const blockOf = (pose: number): number => Math.floor(pose / BLOCK);
export const firstOf = (block: number): number => block * BLOCK;
export const afterLastOf = (block: number): number => (block + 1) * BLOCK;

export function laySettling(memory: KernelMemory, sizes: SettleSizes): SettleArrays {
  const { poses, listed, count, stride } = sizes;
  const blocks = (length: number): PoseBlocks => ({
    offsets: memory.u32(listed + 1),
    blocks: memory.u16(length),
  });
  return {
    ...{ poses, listed, count, stride },
    positions: memory.f32(3 * count),
    rest: memory.f32(3 * count),
    offsets: memory.u32(listed + 1),
    neighbours: memory.u32(sizes.neighbours),
    open: blocks(sizes.open),
    asked: blocks(sizes.asked),
    jointOffsets: memory.u32(listed + 1),
    joints: memory.u16(sizes.weights),
    weights: memory.f64(sizes.weights),
    rowJoints: memory.u16(count * stride),
    rowValues: memory.f32(count * stride),
    palettes: memory.f32(12 * poses * sizes.joints),
    places: memory.f32(3 * poses * count),
    came: memory.f32(3 * poses * listed),
    turns: memory.f32(4 * poses * listed),
    away: memory.f32(3 * poses * (MAX_SETTLED + 1)),
    gram: memory.f64(MAX_SETTLED * MAX_SETTLED),
    moved: memory.f64(poses),
  };
}

export const settlingBytes = (sizes: SettleSizes): number =>
  countBytes((memory) => laySettling(memory, sizes));
