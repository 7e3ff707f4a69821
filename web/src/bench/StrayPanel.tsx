import { Button, Group, Select, Switch } from '@mantine/core';
import { liveJoints, movedInScene, REST_JOINT, withJoint } from '@judoka/core/skeleton';
import { strayWords } from '@judoka/core/analysis';
import type { RankedStray } from '@judoka/core/analysis/strays';
import { useState } from 'react';
import { NO_MARKS, type CharacterSession } from '../session/CharacterSession.ts';
import { receiverOf, type ReceiverChoice } from '../session/receiver.ts';
import { useTopic } from '../session/useTopic.ts';

const RECEIVERS: readonly { readonly value: ReceiverChoice; readonly label: string }[] = [
  { value: 'others', label: 'the point’s other influences' },
  { value: 'neighbours', label: 'what the neighbours have' },
  { value: 'joint', label: 'one joint' },
];

/** Weight that does not belong where it is: listed by how far it moves the surface, shown, removed. */
export function StrayPanel({ session }: { session: CharacterSession }) {
  useTopic(session, 'trial');
  useTopic(session, 'settings');
  const { trial } = session;
  const { strays, straysStale, running } = trial;
  return (
    <>
      <section className="group" aria-label="Strays">
        <h2>Strays</h2>
        <p className="card-line">
          Patches of weight among another limb’s joints, across the body, on roots, or too small to see; those
          that move the surface most come first.
        </p>
        <Button
          fullWidth
          loading={running?.what === 'Looking for strays'}
          onClick={() => void trial.findStrays()}
        >
          {strays ? 'Look again' : 'Look for strays'}
        </Button>
        {straysStale && <p className="card-line">Weights have changed since.</p>}
      </section>
      {strays && <StrayList session={session} strays={strays} />}
      <LeftBehind session={session} />
    </>
  );
}

function StrayList({ session, strays }: { session: CharacterSession; strays: readonly RankedStray[] }) {
  const [receiver, setReceiver] = useState<ReceiverChoice>('others');
  const [to, setTo] = useState(-1);
  const [withDismissed, setWithDismissed] = useState(false);
  const { trial } = session;
  const open = strays.filter((stray) => !trial.isDismissed(stray) && !stray.twin);
  const twins = strays.filter((stray) => !trial.isDismissed(stray) && stray.twin);
  const dismissed = strays.filter((stray) => trial.isDismissed(stray));
  const remove = (list: readonly RankedStray[]): void =>
    void trial
      .remove(list, receiverOf(session, receiver, to))
      .then((held) => {
        session.setMarks(NO_MARKS);
        if (held > 0)
          session.tellPerson(
            `${held.toLocaleString('en')} points kept their weight: locks leave it no place to go.`,
          );
      })
      .catch((error: Error) => session.tellPerson(error.message));
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
              data={liveJoints(session.skeleton).map((joint) => ({
                value: String(joint),
                label: session.jointName(joint),
              }))}
              value={to < 0 ? null : String(to)}
              onChange={(value) => setTo(Number(value ?? -1))}
            />
          )}
          <ol className="rank">
            {open.map((stray) => (
              <StrayRow key={keyOf(stray)} session={session} stray={stray} remove={() => remove([stray])} />
            ))}
          </ol>
          <Button variant="default" fullWidth mt={6} onClick={() => remove(open)}>
            Remove all {open.length}, {points.toLocaleString('en')} points
          </Button>
        </>
      )}
      {twins.length > 0 && (
        <>
          <p className="card-line" style={{ marginTop: 8 }}>
            On both sides alike, so perhaps meant:
          </p>
          <ol className="rank">
            {twins.map((stray) => (
              <StrayRow key={keyOf(stray)} session={session} stray={stray} remove={() => remove([stray])} />
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
            <StrayRow key={keyOf(stray)} session={session} stray={stray} dismissed />
          ))}
        </ol>
      )}
    </section>
  );
}

const keyOf = ({ part, joint, points }: RankedStray): string => `${part}:${joint}:${points[0]}`;

function StrayRow({
  session,
  stray,
  remove,
  dismissed = false,
}: {
  session: CharacterSession;
  stray: RankedStray;
  remove?: () => void;
  dismissed?: boolean;
}) {
  const { part, joint, kind, points, movement } = stray;
  const share = (100 * movement) / (session.extent() || 1);
  const show = (): void => {
    session.chooseJoint(joint);
    session.setMarks({ points: new Map([[part, points]]), joints: [joint] });
  };
  return (
    <li>
      <button type="button" onClick={show} aria-label={`Show the stray of ${session.jointName(joint)}`}>
        <span className="rank-name">{session.jointName(joint)}</span>
        <span className="rank-figure figures" title="How far it moves the surface, in percent of the size">
          {share.toFixed(1)}%
        </span>
        <span className="rank-words">
          {strayWords(kind, session.jointName(joint), points.length)}, on {session.partName(part)}
        </span>
      </button>
      <div className="rank-acts">
        {remove && (
          <button type="button" onClick={remove}>
            remove
          </button>
        )}
        {dismissed ? (
          <button type="button" onClick={() => session.trial.restore(stray)}>
            list again
          </button>
        ) : (
          <button type="button" onClick={() => session.trial.dismiss(stray)}>
            it is meant
          </button>
        )}
      </div>
    </li>
  );
}

/** Everything carried away by its uppermost joint: what is bound to nothing stays where it was. */
function LeftBehind({ session }: { session: CharacterSession }) {
  useTopic(session, 'weights');
  const [moved, setMoved] = useState<number>();
  const carry = (): void => {
    const { skeleton, world } = session;
    const size = session.extent();
    const roots = skeleton.joints.flatMap(({ parent, removed }, joint) =>
      parent < 0 && !removed ? [joint] : [],
    );
    const pose = roots.reduce(
      (held, joint) =>
        withJoint(held, joint, movedInScene(skeleton, REST_JOINT, world, joint, [0.6 * size, 0, 0])),
      {},
    );
    session.setPose(pose);
    const left = session.trial.leftBehind();
    setMoved([...left.values()].reduce((sum, points) => sum + points.length, 0));
    session.setMarks(left.size > 0 ? { points: left, joints: [], still: true } : NO_MARKS);
  };
  return (
    <section className="group" aria-label="What stays behind">
      <h2>What stays behind</h2>
      <p className="card-line">
        The whole character is carried aside by its root; what is bound to nothing stays.
      </p>
      <Group gap={6} grow>
        <Button variant="default" onClick={carry}>
          Carry it aside
        </Button>
        <Button
          variant="default"
          disabled={moved === undefined}
          onClick={() => {
            session.setPose({});
            session.setMarks(NO_MARKS);
            setMoved(undefined);
          }}
        >
          Put it back
        </Button>
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
