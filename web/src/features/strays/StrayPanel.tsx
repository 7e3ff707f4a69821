import { counted } from '@judoka/core/document';
import { Group, Select, Switch } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { liveJoints, movedInScene, REST_JOINT, withJoint } from '@judoka/core/skeleton';
import type { RankedStray } from '@judoka/core/analysis/strays';
import { useState, type ReactNode } from 'react';
import { NO_MARKS } from '../../scene/Scene.ts';
import { receiverOf } from '../../scene/receiver.ts';
import type { ReceiverChoice } from '../../settings/uiSettings.ts';
import type { OfferChange } from '../../document/alternative.ts';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { leftBehind } from './leftBehind.ts';
import { strayKey, StrayRow } from './StrayRow.tsx';
import { takeAway, type StrayEditing } from './takeAway.ts';

type At = StrayEditing;

const RECEIVERS: readonly { readonly value: ReceiverChoice; readonly label: string }[] = [
  { value: 'others', label: 'the point’s other influences' },
  { value: 'neighbours', label: 'what the neighbours have' },
  { value: 'joint', label: 'one joint' },
];

/** Who proposes what would be done about a joint. */
type OfferOf = (joint: number) => OfferChange;

/** Weight that does not belong where it is: listed by how far it moves the surface, shown, removed. */
export function StrayPanel({ at, offerOf }: { at: At; offerOf: OfferOf }) {
  useEvent(at.strayList.events, 'changed');
  const { strays } = at.strayList;
  const { isStale, isLooking, failure } = at.strayList.look;
  return (
    <>
      <section className="group" aria-label="Strays">
        <h2>Strays</h2>
        <p className="card-line">
          Patches of weight where nothing of their joint belongs: among another limb’s joints or far from its
          own, across the body, on roots, or too small to see. Those that move the surface most come first.
        </p>
        {failure ? (
          <p className="card-line" role="alert">
            {failure}
          </p>
        ) : (
          // It keeps its line: nothing below it moves when a look begins or ends.
          <p className="card-line" aria-live="polite">
            {!strays || isStale || isLooking ? 'Looking' : 'As the weights are now.'}
          </p>
        )}
      </section>
      {strays && <FoundStrays at={at} strays={strays} offerOf={offerOf} />}
      <LeftBehind at={at} />
    </>
  );
}

function FoundStrays({ at, strays, offerOf }: { at: At; strays: readonly RankedStray[]; offerOf: OfferOf }) {
  const [receiver, setReceiver] = useState<ReceiverChoice>('others');
  const [to, setTo] = useState(-1);
  const [withDismissed, setWithDismissed] = useState(false);
  const { strayList } = at;
  const open = strayList.open();
  const twins = strays.filter((stray) => !strayList.isDismissed(stray) && stray.twin);
  const dismissed = strays.filter((stray) => strayList.isDismissed(stray));
  const remove = (list: readonly RankedStray[]): void => takeAway(at, list, receiverOf(at, receiver, to));
  const row = (stray: RankedStray): ReactNode => (
    <StrayRow
      key={strayKey(stray)}
      at={at}
      stray={stray}
      remove={() => remove([stray])}
      propose={() => takeAway(at, [stray], receiverOf(at, receiver, to), offerOf(stray.joint))}
    />
  );
  const points = open.reduce((sum, stray) => sum + stray.points.length, 0);
  return (
    <section className="group" aria-label="Found strays" data-strays={open.length}>
      {open.length === 0 ? (
        <div className="trouble fine">No weight strays.</div>
      ) : (
        <>
          <Select
            label="What is removed goes to"
            size="xs"
            mb={6}
            data={[...RECEIVERS]}
            value={receiver}
            allowDeselect={false}
            onChange={(value) => setReceiver(value as ReceiverChoice)}
          />
          {receiver === 'joint' && (
            <Select
              size="xs"
              mb={6}
              searchable
              aria-label="Joint that gets it"
              placeholder="Choose a joint"
              data={liveJoints(at.document.skeleton).map((joint) => ({
                value: String(joint),
                label: at.document.jointName(joint),
              }))}
              value={to < 0 ? null : String(to)}
              onChange={(value) => setTo(Number(value ?? -1))}
            />
          )}
          <ol className="rank">{open.map(row)}</ol>
          <ActionButton
            name="Remove all strays"
            variant="default"
            fullWidth
            mt={6}
            onClick={() => remove(open)}
          >
            Remove all {open.length}, {counted(points, 'point')}
          </ActionButton>
        </>
      )}
      {twins.length > 0 && (
        <>
          <p className="card-line" style={{ marginTop: 8 }}>
            On both sides alike, so perhaps meant:
          </p>
          <ol className="rank">{twins.map(row)}</ol>
        </>
      )}
      {dismissed.length > 0 && (
        <Switch
          mt={8}
          label={`${dismissed.length} dismissed`}
          checked={withDismissed}
          onChange={(event) => setWithDismissed(event.currentTarget.checked)}
        />
      )}
      {withDismissed && (
        <ol className="rank">
          {dismissed.map((stray) => (
            <StrayRow key={strayKey(stray)} at={at} stray={stray} dismissed />
          ))}
        </ol>
      )}
    </section>
  );
}

/** Everything carried away by its uppermost joint: what is bound to nothing stays where it was. */
function LeftBehind({ at }: { at: Editing }) {
  useEvent(at.document.events, 'weights');
  const [moved, setMoved] = useState<number>();
  const carry = (): void => {
    const {
      document: { skeleton },
      scene: { world },
    } = at;
    const size = at.document.size;
    const roots = skeleton.joints.flatMap(({ parent, removed }, joint) =>
      parent < 0 && !removed ? [joint] : [],
    );
    const pose = roots.reduce(
      (held, joint) =>
        withJoint(held, joint, movedInScene(skeleton, REST_JOINT, world, joint, [0.6 * size, 0, 0])),
      {},
    );
    at.scene.setPose(pose);
    const left = leftBehind(at);
    setMoved([...left.values()].reduce((sum, points) => sum + points.length, 0));
    at.scene.setMarks(left.size > 0 ? { points: left, joints: [], keepsCamera: true } : NO_MARKS);
  };
  return (
    <section className="group" aria-label="What stays behind">
      <h2>What stays behind</h2>
      <p className="card-line">
        The whole character is carried aside by its root; what is bound to nothing stays.
      </p>
      <Group gap={6} grow>
        <ActionButton name="Move everything aside" variant="default" onClick={carry}>
          Carry it aside
        </ActionButton>
        <ActionButton
          name="Put everything back"
          variant="default"
          disabled={moved === undefined}
          onClick={() => {
            at.scene.setPose({});
            at.scene.setMarks(NO_MARKS);
            setMoved(undefined);
          }}
        >
          Put it back
        </ActionButton>
      </Group>
      {moved !== undefined && (
        <div className={moved > 0 ? 'trouble' : 'trouble fine'} data-behind={moved} style={{ marginTop: 8 }}>
          {moved > 0
            ? `${moved.toLocaleString('en')} ${moved === 1 ? 'point stays' : 'points stay'} behind. Heal or bind them.`
            : 'Everything comes along.'}
        </div>
      )}
    </section>
  );
}
