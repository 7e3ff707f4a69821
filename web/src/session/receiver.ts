import { areasOf, OTHERS, type Receiver, type ReceiverRules } from '@judoka/core/weights';
import type { BenchState } from '../state/benchSlice.ts';
import type { CharacterSession } from './CharacterSession.ts';
import { rulesOf } from './scope.ts';

/** Where freed weight goes, as a person chooses it. */
export type ReceiverChoice = 'others' | 'parent' | 'joint' | 'neighbours';

/** The receiver for the chosen joint. A parent or joint that is not there receives nothing. */
export function receiverOf(session: CharacterSession, choice: ReceiverChoice, joint: number): Receiver {
  if (choice === 'parent')
    return { kind: 'joint', joint: session.skeleton.joints[session.joint]?.parent ?? -1 };
  if (choice === 'joint') return { kind: 'joint', joint };
  return choice === 'neighbours' ? { kind: 'neighbours' } : OTHERS;
}

export type ReceiverSettings = Pick<BenchState, 'receiver' | 'receiverJoint' | 'limit'>;

/** What changes of one joint's weight on a part keep to. */
export function receiverRules(
  session: CharacterSession,
  part: number,
  { receiver, receiverJoint, limit }: ReceiverSettings,
): ReceiverRules {
  const { locks, batch, confines } = rulesOf(session, limit);
  return {
    receiver: receiverOf(session, receiver, receiverJoint),
    limit,
    locks,
    batch,
    areas: areasOf(confines, part),
    neighbours: session.parts[part].paint.neighbours,
  };
}

/** In words, for the loupe and the panel. */
export function receiverWords(session: CharacterSession, choice: ReceiverChoice, joint: number): string {
  const receiver = receiverOf(session, choice, joint);
  if (receiver.kind === 'others') return 'the other influences, in proportion';
  if (receiver.kind === 'neighbours') return 'what the neighbours have';
  return receiver.joint >= 0 ? session.jointName(receiver.joint) : 'nothing: there is no such joint';
}
