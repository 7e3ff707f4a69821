import { type Edit, JOINT_SECTIONS } from '@judoka/core/document';
import { weightOf, type Delta } from '@judoka/core/weights';
import { packPlaces } from './pointRuns.ts';

/** What an edit touched, for whoever looks for it later. */
export interface EditSummary {
  /** How many points' weights. */
  readonly points: number;
  /** Whose weights, names, roles or pieces; rising. */
  readonly parts: number[];
  /** Whose weights, setups or values; rising. */
  readonly joints: number[];
  /** Which points; null where there are none. */
  readonly places: Buffer | null;
}

export function summarizeEdit({ weights, joints, values }: Edit): EditSummary {
  const parts = new Set(weights.map(({ part }) => part));
  const touched = new Set(joints.map(({ joint }) => joint));
  for (const delta of weights) noteJoints(delta, touched);
  for (const { path } of values) {
    const [section, key] = path.split('/');
    if ((JOINT_SECTIONS as readonly string[]).includes(section)) touched.add(Number(key));
    else if (section === 'parts' || section === 'pieces') parts.add(Number(key));
  }
  return {
    points: weights.reduce((sum, { points }) => sum + points.length, 0),
    parts: rising(parts),
    joints: rising(touched),
    places: weights.length > 0 ? packPlaces(weights) : null,
  };
}

const rising = (set: ReadonlySet<number>): number[] => [...set].sort((a, b) => a - b);

/** Adds the joints whose weight differs somewhere. */
function noteJoints({ points, before, after }: Delta, touched: Set<number>): void {
  for (const [own, other] of [
    [before, after],
    [after, before],
  ])
    for (let p = 0; p < points.length; p++)
      for (let k = p * own.stride; k < (p + 1) * own.stride && own.values[k] !== 0; k++)
        if (!touched.has(own.joints[k]) && weightOf(other, p, own.joints[k]) !== own.values[k])
          touched.add(own.joints[k]);
}
