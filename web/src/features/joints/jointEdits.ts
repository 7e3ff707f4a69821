import { addJoint, type Place, removeJoint, renameJoint, reparentJoint } from '@judoka/core/skeleton';
import { CoreError } from '@judoka/core/errors';
import { moveWeight } from '@judoka/core/operations/exact';
import type { Change } from '@judoka/core/weights';
import type { Editing } from '../../scene/Editing.ts';

type At = Editing;

// What a person does to the skeleton, each one step to undo. Placing has a class of its own.

/** Adds a joint below another and chooses it. */
export async function addJointTo(at: At, parent: number, name: string, place: Place): Promise<void> {
  const joints = addJoint(at.document.skeleton, crypto.randomUUID(), parent, name, place);
  await at.document.perform(`Add joint ${name}`, { joints });
  at.scene.chooseJoint(joints[0].joint);
}

/** Where a new joint below another is offered: on from the bone that leads to it, or half way to its only child. */
export function placeBelow(at: At, joint: number): Place {
  const own = at.document.restPlace(joint);
  const { joints } = at.document.skeleton;
  const children = joints.flatMap(({ parent, removed }, j) => (parent === joint && !removed ? [j] : []));
  const { parent } = joints[joint];
  if (children.length === 1) {
    const child = at.document.restPlace(children[0]);
    return [0, 1, 2].map((k) => (own[k] + child[k]) / 2) as unknown as Place;
  }
  const above = parent >= 0 ? at.document.restPlace(parent) : own;
  const size = 0.05 * (at.document.size || 1);
  const direction = own.map((x, k) => x - above[k]);
  const length = Math.hypot(...direction) || 1;
  return [0, 1, 2].map((k) => own[k] + (direction[k] / length) * Math.min(length, size)) as unknown as Place;
}

/** A name for a joint that is not taken: the wish, or the wish with a number. */
export function freeName(at: At, wish: string): string {
  const taken = new Set(at.document.skeleton.joints.flatMap(({ name, removed }) => (removed ? [] : [name])));
  if (!taken.has(wish)) return wish;
  let number = 2;
  while (taken.has(`${wish}_${number}`)) number++;
  return `${wish}_${number}`;
}

export async function renameJointTo(at: At, joint: number, name: string): Promise<void> {
  const before = at.document.jointName(joint);
  await at.document.perform(`Rename ${before}`, { joints: renameJoint(at.document.skeleton, joint, name) });
}

export async function hangJointOn(at: At, joint: number, parent: number): Promise<void> {
  const label = `Hang ${at.document.jointName(joint)} on ${parent < 0 ? 'nothing' : at.document.jointName(parent)}`;
  await at.document.perform(label, { joints: reparentJoint(at.document.skeleton, joint, parent) });
}

/** How many points have weight of a joint. */
export function pointsOf(at: At, joint: number): number {
  let count = 0;
  for (const { skin, part } of at.scene.parts) {
    const { joints, values, stride, pointCount } = skin.rows;
    if (part.role === 'fixed') continue;
    for (let p = 0; p < pointCount; p++)
      for (let k = p * stride; k < (p + 1) * stride && values[k] !== 0; k++) if (joints[k] === joint) count++;
  }
  return count;
}

/** Takes a joint out; its weight goes to the receiver, what hangs on it to its parent. */
export async function removeJointTo(at: At, joint: number, receiver: number): Promise<void> {
  if (receiver < 0 && pointsOf(at, joint) > 0)
    throw new CoreError('argument-invalid', 'Choose the joint that takes over the weight.');
  const joints = removeJoint(at.document.skeleton, joint);
  const change: Change = at.scene.parts.flatMap(({ index, skin }) => {
    if (receiver < 0) return [];
    const delta = moveWeight(index, skin.rows, joint, receiver, { locks: at.document.locks });
    return delta.points.length > 0 ? [delta] : [];
  });
  const label = `Remove joint ${at.document.jointName(joint)}`;
  await at.document.perform(label, { weights: change, joints });
  if (receiver >= 0) at.scene.chooseJoint(receiver);
}
