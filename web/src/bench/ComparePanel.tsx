import { Button, Group, Select } from '@mantine/core';
import { frameSeconds, rangePoses, sampleClip } from '@judoka/core/animation';
import type { Crossing } from '@judoka/core/analysis/crossings';
import type { Pose } from '@judoka/core/skeleton';
import { useState } from 'react';
import { NO_MARKS, type CharacterSession } from '../session/CharacterSession.ts';
import { useTopic } from '../session/useTopic.ts';
import { settingsChanged, type Beside } from '../state/benchSlice.ts';
import { useAppDispatch, useBench } from '../state/store.ts';
import { Segments } from './Segments.tsx';

const BESIDE: Readonly<Record<Beside, string>> = {
  none: 'One view',
  mirror: 'Left, right',
  before: 'Now, before',
};
const MOST_FRAMES = 60;

/** Two views side by side, and parts that run through each other. */
export function ComparePanel({ session }: { session: CharacterSession }) {
  const dispatch = useAppDispatch();
  const { beside } = useBench();
  return (
    <>
      <section className="group" aria-label="Side by side">
        <h2>Side by side</h2>
        <Segments
          name="What stands beside"
          choices={BESIDE}
          value={beside}
          set={(next) => dispatch(settingsChanged({ beside: next }))}
        />
        <p className="card-line" style={{ marginTop: 6 }}>
          {beside === 'mirror'
            ? 'On the right the same pose, seen from the mirrored place. Pose one side and copy it across to compare.'
            : beside === 'before'
              ? 'On the left the weights as they are now, on the right as the file brought them; one camera for both.'
              : 'Look at the other side, or at the weights as they came, with linked cameras.'}
        </p>
      </section>
      <Crossings session={session} />
    </>
  );
}

/** A pose in which two parts cross, and how. */
interface Crossed {
  readonly label: string;
  readonly pose: Pose;
  readonly found: Crossing;
}

function Crossings({ session }: { session: CharacterSession }) {
  useTopic(session, 'pose');
  useTopic(session, 'clip');
  const names = session.parts.map(({ index }) => ({ value: String(index), label: session.partName(index) }));
  const [first, second] = defaultPair(session);
  const [pair, setPair] = useState<readonly [number, number]>([first, second]);
  const [crossed, setCrossed] = useState<readonly Crossed[]>();
  const [busy, setBusy] = useState(false);
  if (session.parts.length < 2) return null;
  const { trial, clips, pose } = session;
  const look = async (poses: readonly { label: string; pose: Pose }[]): Promise<void> => {
    setBusy(true);
    try {
      const found = await trial.crossAll(
        pair,
        poses.map((one) => one.pose),
      );
      const list = poses
        .map((one, i) => ({ ...one, found: found[i] }))
        .filter(({ found: f }) => f.places > 0);
      list.sort((a, b) => b.found.depth - a.found.depth || b.found.places - a.found.places);
      setCrossed(list);
      if (list[0]) show(session, pair, list[0]);
      else session.setMarks(NO_MARKS);
    } catch (error) {
      session.tellPerson(error instanceof Error ? error.message : String(error));
    } finally {
      setBusy(false);
    }
  };
  return (
    <section className="group" aria-label="Crossings">
      <h2>Parts that cross</h2>
      <Group gap={6} grow mb={6}>
        {([0, 1] as const).map((side) => (
          <Select
            key={side}
            size="xs"
            aria-label={side === 0 ? 'One part' : 'The other part'}
            data={names}
            value={String(pair[side])}
            allowDeselect={false}
            onChange={(value) => setPair(side === 0 ? [Number(value), pair[1]] : [pair[0], Number(value)])}
          />
        ))}
      </Group>
      {pair[0] === pair[1] && <div className="trouble">Choose two different parts.</div>}
      <Group gap={6} grow>
        <Button
          variant="default"
          loading={busy}
          disabled={pair[0] === pair[1]}
          onClick={() => void look([{ label: 'this pose', pose }])}
        >
          In this pose
        </Button>
        <Button
          variant="default"
          loading={busy}
          disabled={pair[0] === pair[1]}
          onClick={() => void look(clips.current ? clipPoses(session) : allRangePoses(session))}
        >
          {clips.current ? 'In the clip' : 'Over the range'}
        </Button>
      </Group>
      {crossed && <CrossedList session={session} pair={pair} crossed={crossed} />}
    </section>
  );
}

function CrossedList({
  session,
  pair,
  crossed,
}: {
  session: CharacterSession;
  pair: readonly [number, number];
  crossed: readonly Crossed[];
}) {
  if (crossed.length === 0)
    return (
      <div className="trouble fine" style={{ marginTop: 8 }} data-crossed={0}>
        They do not cross, or no more than at rest.
      </div>
    );
  const size = session.extent() || 1;
  return (
    <ol className="rank" style={{ marginTop: 8 }} data-crossed={crossed.length}>
      {crossed.slice(0, 20).map((one) => (
        <li key={one.label}>
          <button type="button" onClick={() => show(session, pair, one)}>
            <span className="rank-name">{one.label}</span>
            <span className="rank-figure figures">{((100 * one.found.depth) / size).toFixed(1)}%</span>
            <span className="rank-words">
              {one.found.places.toLocaleString('en')} {one.found.places === 1 ? 'place' : 'places'}; the
              deepest point lies {((100 * one.found.depth) / size).toFixed(1)}% of the size beyond
            </span>
          </button>
        </li>
      ))}
    </ol>
  );
}

function show(session: CharacterSession, pair: readonly [number, number], { pose, found }: Crossed): void {
  session.setPose(pose);
  session.setMarks({
    points: new Map(
      pair.map((part, i) => [part, found.points[i]] as const).filter(([, list]) => list.length > 0),
    ),
    joints: [],
    still: true,
  });
}

/** Clothes over the body: the two parts with most points that are skinned. */
function defaultPair({ parts }: CharacterSession): [number, number] {
  const [one, other] = [...parts]
    .filter(({ part }) => part.role === 'skinned')
    .sort((a, b) => b.part.pointCount - a.part.pointCount);
  return [other?.index ?? 0, one?.index ?? 0];
}

function allRangePoses(session: CharacterSession): { label: string; pose: Pose }[] {
  return session.trial.ranges().flatMap((range) =>
    rangePoses(range)
      .filter((_, i) => i % 3 === 0)
      .map(({ pose, angles }) => ({
        label: `${session.jointName(range.joint)} ${angles.bend || angles.side || angles.twist}°`,
        pose,
      })),
  );
}

function clipPoses(session: CharacterSession): { label: string; pose: Pose }[] {
  const { current, frames } = session.clips;
  if (!current) return [];
  const step = Math.max(1, Math.ceil(frames / MOST_FRAMES));
  return Array.from({ length: Math.ceil(frames / step) }, (_, i) => ({
    label: `frame ${i * step}`,
    pose: session.knownJoints(sampleClip(current, frameSeconds(current, i * step))),
  }));
}
