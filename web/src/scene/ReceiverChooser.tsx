import { Select } from '@mantine/core';
import { liveJoints } from '@judoka/core/skeleton';
import { receiverWords } from './receiver.ts';
import { useEvent } from '../document/useEvent.ts';
import { type ReceiverChoice, settingsChanged } from '../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../settings/store.ts';
import type { Editing } from './Editing.ts';

/** Where weight goes that the brush takes away; said in words, since it cannot be seen. */
export function ReceiverChooser({ at }: { at: Editing }) {
  useEvent(at.scene.events, 'joint');
  useEvent(at.document.events, 'joints');
  const dispatch = useAppDispatch();
  const { receiver, receiverJoint } = useUiSettings('receiver', 'receiverJoint');
  const { joints } = at.document.skeleton;
  return (
    <>
      <Select
        label="Freed weight goes to"
        mt={6}
        data={[
          { value: 'others', label: 'the others, in proportion' },
          { value: 'parent', label: 'the parent' },
          { value: 'joint', label: 'one joint' },
          { value: 'neighbours', label: 'what the neighbours have' },
        ]}
        value={receiver}
        allowDeselect={false}
        onChange={(value) => dispatch(settingsChanged({ receiver: value as ReceiverChoice }))}
      />
      {receiver === 'joint' && (
        <Select
          aria-label="Joint that receives"
          mt={4}
          searchable
          placeholder="Choose a joint"
          data={liveJoints(at.document.skeleton).map((joint) => ({
            value: String(joint),
            label: joints[joint].name,
          }))}
          value={receiverJoint >= 0 ? String(receiverJoint) : null}
          onChange={(value) =>
            dispatch(settingsChanged({ receiverJoint: value === null ? -1 : Number(value) }))
          }
        />
      )}
      <div className="card-line">To {receiverWords(at, receiver, receiverJoint)}.</div>
    </>
  );
}
