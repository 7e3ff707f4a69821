import { counted } from '@judoka/core/document';
import { Group, Select, Switch } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { liveJoints, movedInScene, REST_JOINT, withJoint } from '@judoka/core/skeleton';
import { strayWords } from '@judoka/core/analysis';
import type { RankedStray } from '@judoka/core/analysis/strays';
import { useState } from 'react';
import { NO_MARKS } from '../../scene/Scene.ts';
import { receiverOf } from '../../scene/receiver.ts';
import type { ReceiverChoice } from '../../settings/uiSettings.ts';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { leftBehind } from './leftBehind.ts';
import type { StrayList } from './StrayList.ts';

type At = Editing & { readonly strayList: StrayList };

const RECEIVERS: readonly { readonly value: ReceiverChoice; readonly label: string }[] = [
  { value: 'others', label: 'the point’s other influences' },
  { value: 'neighbours', label: 'what the neighbours have' },
  { value: 'joint', label: 'one joint' },
];

/** Weight that does not belong where it is: listed by how far it moves the surface, shown, removed. */
export function StrayPanel({ at }: { at: At }) {
  useEvent(at.strayList.events, 'changed');
  useEvent(at.document.events, 'values');
  const { strayList } = at;
  const { strays, isStale, isLooking, failure } = strayList;
  return (
    <>
      <section className="group" aria-label="Strays">
        <h2>Strays</h2>
        <p className="card-line">
          Patches of weight among another limb’s joints, across the body, on roots, or too small to see; those
          that move the surface most come first.
        </p>
        <ActionButton
          name="Look for strays"
          fullWidth
          loading={isLooking}
          onClick={() => void strayList.find()}
        >
          {strays ? 'Look again' : 'Look for strays'}
        </ActionButton>
        {failure && (
          <p className="card-line" role="alert">
            {failure}
          </p>
        )}
        {isStale && <p className="card-line">Weights have changed since.</p>}
      </section>
      {strays && <FoundStrays at={at} strays={strays} />}
      <LeftBehind at={at} />
    </>
  );
}

function FoundStrays({ at, strays }: { at: At; strays: readonly RankedStray[] }) {
  const [receiver, setReceiver] = useState<ReceiverChoice>('others');
  const [to, setTo] = useState(-1);
  const [withDismissed, setWithDismissed] = useState(false);
  const { strayList } = at;
  const open = strays.filter((stray) => !strayList.isDismissed(stray) && !stray.twin);
  const twins = strays.filter((stray) => !strayList.isDismissed(stray) && stray.twin);
  const dismissed = strays.filter((stray) => strayList.isDismissed(stray));
  const remove = (list: readonly RankedStray[]): void =>
    void strayList
      .remove(list, receiverOf(at, receiver, to))
      .then((held) => {
        at.scene.setMarks(NO_MARKS);
        if (held > 0)
          at.document.notify(`${counted(held, 'point')} kept all weight: locks leave it no place to go.`);
      })
      .catch(at.document.notifyError);
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
          <ol className="rank">
            {open.map((stray) => (
              <StrayRow key={keyOf(stray)} at={at} stray={stray} remove={() => remove([stray])} />
            ))}
          </ol>
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
          <ol className="rank">
            {twins.map((stray) => (
              <StrayRow key={keyOf(stray)} at={at} stray={stray} remove={() => remove([stray])} />
            ))}
          </ol>
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
            <StrayRow key={keyOf(stray)} at={at} stray={stray} dismissed />
          ))}
        </ol>
      )}
    </section>
  );
}

const keyOf = ({ part, joint, points }: RankedStray): string => `${part}:${joint}:${points[0]}`;

function StrayRow({
  at,
  stray,
  remove,
  dismissed = false,
}: {
  at: At;
  stray: RankedStray;
  remove?: () => void;
  dismissed?: boolean;
}) {
  const { part, joint, kind, points, movement } = stray;
  const share = (100 * movement) / (at.document.size || 1);
  const show = (): void => {
    at.scene.chooseJoint(joint);
    at.scene.setMarks({ points: new Map([[part, points]]), joints: [joint] });
  };
  return (
    <li>
      <button type="button" onClick={show} aria-label={`Show the stray of ${at.document.jointName(joint)}`}>
        <span className="rank-name">{at.document.jointName(joint)}</span>
        <span className="rank-figure figures" title="How far it moves the surface, in percent of the size">
          {share.toFixed(1)}%
        </span>
        <span className="rank-words">
          {strayWords(kind, at.document.jointName(joint), points.length)}, on {at.document.partName(part)}
        </span>
      </button>
      <div className="rank-acts">
        {remove && (
          <button type="button" onClick={remove}>
            remove
          </button>
        )}
        {dismissed ? (
          <button type="button" onClick={() => at.strayList.restore(stray)}>
            list again
          </button>
        ) : (
          <button type="button" onClick={() => at.strayList.dismiss(stray)}>
            it is meant
          </button>
        )}
      </div>
    </li>
  );
}

/** Everything carried away by its uppermost joint: what is bound to nothing stays where it was. */
function LeftBehind({ at }: { at: At }) {
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
