import { BendMeter, rankBends, runRange, worstPose, type JointTrial } from '../../analysis/bends/index.ts';
import { checkInput, checkUp } from '../../analysis/checkUp/index.ts';
import { type RankedStray, rangesOf, rankStrays } from '../../analysis/strays/index.ts';
import { rangePoses } from '../../animation/motionRange.ts';
import { profileLines, type ProfileLine } from '../../analysis/profile/index.ts';
import {
  boundBox,
  type Character,
  DEFAULT_PROFILE,
  DELIVERY,
  type DeliveryProfile,
  type DocumentSettings,
  type Finding,
  skinPart,
} from '../../document/index.ts';
import { bendsBefore } from './bendsBefore.ts';
import { REPORT_ORDER } from './reportOrder.ts';
import type { PictureMesh } from '../../analysis/picture/index.ts';
import type { Pose } from '../../skeleton/pose.ts';
import type { WeightRows } from '../../weights/rows.ts';

/** A bend of the range, and the pose that shows it at its worst. */
export interface ReportedBend {
  readonly trial: JointTrial;
  readonly pose: Pose;
  /** The surface about the joint in that pose, to be drawn; only of the worst bends. */
  readonly surface: readonly PictureMesh[];
}

/** What a report says of a character. */
export interface CharacterReport {
  readonly findings: readonly Finding[];
  readonly strays: readonly RankedStray[];
  /** Joints that bend something, worst first. */
  readonly bends: readonly ReportedBend[];
  readonly atRest: readonly PictureMesh[];
  readonly profile: DeliveryProfile;
  /** Bends whose weights were changed, as they were before, the worst first. */
  readonly before: readonly JointTrial[];
  /** Every limit of the profile, worst first. */
  readonly limits: readonly ProfileLine[];
}

export type ReportSettings = Pick<DocumentSettings, 'nonDeforming' | 'ranges' | 'skinning'> & {
  /** The limits that it is held against; a usual one without. */
  readonly profile?: DeliveryProfile;
  /** The weights as they came, of the same points: bends are told beside those of before. */
  readonly before?: readonly WeightRows[];
};

/** So many of the worst bends are drawn. */
const DRAWN = 6;
/** How much of the surroundings a drawn bend shows, in sizes of what deforms. */
const MARGIN = 0.5;

/**
 * Checks a character, looks for strays, and runs the range of motion.
 *
 * @param character as it is now: its weights, and its joints as they are set up
 * @param watch told how far the work is, 0 to 1; may throw to end it
 */
export async function reportOf(
  character: Character,
  { nonDeforming, ranges: limits, skinning, profile = DEFAULT_PROFILE, before: came }: ReportSettings,
  watch: (share: number) => void = () => undefined,
): Promise<CharacterReport> {
  const { parts, skeleton, rows, drawing } = character;
  const findings = checkUp(character, { profile, nonDeforming, watch: (share) => watch(0.2 * share) });
  const strays = rankStrays(character, { nonDeforming, limits });
  watch(0.4);
  const atRest = parts.map((part, i) => ({
    ...skinPart(character, i, {}, false),
    triangles: part.triangles,
  }));
  const { least, most } = boundBox(parts);
  const held = {
    profile,
    limits: profileLines({ parts, skeleton, rows, height: most[1] - least[1] }, profile, DELIVERY),
  };
  if (!parts.some(({ role }) => role === 'skinned'))
    return { findings, strays, bends: [], before: [], atRest, ...held };
  const { pairs } = checkInput(character, { nonDeforming });
  const ranges = rangesOf(character, { limits }, pairs);
  const meter = await BendMeter.create({ parts, skeleton, rows, drawing }, skinning);
  const measured = runRange(meter, ranges, (share) => watch(0.4 + 0.5 * share), { crossings: REPORT_ORDER });
  const trials = rankBends(measured, REPORT_ORDER);
  const bends = trials.map((trial, i) => {
    const range = ranges.find(({ joint }) => joint === trial.joint);
    const pose = (range && rangePoses(range)[worstPose(trial, REPORT_ORDER)].pose) ?? {};
    return { trial, pose, surface: i < DRAWN ? surfaceAbout(character, meter, trial.joint, pose) : [] };
  });
  const before = came ? bendsBefore(meter, ranges, came, rows) : [];
  watch(1);
  return { findings, strays, bends, before, atRest, ...held };
}

/** The faces in and about what a joint's turn deforms. */
function surfaceAbout(character: Character, meter: BendMeter, joint: number, pose: Pose): PictureMesh[] {
  const skinned = character.parts.map((_, part) => skinPart(character, part, pose, false));
  // Of a drawing all is shown: what bends is a layer, and seen among the others.
  if (character.drawing)
    return character.parts.map(({ triangles }, part) => ({ ...skinned[part], triangles }));
  const least = [Infinity, Infinity, Infinity];
  const most = [-Infinity, -Infinity, -Infinity];
  for (const { part, points } of meter.regionsOf(joint)) {
    const { positions } = skinned[part];
    for (const p of points)
      for (let k = 0; k < 3; k++) {
        least[k] = Math.min(least[k], positions[p * 3 + k]);
        most[k] = Math.max(most[k], positions[p * 3 + k]);
      }
  }
  const margin = MARGIN * Math.max(...most.map((x, k) => x - least[k]));
  const isNear = (positions: Float32Array, p: number): boolean =>
    least.every((low, k) => {
      const x = positions[p * 3 + k];
      return x >= low - margin && x <= most[k] + margin;
    });
  return character.parts.flatMap(({ triangles }, part) => {
    const { positions, normals } = skinned[part];
    return cutOut({ positions, normals, triangles }, (p) => isNear(positions, p));
  });
}

/** The faces whose corners are all wanted, with points of their own; nothing where there is none. */
function cutOut(
  { positions, normals, triangles }: PictureMesh,
  isWanted: (p: number) => boolean,
): PictureMesh[] {
  const numbers = new Map<number, number>();
  const corners: number[] = [];
  for (let t = 0; t < triangles.length; t += 3) {
    const face = [triangles[t], triangles[t + 1], triangles[t + 2]];
    if (!face.every(isWanted)) continue;
    for (const p of face) {
      if (!numbers.has(p)) numbers.set(p, numbers.size);
      corners.push(numbers.get(p) ?? 0);
    }
  }
  if (corners.length === 0) return [];
  const own = (from: Float32Array): Float32Array => {
    const to = new Float32Array(numbers.size * 3);
    for (const [p, at] of numbers) to.set(from.subarray(p * 3, p * 3 + 3), at * 3);
    return to;
  };
  return [{ positions: own(positions), normals: own(normals), triangles: Uint32Array.from(corners) }];
}
