import { boundBox, DELIVERY, type Delivery, type DeliveryProfile } from '@judoka/core/document';
import { jointsByPart, profileLines, takenNames, type ProfileLine } from '@judoka/core/analysis/profile';
import { measureCost } from '@judoka/core/analysis/costs';
import { dropJoints } from '@judoka/core/operations/limit';
import { renameJoint } from '@judoka/core/skeleton';
import { apply, copyRow, copyRows, roundRows } from '@judoka/core/weights';
import { WEIGHT_STEPS } from '@judoka/core/document';
import { limitByMovement, posesOf } from '../limitByMovement.ts';
import type { HeldCharacter } from './HeldCharacter.ts';

/** How a character met a profile. */
export interface Meeting {
  readonly delivery: Delivery;
  readonly lines: readonly ProfileLine[];
  /** The farthest that a point moves in any pose, in scene units, by all that was done. */
  readonly cost: number;
  readonly rms: number;
}

/**
 * Brings a character within a profile's limits, as far as can be without anybody's choice: names, influences, joints, and how
 * its file leaves.
 *
 * @param asked what the file is to be like in any case
 */
export async function meetProfile(
  held: HeldCharacter,
  profile: DeliveryProfile,
  asked: Partial<Delivery>,
): Promise<Meeting> {
  await rename(held, profile);
  const before = held.rows.map(copyRows);
  const locks = new Uint8Array(held.character.skeleton.joints.length);
  apply(held.rows, limitByMovement(held.character, held.rows, { limit: profile.influences, locks }).change);
  const delivery = {
    ...DELIVERY,
    ...(profile.weights && { weights: profile.weights }),
    ...(profile.up && { up: profile.up }),
    ...asked,
  };
  const ways = fewerJoints(held, profile, delivery);
  const settled = { ...delivery, ...ways, ...vertices(held, profile), ...height(held, profile) };
  const whole = WEIGHT_STEPS[settled.weights];
  const after = whole > 0 ? held.rows.map((rows) => roundRows(rows, whole)) : held.rows;
  const isChanged = after.some((rows, part) => rows.values.some((x, i) => x !== before[part].values[i]));
  const cost = isChanged
    ? measureCost(held.character.parts, before, after, posesOf(held.character, before).posed)
    : { greatest: 0, rms: 0 };
  return {
    delivery: settled,
    lines: profileLines({ ...held.now, height: heightOf(held) }, profile, settled),
    cost: cost.greatest,
    rms: cost.rms,
  };
}

async function rename(held: HeldCharacter, { names }: DeliveryProfile): Promise<void> {
  const { skeleton } = held.character;
  const found = names ? takenNames(skeleton, names) : new Map<number, string>();
  if (found.size === 0) return;
  const changes = [...found].flatMap(([joint, name]) => renameJoint(skeleton, joint, name));
  await held.settle({ setups: Object.fromEntries(changes.map(({ joint, after }) => [joint, after])) });
}

/** Joints without weight are left out first; where that is not enough, the least useful ones go, or parts are split. */
function fewerJoints(
  held: HeldCharacter,
  profile: DeliveryProfile,
  { maxJoints }: Delivery,
): Partial<Delivery> {
  const { character } = held;
  const { skeleton, parts } = character;
  const used = Math.max(0, ...[...jointsByPart(held.now).values()].map((own) => own.size));
  if (skeleton.joints.length <= profile.joints) return {};
  if (used <= profile.joints || maxJoints > 0) return { leavesEmptyJoints: true };
  const indices = [...parts.keys()].filter((part) => parts[part].role === 'skinned');
  const subjects = indices.map((part) => ({ ...parts[part], rows: held.rows[part] }));
  const required = new Set(profile.required);
  const drops = dropJoints(skeleton, subjects, posesOf(character, held.rows).posed, {
    locks: new Uint8Array(skeleton.joints.length),
    mayGo: (joint) => !required.has(skeleton.joints[joint].name),
    limit: profile.joints,
  });
  for (const { rows } of drops)
    for (const { part, points, rows: own } of rows)
      points.forEach((point, i) => copyRow(own, i, held.rows[indices[part]], point));
  return { leavesEmptyJoints: true };
}

function vertices({ character }: HeldCharacter, profile: DeliveryProfile): Partial<Delivery> {
  const most = Math.max(0, ...character.parts.map(({ vertexCount }) => vertexCount));
  return most > profile.vertices ? { maxVertices: Math.max(64, profile.vertices) } : {};
}

function heightOf({ character }: HeldCharacter): number {
  const { least, most } = boundBox(character.parts);
  return most[1] - least[1];
}

/** Where units were mistaken by powers of ten, the file is scaled; a character that is just too tall is told. */
function height(held: HeldCharacter, { height: taken }: DeliveryProfile): Partial<Delivery> {
  if (!taken) return {};
  const tall = heightOf(held);
  const fits = (scale: number): boolean => tall * scale >= taken[0] && tall * scale <= taken[1];
  const scale = [1, 0.01, 100, 0.1, 10, 0.001, 1000].find(fits);
  return scale === undefined ? {} : { scale };
}
