import { addJoint, type Place, removeJoint, renameJoint, reparentJoint } from '@judoka/core/skeleton';
import { CoreError } from '@judoka/core/errors';
import { moveWeight } from '@judoka/core/operations/exact';
import type { Change } from '@judoka/core/weights';
import type { CharacterSession } from './CharacterSession.ts';

// What a person does to the skeleton, each one step to undo. Placing has a class of its own.

/** Adds a joint below another and chooses it. */
export async function addJointTo(
  session: CharacterSession,
  parent: number,
  name: string,
  place: Place,
): Promise<void> {
  const joints = addJoint(session.skeleton, parent, name, place);
  await session.perform(`Add joint ${name}`, [], joints);
  session.chooseJoint(joints[0].joint);
}

/** Where a new joint below another is offered: on from the bone that leads to it, or half way to its only child. */
export function placeBelow(session: CharacterSession, joint: number): Place {
  const own = session.restPlace(joint);
  const { joints } = session.skeleton;
  const children = joints.flatMap(({ parent, removed }, j) => (parent === joint && !removed ? [j] : []));
  const { parent } = joints[joint];
  if (children.length === 1) {
    const child = session.restPlace(children[0]);
    return [0, 1, 2].map((k) => (own[k] + child[k]) / 2) as unknown as Place;
  }
  const above = parent >= 0 ? session.restPlace(parent) : own;
  const size = 0.05 * (session.extent() || 1);
  const way = own.map((x, k) => x - above[k]);
  const length = Math.hypot(...way) || 1;
  return [0, 1, 2].map((k) => own[k] + (way[k] / length) * Math.min(length, size)) as unknown as Place;
}

/** A name for a joint that is not taken: the wish, or the wish with a number. */
export function freeName(session: CharacterSession, wish: string): string {
  const taken = new Set(session.skeleton.joints.flatMap(({ name, removed }) => (removed ? [] : [name])));
  if (!taken.has(wish)) return wish;
  let number = 2;
  while (taken.has(`${wish}_${number}`)) number++;
  return `${wish}_${number}`;
}

export async function renameJointTo(session: CharacterSession, joint: number, name: string): Promise<void> {
  const before = session.jointName(joint);
  await session.perform(`Rename ${before}`, [], renameJoint(session.skeleton, joint, name));
}

export async function hangJointOn(session: CharacterSession, joint: number, parent: number): Promise<void> {
  const label = `Hang ${session.jointName(joint)} on ${parent < 0 ? 'nothing' : session.jointName(parent)}`;
  await session.perform(label, [], reparentJoint(session.skeleton, joint, parent));
}

/** How many points have weight of a joint. */
export function pointsOf(session: CharacterSession, joint: number): number {
  let count = 0;
  for (const { skin, part } of session.parts) {
    const { joints, values, stride, pointCount } = skin.rows;
    if (part.role !== 'skinned') continue;
    for (let p = 0; p < pointCount; p++)
      for (let k = p * stride; k < (p + 1) * stride && values[k] !== 0; k++) if (joints[k] === joint) count++;
  }
  return count;
}

/** Takes a joint out; its weight goes to the receiver, what hangs on it to its parent. */
export async function removeJointTo(
  session: CharacterSession,
  joint: number,
  receiver: number,
): Promise<void> {
  if (receiver < 0 && pointsOf(session, joint) > 0)
    throw new CoreError('argument-invalid', 'Choose the joint that takes over the weight.');
  const joints = removeJoint(session.skeleton, joint);
  const change: Change = session.parts.flatMap(({ index, skin }) => {
    if (receiver < 0) return [];
    const delta = moveWeight(index, skin.rows, joint, receiver, { locks: session.locks });
    return delta.points.length > 0 ? [delta] : [];
  });
  const label = `Remove joint ${session.jointName(joint)}`;
  await session.perform(label, change, joints);
  if (receiver >= 0) session.chooseJoint(receiver);
}
