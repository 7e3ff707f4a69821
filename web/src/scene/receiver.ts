import type { UiSettings, ReceiverChoice } from '../settings/uiSettings.ts';
import { areasOf, OTHERS, type Receiver, type ReceiverRules } from '@judoka/core/weights';
import { rulesOf } from './scope.ts';
import type { Editing } from './Editing.ts';

type At = Editing;

/** The receiver for the chosen joint. A parent or joint that is not there receives nothing. */
export function receiverOf(at: At, choice: ReceiverChoice, joint: number): Receiver {
  if (choice === 'parent')
    return { kind: 'joint', joint: at.document.skeleton.joints[at.scene.joint]?.parent ?? -1 };
  if (choice === 'joint') return { kind: 'joint', joint };
  return choice === 'neighbours' ? { kind: 'neighbours' } : OTHERS;
}

export type ReceiverSettings = Pick<UiSettings, 'receiver' | 'receiverJoint' | 'limit'>;

/** What changes of one joint's weight on a part keep to. */
export function receiverRules(
  at: At,
  part: number,
  { receiver, receiverJoint, limit }: ReceiverSettings,
): ReceiverRules {
  const { locks, batch, confines } = rulesOf(at, limit);
  return {
    receiver: receiverOf(at, receiver, receiverJoint),
    limit,
    locks,
    batch,
    areas: areasOf(confines, part),
    neighbours: at.scene.parts[part].paint.neighbours,
  };
}

/** In words, for the loupe and the panel. */
export function receiverWords(at: At, choice: ReceiverChoice, joint: number): string {
  const receiver = receiverOf(at, choice, joint);
  if (receiver.kind === 'others') return 'the other influences, in proportion';
  if (receiver.kind === 'neighbours') return 'what the neighbours have';
  return receiver.joint >= 0 ? at.document.jointName(receiver.joint) : 'nothing: there is no such joint';
}
