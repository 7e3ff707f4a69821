import { CoreError } from '../errors.ts';
import type { Kernels } from '../kernels/kernels.ts';
import type { Neighbours } from '../topology/topology.ts';
import { DeltaBuilder, copyRow, type Delta } from '../weights/delta.ts';
import { RowStatus } from '../weights/normalize.ts';
import { createRows, type WeightRows } from '../weights/rows.ts';

export type BrushTool = 'add' | 'take' | 'set' | 'smooth';

export interface BrushSettings {
  readonly tool: BrushTool;
  readonly joint: number;
  /** Share of the effect a dab, 0..1; pen pressure is multiplied in by the caller. */
  readonly strength: number;
  /** The weight that Set goes to, 0..1. */
  readonly value: number;
  /** Smooth: this joint's weights only, or all influences at once. */
  readonly smoothAll: boolean;
  /** Largest number of influences a point may get. */
  readonly limit: number;
}

/** What a stroke could not do, in points, each counted once a stroke. */
export interface StrokeReport {
  readonly noReceiver: number;
  readonly lockedShort: number;
  readonly dropped: number;
}

/** Arrays of one part that painting needs, in the kernels' memory; made once a part. */
export interface PaintWorkspace {
  readonly kernels: Kernels;
  readonly neighbours: Neighbours;
  /** Points under the dab: the first `count`; with their falloff. */
  readonly points: Uint32Array;
  readonly amounts: Float32Array;
  readonly targets: Float32Array;
  readonly column: Float32Array;
  readonly status: Uint8Array;
  /** Where smoothing all influences puts its rows, one a listed point. */
  readonly smoothed: WeightRows;
}

/** Points that smoothing all influences can take in one dab. */
const MOST_SMOOTHED = 1 << 18;

/** Bytes of kernel memory that a paint workspace takes, neighbours apart. */
export function paintWorkspaceBytes(pointCount: number, stride: number): number {
  return pointCount * 17 + Math.min(pointCount, MOST_SMOOTHED) * stride * 6 + 1024;
}

export function createPaintWorkspace(
  kernels: Kernels,
  pointCount: number,
  stride: number,
  neighbours: Neighbours,
): PaintWorkspace {
  return {
    kernels,
    neighbours,
    points: kernels.u32(pointCount),
    amounts: kernels.f32(pointCount),
    targets: kernels.f32(pointCount),
    column: kernels.f32(pointCount),
    status: kernels.u8(pointCount),
    smoothed: kernels.rows(Math.min(pointCount, MOST_SMOOTHED), stride),
  };
}

/**
 * One brush stroke on one part: any number of dabs, one delta.
 *
 * Dabs write the rows at once, so that the surface can follow; `finish` tells what the stroke has changed as a whole.
 * Every row goes through the normalizing routine.
 */
export class Stroke {
  readonly #part: number;
  readonly #rows: WeightRows;
  readonly #workspace: PaintWorkspace;
  readonly #settings: BrushSettings;
  readonly #locks: Uint8Array;
  /** Points met so far, in the order met, with their rows before the stroke. */
  readonly #met = new Map<number, number>();
  #saved: WeightRows;
  readonly #told = new Map<number, number>();

  /** @throws CoreError joint-locked if the brush's joint is locked */
  constructor(
    part: number,
    rows: WeightRows,
    workspace: PaintWorkspace,
    settings: BrushSettings,
    locks: Uint8Array,
  ) {
    if (locks[settings.joint] && !(settings.tool === 'smooth' && settings.smoothAll)) {
      throw new CoreError('joint-locked', 'This joint is locked. Unlock it in the roster to paint it.', {
        joint: settings.joint,
      });
    }
    this.#part = part;
    this.#rows = rows;
    this.#workspace = workspace;
    this.#settings = settings;
    this.#locks = locks;
    this.#saved = createRows(256, rows.stride);
  }

  /**
   * One dab on the first `count` points of the workspace's list, with their falloff in `amounts`.
   * @param pressure 0..1, multiplies the strength
   */
  dab(count: number, pressure = 1): void {
    const { kernels, points, amounts, targets, status } = this.#workspace;
    const { joint, tool, smoothAll, limit } = this.#settings;
    this.#remember(count);
    const strength = this.#settings.strength * pressure;
    const list = { points, count };
    if (tool === 'smooth' && smoothAll) {
      for (let i = 0; i < count; i++) amounts[i] *= strength;
      this.#smoothAll(count);
    } else {
      if (tool === 'smooth') this.#smoothTargets(count, strength);
      else this.#valueTargets(count, strength);
      kernels.setWeights(this.#rows, list, targets, joint, limit, this.#locks, status);
    }
    for (let i = 0; i < count; i++)
      if (status[i] > 1) this.#told.set(points[i], (this.#told.get(points[i]) ?? 0) | status[i]);
  }

  /** The stroke as one delta, by rising point, and what it could not do. */
  finish(): { delta: Delta; report: StrokeReport } {
    const builder = new DeltaBuilder(this.#part, this.#rows.stride, this.#met.size);
    const order = Uint32Array.from(this.#met.keys()).sort();
    for (const point of order)
      builder.push(point, this.#saved, this.#met.get(point) as number, this.#rows, point);
    const countBits = (bit: number): number => [...this.#told.values()].filter((bits) => bits & bit).length;
    return {
      delta: builder.finish(),
      report: {
        noReceiver: countBits(RowStatus.noReceiver),
        lockedShort: countBits(RowStatus.lockedShort),
        dropped: countBits(RowStatus.dropped),
      },
    };
  }

  #remember(count: number): void {
    const { points } = this.#workspace;
    for (let i = 0; i < count; i++) {
      const point = points[i];
      if (this.#met.has(point)) continue;
      const slot = this.#met.size;
      if (slot >= this.#saved.pointCount) this.#saved = grown(this.#saved);
      copyRow(this.#rows, point, this.#saved, slot);
      this.#met.set(point, slot);
    }
  }

  #valueTargets(count: number, strength: number): void {
    const { points, amounts, targets } = this.#workspace;
    const { tool, value, joint } = this.#settings;
    const { stride, joints, values } = this.#rows;
    const wanted = tool === 'set' ? value : 0;
    for (let i = 0; i < count; i++) {
      let own = 0;
      for (let k = points[i] * stride, end = k + stride; k < end && values[k] !== 0; k++) {
        if (joints[k] === joint) own = values[k];
      }
      const share = strength * amounts[i];
      if (tool === 'add') targets[i] = Math.min(1, own + share);
      else if (tool === 'take') targets[i] = Math.max(0, own - share);
      else targets[i] = own + (wanted - own) * share;
    }
  }

  #smoothTargets(count: number, strength: number): void {
    const { kernels, neighbours, points, amounts, targets, column } = this.#workspace;
    const { stride, joints, values } = this.#rows;
    const read = (point: number): void => {
      column[point] = 0;
      for (let k = point * stride, end = k + stride; k < end && values[k] !== 0; k++) {
        if (joints[k] === this.#settings.joint) column[point] = values[k];
      }
    };
    for (let i = 0; i < count; i++) {
      const point = points[i];
      amounts[i] *= strength;
      read(point);
      for (let k = neighbours.offsets[point]; k < neighbours.offsets[point + 1]; k++)
        read(neighbours.points[k]);
    }
    kernels.smoothTargets({ points, count }, column, neighbours, amounts, targets);
  }

  #smoothAll(count: number): void {
    const { kernels, neighbours, points, amounts, smoothed, status } = this.#workspace;
    const { limit } = this.#settings;
    const taken = Math.min(count, smoothed.pointCount);
    status.fill(0, taken, count);
    kernels.smoothRows(
      this.#rows,
      smoothed,
      { points, count: taken },
      neighbours,
      amounts,
      limit,
      this.#locks,
      status,
    );
    for (let i = 0; i < taken; i++) {
      if (status[i] & RowStatus.changed) copyRow(smoothed, i, this.#rows, points[i]);
    }
  }
}

function grown(rows: WeightRows): WeightRows {
  const larger = createRows(rows.pointCount * 2, rows.stride);
  larger.joints.set(rows.joints);
  larger.values.set(rows.values);
  return larger;
}
