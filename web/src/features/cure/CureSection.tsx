import { Button } from '@mantine/core';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { RunButton } from '../../trial/RunButton.tsx';
import type { Curing } from './Curing.ts';
import './cure.css';

export type CureAt = Editing & {
  readonly curing: Curing;
  readonly mirroring: { readonly live: boolean };
  readonly trial: { ranges(): readonly { readonly joint: number; readonly kind: string }[] };
};

/** Joints that have a range: those whose bends can be cured. */
export const curableJoints = ({ trial }: CureAt): number[] =>
  trial
    .ranges()
    .filter(({ kind }) => kind !== 'fixed')
    .map(({ joint }) => joint);

/** The chosen joint with those chosen beside it, and their partners where strokes are mirrored; as far as they bend. */
export function chosenToCure(at: CureAt): number[] {
  const chosen = new Set(at.scene.chosenJoints());
  const { partner } = at.document.pairs;
  if (at.mirroring.live) for (const joint of [...chosen]) if (partner[joint] >= 0) chosen.add(partner[joint]);
  return curableJoints(at).filter((joint) => chosen.has(joint));
}

/** What the joints of a cure are called. */
export const cureWords = ({ document }: CureAt, joints: readonly number[]): string =>
  joints.length === 1 ? `${document.jointName(joints[0])}’s bends` : `the bends of ${joints.length} joints`;

/** Cures the chosen joint's bends, or all: the weights are found. */
export function CureSection({ at }: { at: CureAt }) {
  useEvent(at.curing.events, 'changed');
  useEvent(at.scene.events, 'joint');
  useEvent(at.scene.events, 'selection');
  const { curing, document, scene } = at;
  if (!document.mayChange) return null;
  const chosen = chosenToCure(at);
  const run = (joints: readonly number[], what: string): void => {
    curing.cure(joints, what).catch(document.notifyError);
  };
  const selected = scene.selection.count;
  return (
    <section className="group" aria-label="Cure">
      <h2>Cure</h2>
      <p className="card-line">
        Finds the weights under which the surface keeps its lengths and its volume in every pose of the range.{' '}
        {selected > 0
          ? `Only the ${selected.toLocaleString('en')} selected points change.`
          : 'Only points about the bends change.'}
      </p>
      <RunButton
        running={curing.working?.isBake ? undefined : curing.working}
        stop={() => curing.stop()}
        run={() => run(chosen, cureWords(at, chosen))}
        label={chosen.length > 0 ? `Cure ${cureWords(at, chosen)}` : 'Choose a joint to cure'}
        disabled={chosen.length === 0 || curing.working !== undefined}
      />
      {!curing.working && (
        <Button mt={6} fullWidth variant="default" onClick={() => run(curableJoints(at), 'all bends')}>
          Cure all bends
        </Button>
      )}
    </section>
  );
}
