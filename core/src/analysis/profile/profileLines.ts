import {
  counted,
  type Delivery,
  type DeliveryProfile,
  isNameTaken,
  WEIGHT_FORMAT_WORDS,
  WEIGHT_FORMATS,
} from '../../document/index.ts';
import type { Character } from '../../document/character.ts';
import { liveJoints } from '../../skeleton/skeleton.ts';
import { influenceCount, type WeightRows } from '../../weights/rows.ts';

export const LIMITS = [
  'influences',
  'joints',
  'vertices',
  'weights',
  'names',
  'required',
  'height',
  'up',
] as const;
export type Limit = (typeof LIMITS)[number];

/** One limit of a profile, held against a character as it would leave. */
export interface ProfileLine {
  readonly limit: Limit;
  readonly isMet: boolean;
  /** How many times what is taken there is; 1 and less where it is met. */
  readonly excess: number;
  /** In a sentence: what is there, and what is taken. */
  readonly words: string;
  /** By part: the points over the limit. */
  readonly points?: ReadonlyMap<number, Uint32Array>;
  /** Joints that the line is about. */
  readonly joints?: readonly number[];
  /** Of joints: so many that one part's skin has, that have weight on it. */
  readonly used?: number;
  /** Of names: those that are missing. */
  readonly missing?: readonly string[];
}

export interface ProfileSubject extends Pick<Character, 'parts' | 'skeleton'> {
  readonly rows: readonly WeightRows[];
  /** How tall it is, in scene units. */
  readonly height: number;
}

/** Every limit of a profile, met or not, worst first. */
export function profileLines(
  subject: ProfileSubject,
  profile: DeliveryProfile,
  delivery: Delivery,
): ProfileLine[] {
  const lines = [
    influencesLine(subject, profile),
    jointsLine(subject, profile, delivery),
    verticesLine(subject, profile, delivery),
    ...weightsLine(profile, delivery),
    ...namesLine(subject, profile),
    ...requiredLine(subject, profile),
    ...heightLine(subject, profile, delivery),
    ...upLine(profile, delivery),
  ];
  return lines.sort((a, b) => b.excess - a.excess || LIMITS.indexOf(a.limit) - LIMITS.indexOf(b.limit));
}

const isSkinned = ({ parts }: Pick<ProfileSubject, 'parts'>, part: number): boolean =>
  parts[part].role === 'skinned';

function influencesLine(subject: ProfileSubject, { influences }: DeliveryProfile): ProfileLine {
  const points = new Map<number, Uint32Array>();
  let [most, over] = [0, 0];
  subject.rows.forEach((rows, part) => {
    if (!isSkinned(subject, part)) return;
    const own: number[] = [];
    for (let p = 0; p < rows.pointCount; p++) {
      const count = influenceCount(rows, p);
      most = Math.max(most, count);
      if (count > influences) own.push(p);
    }
    over += own.length;
    if (own.length > 0) points.set(part, Uint32Array.from(own));
  });
  const taken = `${counted(influences, 'influence')} a vertex`;
  return {
    ...{ limit: 'influences', isMet: most <= influences, excess: most / influences, points },
    words:
      most <= influences
        ? `At most ${most} of ${taken}.`
        : `${counted(over, 'point has', 'points have')} up to ${most}; ${taken} ${influences === 1 ? 'is' : 'are'} taken.`,
  };
}

/** By part with weights: the joints that have some on it. */
export function jointsByPart(subject: Pick<ProfileSubject, 'parts' | 'rows'>): Map<number, Set<number>> {
  const used = new Map<number, Set<number>>();
  subject.rows.forEach(({ joints, values }, part) => {
    if (!isSkinned(subject, part)) return;
    const own = new Set<number>();
    for (let i = 0; i < values.length; i++) if (values[i] > 0) own.add(joints[i]);
    used.set(part, own);
  });
  return used;
}

function jointsLine(
  subject: ProfileSubject,
  { joints: most }: DeliveryProfile,
  { leavesEmptyJoints, maxJoints }: Delivery,
): ProfileLine {
  const byPart = [...jointsByPart(subject).values()];
  const used = byPart.reduce((count, own) => Math.max(count, own.size), 0);
  const listed = leavesEmptyJoints ? used : byPart.length === 0 ? 0 : liveJoints(subject.skeleton).length;
  const found = maxJoints > 0 ? Math.min(maxJoints, used) : listed;
  const empty = listed > used ? `, of which ${counted(listed - used, 'has', 'have')} no weight on it` : '';
  return {
    ...{ limit: 'joints', isMet: found <= most, excess: found / most, used },
    words:
      found <= most
        ? `At most ${found} of ${counted(most, 'joint')} a skin.`
        : `A skin has ${counted(found, 'joint')}${empty}; ${most} are taken.`,
  };
}

function verticesLine(
  { parts }: ProfileSubject,
  { vertices: most }: DeliveryProfile,
  { maxVertices }: Delivery,
): ProfileLine {
  const largest = parts.reduce((best, part) => (part.vertexCount > best.vertexCount ? part : best), parts[0]);
  const found = maxVertices > 0 ? Math.min(maxVertices, largest.vertexCount) : largest.vertexCount;
  const taken = most.toLocaleString('en');
  return {
    ...{ limit: 'vertices', isMet: found <= most, excess: found / most },
    words:
      found <= most
        ? `At most ${found.toLocaleString('en')} of ${taken} vertices a part.`
        : `“${largest.name}” has ${counted(found, 'vertex', 'vertices')}; ${taken} a part are taken.`,
  };
}

function weightsLine({ weights }: DeliveryProfile, delivery: Delivery): ProfileLine[] {
  if (weights === undefined) return [];
  const isMet = WEIGHT_FORMATS.indexOf(delivery.weights) >= WEIGHT_FORMATS.indexOf(weights);
  const words = isMet
    ? `Weights leave in ${WEIGHT_FORMAT_WORDS[delivery.weights]}.`
    : `Weights leave in ${WEIGHT_FORMAT_WORDS[delivery.weights]}; at most ${WEIGHT_FORMAT_WORDS[weights]} are taken.`;
  return [{ limit: 'weights', isMet, excess: isMet ? 1 : 2, words }];
}

function namesLine({ skeleton }: ProfileSubject, { names }: DeliveryProfile): ProfileLine[] {
  if (!names || (names.length === 0 && names.pattern === '')) return [];
  const joints = liveJoints(skeleton).filter((joint) => !isNameTaken(skeleton.joints[joint].name, names));
  const first = joints.length > 0 ? ` (“${skeleton.joints[joints[0]].name}”)` : '';
  const words =
    joints.length === 0
      ? 'Every joint’s name is taken.'
      : `${counted(joints.length, 'joint has a name', 'joints have names')} that ${joints.length === 1 ? 'is' : 'are'} not taken${first}.`;
  return [
    {
      limit: 'names',
      isMet: joints.length === 0,
      excess: joints.length === 0 ? 1 : 1 + joints.length / skeleton.joints.length,
      words,
      joints,
    },
  ];
}

function requiredLine({ skeleton }: ProfileSubject, { required = [] }: DeliveryProfile): ProfileLine[] {
  if (required.length === 0) return [];
  const there = new Set(liveJoints(skeleton).map((joint) => skeleton.joints[joint].name));
  const missing = required.filter((name) => !there.has(name));
  const shown = missing
    .slice(0, 3)
    .map((name) => `“${name}”`)
    .join(', ');
  const words =
    missing.length === 0
      ? `${required.length === 1 ? 'The joint that has to be there is' : `All ${required.length} joints that have to be there are`}.`
      : `${counted(missing.length, 'joint is', 'joints are')} missing: ${shown}${missing.length > 3 ? ` and ${missing.length - 3} more` : ''}.`;
  const isMet = missing.length === 0;
  return [
    { limit: 'required', isMet, excess: isMet ? 1 : 1 + missing.length / required.length, words, missing },
  ];
}

function heightLine(
  { height }: ProfileSubject,
  { height: taken }: DeliveryProfile,
  { scale }: Delivery,
): ProfileLine[] {
  if (!taken) return [];
  const [least, most] = taken;
  const tall = height * scale;
  const isMet = tall >= least * (1 - 1e-6) && tall <= most * (1 + 1e-6);
  const says = `${metres(tall)} m tall`;
  const words = isMet ? `It is ${says}.` : `It is ${says}; ${metres(least)} to ${metres(most)} m are taken.`;
  return [
    {
      limit: 'height',
      isMet,
      excess: isMet ? 1 : tall > most ? tall / most : least / Math.max(tall, 1e-9),
      words,
    },
  ];
}

const metres = (length: number): string => String(Number(length.toPrecision(3)));

function upLine({ up }: DeliveryProfile, delivery: Delivery): ProfileLine[] {
  if (!up) return [];
  const isMet = up === delivery.up;
  const words = isMet ? `${up} is up.` : `${delivery.up} is up; ${up} is taken.`;
  return [{ limit: 'up', isMet, excess: isMet ? 1 : 2, words }];
}
