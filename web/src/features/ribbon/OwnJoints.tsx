import { MAX_OWN_JOINTS, MIN_OWN_JOINTS } from '@judoka/core/deform';
import { counted } from '@judoka/core/document';
import { useEffect, useState } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { lengthWords } from '../../ui/lengthWords.ts';
import { SliderRow } from '../../ui/SliderRow.tsx';
import { giveOwnJoints, hasOwnJoints, offFromRibbon, type OwnJointsError } from './ownJoints.ts';
import type { OwnRibbon } from './ribbons.ts';

interface OwnJointsProps {
  readonly at: Editing & { readonly checkUp: { readonly profile: { readonly influences: number } } };
  readonly ribbon: OwnRibbon;
}

/** So many joints a joint of the chain, at first. */
const FINER = 2;

/** Joints along a ribbon that clips move as it goes, for a chain with too few of its own. */
export function OwnJoints({ at, ribbon }: OwnJointsProps) {
  const [wanted, setWanted] = useState(Math.min(MAX_OWN_JOINTS, FINER * ribbon.joints.length + 1));
  const [isAtWork, setIsAtWork] = useState(false);
  const isThere = hasOwnJoints(at, ribbon);
  const give = (): void => {
    setIsAtWork(true);
    giveOwnJoints(at, ribbon, wanted, at.checkUp.profile.influences)
      .catch(at.document.notifyError)
      .finally(() => setIsAtWork(false));
  };
  const part = at.document.partName(ribbon.part);
  return (
    <div className="own-joints">
      {isThere ? (
        <Nearness at={at} ribbon={ribbon} />
      ) : (
        <SliderRow
          name="Joints"
          value={wanted}
          least={MIN_OWN_JOINTS}
          most={MAX_OWN_JOINTS}
          digits={0}
          set={(to) => setWanted(Math.round(to))}
        />
      )}
      <ActionButton
        name={isThere ? 'Hang the part on them anew' : 'Give the ribbon joints of its own'}
        fullWidth
        variant="default"
        disabled={isAtWork}
        onClick={give}
      >
        {isThere ? `Hang ${part} on them anew` : `Give it ${wanted} joints of its own`}
      </ActionButton>
      {!isThere && (
        <p className="card-line">
          Where the chain has too few joints to bend so evenly: new ones along the ribbon, which move as it
          does in every clip, here and in the file that leaves.
        </p>
      )}
    </div>
  );
}

function Nearness({ at, ribbon }: OwnJointsProps) {
  const weights = useEvent(at.document.events, 'weights');
  const joints = useEvent(at.document.events, 'joints');
  const [off, setOff] = useState<OwnJointsError>();
  useEffect(() => {
    let isOver = false;
    offFromRibbon(at, ribbon, () => isOver)
      .then((found) => !isOver && setOff(found))
      .catch(at.document.notifyError);
    return () => {
      isOver = true;
    };
  }, [at, ribbon, weights, joints]);
  const count = ribbon.ownJoints?.length ?? 0;
  const clips = at.document.character.clips.length;
  return (
    <p className="card-line" data-own-joints={count} {...(off && { 'data-off': off.rms })}>
      {counted(count, 'joint')} of its own{' '}
      {clips > 0 ? 'move as it does in every clip.' : 'are there; no clip moves them yet.'}
      {off &&
        ` The part is ${lengthWords(off.rms)} off the ribbon there, ${lengthWords(off.greatest)} at most.`}{' '}
      In other poses they go with the joint of the chain that they hang on.
    </p>
  );
}
