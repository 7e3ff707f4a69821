import { type Clip, type MotionRange } from '@judoka/core/animation';
import { costPoses, measureCost, type Cost, type CostPose } from '@judoka/core/analysis/costs';
import { PosedPalettes } from '@judoka/core/deform';
import type { CharacterPart } from '@judoka/core/document';
import {
  dropJoints,
  type JointDrop,
  limitInfluences,
  type LimitedPoints,
} from '@judoka/core/operations/limit';
import type { Skeleton } from '@judoka/core/skeleton';
import { roundRows, type WeightRows } from '@judoka/core/weights';
import * as Comlink from 'comlink';

/** A character as it is to be held against its limits. */
export interface CostSubject {
  /** Of parts that have weights; the others are undefined. */
  readonly parts: readonly (Pick<CharacterPart, 'positions' | 'inverseBinds' | 'pointCount'> | undefined)[];
  readonly skeleton: Skeleton;
  readonly rows: readonly WeightRows[];
  readonly locks: Uint8Array;
  readonly ranges: readonly MotionRange[];
  readonly clips: readonly Clip[];
}

type Tell = (share: number) => void;

let subject: CostSubject | undefined;
let poses: readonly CostPose[] = [];
let posed: PosedPalettes | undefined;

function held(): { subject: CostSubject; posed: PosedPalettes } {
  if (!subject || !posed) throw new Error('The character has not come yet.');
  return { subject, posed };
}

const worker = {
  /** Takes a character; @returns how many poses it is looked at in */
  begin(of: CostSubject): number {
    subject = of;
    poses = costPoses(of.ranges, of.clips);
    posed = new PosedPalettes(
      of.skeleton,
      poses.map(({ pose }) => pose),
    );
    return poses.length;
  },

  poseAt: (index: number): CostPose | undefined => poses.at(index),

  /** Every `of`-th of the points that have too many influences, from the `index`-th; by part. */
  limit(limit: number, index: number, of: number, tell: Tell): (LimitedPoints | undefined)[] {
    const now = held();
    const { parts, rows, locks } = now.subject;
    return parts.map((part, p) => {
      if (!part) return undefined;
      const own = Uint32Array.from(
        { length: Math.ceil((part.pointCount - index) / of) },
        (_, i) => index + i * of,
      );
      const watch = (share: number): void => tell((p + share) / parts.length);
      return limitInfluences({ ...part, rows: rows[p] }, now.posed, own, { limit, locks }, watch);
    });
  },

  /** @param required joints that stay */
  drop(limit: number, required: readonly number[], tell: Tell): JointDrop[] {
    const now = held();
    const { parts, rows, locks, skeleton } = now.subject;
    const indices = [...parts.keys()].filter((p) => parts[p]);
    const skinned = indices.flatMap((p) => {
      const part = parts[p];
      return part ? [{ ...part, rows: rows[p] }] : [];
    });
    const mayGo = (joint: number): boolean => !required.includes(joint);
    return dropJoints(skeleton, skinned, now.posed, { locks, mayGo, limit }, tell).map((drop) => ({
      ...drop,
      rows: drop.rows.map((each) => ({ ...each, part: indices[each.part] })),
    }));
  },

  /** What other weights cost against those that it came with. */
  measure(after: readonly WeightRows[], tell: Tell): Cost {
    const now = held();
    const { parts, rows } = now.subject;
    return measureCost(
      parts.map((part) => part ?? NOTHING),
      rows,
      after,
      now.posed,
      tell,
    );
  },

  /** What rounding of some weights costs. */
  round(before: readonly WeightRows[], whole: number, tell: Tell): Cost {
    const now = held();
    const rounded = before.map((rows) => roundRows(rows, whole));
    return measureCost(
      now.subject.parts.map((part) => part ?? NOTHING),
      before,
      rounded,
      now.posed,
      tell,
    );
  },
};

const NOTHING = { positions: new Float32Array(0), inverseBinds: new Float32Array(0), pointCount: 0 };

export type CostWorker = typeof worker;
Comlink.expose(worker);
