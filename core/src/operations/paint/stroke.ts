import { CoreError } from '../../errors.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { DeltaBuilder, copyRow, rowsEqual, type Delta } from '../../weights/delta.ts';
import type { PointMask } from '../../mesh/masks.ts';
import { mayWeigh, type Areas } from '../../weights/confines.ts';
import { addCandidate, NEIGHBOURS, OTHERS, setInfluence, type Receiver } from '../../weights/influence.ts';
import {
  beginWithLocked,
  createCandidates,
  normalizeCandidates,
  RowStatus,
  type Candidates,
} from '../../weights/normalize.ts';
import { FollowingHandles } from '../../weights/followingHandles.ts';
import { createRows, createRowsIn, weightOf, type WeightRows } from '../../weights/rows.ts';
import { weightKernels } from '../../weights/weightKernels.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';

export const BRUSH_TOOLS = ['add', 'take', 'set', 'smooth', 'sharpen', 'scale', 'restore'] as const;
export type BrushTool = (typeof BRUSH_TOOLS)[number];

export interface BrushSettings {
  readonly tool: BrushTool;
  readonly joint: number;
  /** Share of the effect a dab, 0..1; pen pressure is multiplied in by the caller. */
  readonly strength: number;
  /** The weight that Set goes to, 0..1; for Scale, what weights are multiplied by. */
  readonly value: number;
  /** Smooth and restore: this joint's weights only, or all influences at once. */
  readonly allInfluences: boolean;
  /** For restore: the part's rows as they were. */
  readonly past?: WeightRows;
  /** Largest number of influences a point may get. */
  readonly limit: number;
  /** Where weight goes that is taken away; to the others in proportion where missing. */
  readonly receiver?: Receiver;
  /** Whether a point gets no more in one stroke than a single pass gives, however often the brush comes by. */
  readonly singlePass?: boolean;
  /** Points that may change: Uint8Array, pointCount; all where missing. */
  readonly mask?: PointMask;
  /** Where confined joints may be given weight; what they have elsewhere they may keep. */
  readonly areas?: Areas;
  /**
   * Of a layer of a drawing: Uint32Array, pointCount: the anchor that each point is the handle of, itself for an anchor.
   * Handles that have what their anchor has go on having it.
   */
  readonly anchors?: Uint32Array;
}

/** What a stroke could not do, in points, each counted once a stroke. */
export interface StrokeReport {
  readonly noReceiver: number;
  readonly lockedShort: number;
  readonly dropped: number;
  /** Points that kept weight which was to be taken, because nothing could receive it; rising. */
  readonly refused: Uint32Array;
}

/** Arrays of one part that painting needs, in the kernels' memory; made once a part. */
export interface PaintWorkspace {
  readonly memory: KernelMemory;
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

/** Whether a brush changes all influences of what it meets, whichever joint is chosen. */
export const takesAll = ({ tool, allInfluences }: Pick<BrushSettings, 'tool' | 'allInfluences'>): boolean =>
  allInfluences && (tool === 'smooth' || tool === 'restore');

/** How much one full pass of Sharpen steepens. */
const SHARPEN = 0.5;

/** Points that smoothing all influences can take in one dab. */
const MAX_SMOOTHED = 1 << 18;

export function createPaintWorkspace(
  memory: KernelMemory,
  pointCount: number,
  stride: number,
  neighbours: Neighbours,
): PaintWorkspace {
  return {
    memory,
    neighbours,
    points: memory.u32(pointCount),
    amounts: memory.f32(pointCount),
    targets: memory.f32(pointCount),
    column: memory.f32(pointCount),
    status: memory.u8(pointCount),
    smoothed: createRowsIn(memory, Math.min(pointCount, MAX_SMOOTHED), stride),
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
  /** By point, the share of a single pass that it has had. */
  readonly #passed = new Map<number, number>();
  readonly #candidates = createCandidates();
  /** Points met so far, in the order met, with their rows before the stroke. */
  readonly #met = new Map<number, number>();
  #saved: WeightRows;
  readonly #told = new Map<number, number>();
  readonly #handles: FollowingHandles | undefined;

  /** @throws CoreError joint-locked if the brush's joint is locked */
  constructor(
    part: number,
    rows: WeightRows,
    workspace: PaintWorkspace,
    settings: BrushSettings,
    locks: Uint8Array,
  ) {
    if (locks[settings.joint] && !takesAll(settings)) {
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
    this.#handles = settings.anchors && new FollowingHandles(settings.anchors, rows);
  }

  /**
   * One dab on the first `count` points of the workspace's list, with their falloff in `amounts`.
   * @param pressure 0..1, multiplies the strength
   * @param joint    painted instead of the stroke's own: the partner, for a mirrored dab
   * @returns how many points, now first in the list, the mask let through
   */
  dab(count: number, pressure = 1, joint = this.#settings.joint): number {
    const { memory, points, amounts, targets, status } = this.#workspace;
    const { tool, allInfluences, limit, receiver = OTHERS, past } = this.#settings;
    const open = this.#letThrough(count);
    this.#remember(open);
    const strength = this.#settings.strength * pressure;
    for (let i = 0; i < open; i++) amounts[i] *= strength;
    if (this.#settings.singlePass) this.#singlePass(open);
    const list = { points, count: open };
    if (tool === 'smooth' && allInfluences) this.#smoothAll(open);
    else if (tool === 'restore') this.#restore(open, joint, past);
    else {
      if (tool === 'smooth' || tool === 'sharpen') this.#smoothTargets(open, joint, tool === 'sharpen');
      else this.#valueTargets(open, joint);
      this.#capTargets(open, joint);
      if (receiver.kind === 'others') {
        weightKernels(memory).setWeights(this.#rows, list, targets, joint, limit, this.#locks, status);
        if (tool === 'smooth') this.#giveToNeighbours(open, joint);
      } else this.#setWithReceiver(open, joint, receiver);
    }
    for (let i = 0; i < open; i++)
      if (status[i] > 1) this.#told.set(points[i], (this.#told.get(points[i]) ?? 0) | status[i]);
    return this.#takeHandlesAlong(open);
  }

  /** Gives handles what their anchors have now; they come behind the points of the dab. @returns how many points now */
  #takeHandlesAlong(open: number): number {
    const handles = this.#handles;
    if (!handles) return open;
    const { points } = this.#workspace;
    const { mask } = this.#settings;
    let count = open;
    for (let i = 0; i < open; i++)
      for (const handle of handles.of(points[i])) {
        if (mask && !mask[handle]) continue;
        this.#rememberPoint(handle);
        copyRow(this.#rows, points[i], this.#rows, handle);
        points[count++] = handle;
      }
    return count;
  }

  /**
   * Brings a point's weights nearer to those of one that touches it: all influences or the stroke's joint, as it
   * smooths. Locked joints keep theirs.
   * @param share 0 leaves them, 1 makes them alike
   * @returns whether the mask let it
   */
  approach(
    point: number,
    source: WeightRows,
    at: number,
    share: number,
    joint = this.#settings.joint,
  ): boolean {
    const { mask, allInfluences, limit, receiver = OTHERS, areas } = this.#settings;
    if (mask && !mask[point]) return false;
    this.#rememberPoint(point);
    const c = this.#candidates;
    const rules = { limit, locks: this.#locks, areas };
    let status: number;
    if (allInfluences) {
      mixRows(c, this.#rows, point, source, at, share, this.#locks, areas);
      status = normalizeCandidates(this.#rows, point, c, { fixed: -1, ...rules });
    } else {
      const own = this.#weightOf(point, joint);
      const target = own + (weightOf(source, at, joint) - own) * share;
      const { neighbours } = this.#workspace;
      const how = {
        receiver: receiver.kind === 'others' ? this.#othersAt(point, joint) : receiver,
        neighbours,
        ...rules,
      };
      status = setInfluence(this.#rows, point, this.#rows, point, joint, target, how, c);
    }
    if (status > 1) this.#told.set(point, (this.#told.get(point) ?? 0) | status);
    return true;
  }

  /** Towards the rows of the past. */
  #restore(count: number, joint: number, past: WeightRows | undefined): void {
    const { points, amounts, status } = this.#workspace;
    status.fill(0, 0, count);
    if (!past) return;
    for (let i = 0; i < count; i++) {
      const point = points[i];
      if (amounts[i] <= 0 || rowsEqual(this.#rows, point, past, point)) continue;
      this.approach(point, past, point, Math.min(1, amounts[i]), joint);
    }
  }

  /** The other influences, or what the neighbours have where there are none. */
  #othersAt(point: number, joint: number): Receiver {
    return this.#weightOf(point, joint) < 1 ? OTHERS : NEIGHBOURS;
  }

  /** Sorts out points that the mask does not let through, and handles that go along with their anchors. */
  #letThrough(count: number): number {
    const { mask } = this.#settings;
    const handles = this.#handles;
    if (!mask && !handles) return count;
    const { points, amounts } = this.#workspace;
    let open = 0;
    for (let i = 0; i < count; i++) {
      if (mask && !mask[points[i]]) continue;
      if (handles?.follows(points[i])) continue;
      points[open] = points[i];
      amounts[open++] = amounts[i];
    }
    return open;
  }

  /** Leaves of each amount what a single pass has not given yet. */
  #singlePass(count: number): void {
    const { points, amounts } = this.#workspace;
    const { tool } = this.#settings;
    for (let i = 0; i < count; i++) {
      const had = this.#passed.get(points[i]) ?? 0;
      const wanted = amounts[i];
      if (wanted <= had) {
        amounts[i] = 0;
        continue;
      }
      this.#passed.set(points[i], wanted);
      // What goes toward a goal by shares composes by products; what is added composes by sums.
      amounts[i] =
        tool === 'add' || tool === 'take' ? wanted - had : had < 1 ? 1 - (1 - wanted) / (1 - had) : 0;
    }
  }

  /** Smoothing brings in what the neighbours have, where a point has no other influence that could receive. */
  #giveToNeighbours(count: number, joint: number): void {
    const { points, targets, status, neighbours } = this.#workspace;
    const { limit, areas } = this.#settings;
    const rules = { receiver: NEIGHBOURS, limit, locks: this.#locks, neighbours, areas };
    for (let i = 0; i < count; i++) {
      if (!(status[i] & RowStatus.noReceiver)) continue;
      const point = points[i];
      status[i] = setInfluence(
        this.#rows,
        point,
        this.#rows,
        point,
        joint,
        targets[i],
        rules,
        this.#candidates,
      );
    }
  }

  #setWithReceiver(count: number, joint: number, receiver: Receiver): void {
    const { points, targets, status, neighbours } = this.#workspace;
    const { limit, areas } = this.#settings;
    const rules = { receiver, limit, locks: this.#locks, neighbours, areas };
    for (let i = 0; i < count; i++)
      status[i] = setInfluence(
        this.#rows,
        points[i],
        this.#rows,
        points[i],
        joint,
        targets[i],
        rules,
        this.#candidates,
      );
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
        refused: Uint32Array.from(
          [...this.#told].filter(([, bits]) => bits & RowStatus.noReceiver).map(([point]) => point),
        ).sort(),
      },
    };
  }

  #remember(count: number): void {
    const { points } = this.#workspace;
    for (let i = 0; i < count; i++) this.#rememberPoint(points[i]);
  }

  #rememberPoint(point: number): void {
    if (this.#met.has(point)) return;
    const slot = this.#met.size;
    if (slot >= this.#saved.pointCount) this.#saved = grown(this.#saved);
    copyRow(this.#rows, point, this.#saved, slot);
    this.#met.set(point, slot);
  }

  #valueTargets(count: number, joint: number): void {
    const { points, amounts, targets } = this.#workspace;
    const { tool, value } = this.#settings;
    for (let i = 0; i < count; i++) {
      const own = this.#weightOf(points[i], joint);
      const share = amounts[i];
      if (tool === 'add') targets[i] = Math.min(1, own + share);
      else if (tool === 'take') targets[i] = Math.max(0, own - share);
      else if (tool === 'scale') targets[i] = Math.min(1, own * (1 + (value - 1) * share));
      else targets[i] = own + (value - own) * share;
    }
  }

  /** Where the joint may not be given weight, its weight may only fall. */
  #capTargets(count: number, joint: number): void {
    const { areas } = this.#settings;
    if (!areas?.has(joint)) return;
    const { points, targets } = this.#workspace;
    for (let i = 0; i < count; i++)
      if (!mayWeigh(areas, joint, points[i]))
        targets[i] = Math.min(targets[i], this.#weightOf(points[i], joint));
  }

  #weightOf(point: number, joint: number): number {
    const { stride, joints, values } = this.#rows;
    for (let k = point * stride, end = k + stride; k < end && values[k] !== 0; k++)
      if (joints[k] === joint) return values[k];
    return 0;
  }

  #smoothTargets(count: number, joint: number, sharpen: boolean): void {
    const { memory, neighbours, points, amounts, targets, column } = this.#workspace;
    for (let i = 0; i < count; i++) {
      const point = points[i];
      column[point] = this.#weightOf(point, joint);
      for (let k = neighbours.offsets[point]; k < neighbours.offsets[point + 1]; k++)
        column[neighbours.points[k]] = this.#weightOf(neighbours.points[k], joint);
    }
    weightKernels(memory).smoothTargets({ points, count }, column, neighbours, amounts, targets);
    if (!sharpen) return;
    // Away from the mean of the neighbours by as much as smoothing goes toward it, and away from a half.
    for (let i = 0; i < count; i++) {
      const own = column[points[i]];
      if (own <= 0 || own >= 1) {
        targets[i] = own;
        continue;
      }
      const steep = own + SHARPEN * amounts[i] * (own - 0.5) * 2 * own * (1 - own) * 2;
      targets[i] = Math.max(0, Math.min(1, steep + (own - targets[i])));
    }
  }

  #smoothAll(count: number): void {
    const { memory, neighbours, points, amounts, smoothed, status } = this.#workspace;
    const { limit } = this.#settings;
    const taken = Math.min(count, smoothed.pointCount);
    status.fill(0, taken, count);
    weightKernels(memory).smoothRows(
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
      if (this.#settings.areas && status[i] & RowStatus.changed) this.#capRow(i, points[i]);
      if (status[i] & RowStatus.changed) copyRow(smoothed, i, this.#rows, points[i]);
    }
  }

  /** Takes out of a smoothed row what confined joints would get beyond what they have. */
  #capRow(i: number, point: number): void {
    const { smoothed, status } = this.#workspace;
    const { areas, limit } = this.#settings;
    const c = this.#candidates;
    const first = i * smoothed.stride;
    let [over, bound, free] = [false, 0, 0];
    c.count = 0;
    const isBound = (joint: number): boolean => this.#locks[joint] !== 0 || !mayWeigh(areas, joint, point);
    for (let k = first; k < first + smoothed.stride && smoothed.values[k] !== 0; k++) {
      const joint = smoothed.joints[k];
      let value = smoothed.values[k];
      if (isBound(joint)) {
        const most = this.#weightOf(point, joint);
        over ||= value > most;
        value = Math.min(most, value);
        bound += value;
      } else free += value;
      c.joints[c.count] = joint;
      c.values[c.count++] = value;
    }
    if (!over) return;
    if (free <= 0) {
      status[i] = RowStatus.unchanged;
      return;
    }
    for (let k = 0; k < c.count; k++) if (!isBound(c.joints[k])) c.values[k] *= (1 - bound) / free;
    status[i] = normalizeCandidates(smoothed, i, c, { fixed: -1, limit, locks: this.#locks });
  }
}

/** A row with a share of another in it; locked joints whole as they are. */
function mixRows(
  c: Candidates,
  own: WeightRows,
  point: number,
  other: WeightRows,
  at: number,
  share: number,
  locks: Uint8Array,
  areas: Areas | undefined,
): void {
  beginWithLocked(c, own, point, locks);
  const add = ({ joints, values, stride }: WeightRows, row: number, part: number, isOwn: boolean): void => {
    for (let k = row * stride, end = k + stride; k < end && values[k] !== 0; k++)
      if (!locks[joints[k]] && (isOwn || mayWeigh(areas, joints[k], point)))
        addCandidate(c, joints[k], values[k] * part);
  };
  add(own, point, 1 - share, true);
  add(other, at, share, false);
}

function grown(rows: WeightRows): WeightRows {
  const larger = createRows(rows.pointCount * 2, rows.stride);
  larger.joints.set(rows.joints);
  larger.values.set(rows.values);
  return larger;
}
