import type { EventSource } from '../../document/events.ts';
import type { TrialThreads } from '../../document/TrialThreads.ts';
import { Group, Select } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { type Clip, frameSeconds, sampleClip } from '@judoka/core/animation';
import type { Crossing } from '@judoka/core/analysis/crossings';
import type { Pose } from '@judoka/core/skeleton';
import { useState } from 'react';
import { NO_MARKS } from '../../scene/Scene.ts';
import { useEvent } from '../../document/useEvent.ts';
import { settingsChanged, type Beside } from '../../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { Segments } from '../../ui/Segments.tsx';
import type { Editing } from '../../scene/Editing.ts';
import type { Trial } from '../../trial/Trial.ts';
import type { Comparing } from './Comparing.ts';
import { Differences } from './Differences.tsx';
import { crossAll, sparePoses } from '../../trial/crossings.ts';

type At = Editing & {
  readonly clips: {
    readonly events: EventSource<'clip'>;
    readonly current: Clip | undefined;
    readonly frames: number;
  };
  readonly trial: Trial;
  readonly comparing: Comparing;
  readonly trialThreads: TrialThreads;
};

const BESIDE: Readonly<Record<Beside, string>> = {
  none: 'One view',
  mirror: 'Left, right',
  before: 'Now, other',
};
const MAX_FRAMES = 60;

/** Two views side by side, and parts that run through each other. */
export function ComparePanel({ at }: { at: At }) {
  const dispatch = useAppDispatch();
  const { beside } = useUiSettings('beside');
  return (
    <>
      <Differences at={at} />
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
              ? 'On the left the weights as they are now, on the right what they are compared with; one pose and one camera for both.'
              : 'Look at the other side, or at what is compared, with linked cameras.'}
        </p>
      </section>
      <Crossings at={at} />
    </>
  );
}

/** A pose in which two parts cross, and how. */
interface Crossed {
  readonly label: string;
  readonly pose: Pose;
  readonly found: Crossing;
}

function Crossings({ at }: { at: At }) {
  useEvent(at.scene.events, 'pose');
  useEvent(at.clips.events, 'clip');
  const names = at.scene.parts.map(({ index }) => ({
    value: String(index),
    label: at.document.partName(index),
  }));
  const [first, second] = defaultPair(at);
  const [pair, setPair] = useState<readonly [number, number]>([first, second]);
  const [crossed, setCrossed] = useState<readonly Crossed[]>();
  const [busy, setBusy] = useState(false);
  if (at.scene.parts.length < 2) return null;
  const {
    clips,
    scene: { pose },
  } = at;
  const look = async (poses: readonly { label: string; pose: Pose }[]): Promise<void> => {
    setBusy(true);
    try {
      const found = await crossAll(
        at.trialThreads,
        pair,
        poses.map((one) => one.pose),
      );
      const list = poses
        .map((one, i) => ({ ...one, found: found[i] }))
        .filter(({ found: f }) => f.places > 0);
      list.sort((a, b) => b.found.depth - a.found.depth || b.found.places - a.found.places);
      setCrossed(list);
      if (list[0]) show(at, pair, list[0]);
      else at.scene.setMarks(NO_MARKS);
    } catch (error) {
      at.document.notifyError(error);
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
        <ActionButton
          name="Compare in this pose"
          variant="default"
          loading={busy}
          disabled={pair[0] === pair[1]}
          onClick={() => void look([{ label: 'this pose', pose }])}
        >
          In this pose
        </ActionButton>
        <ActionButton
          name="Compare over the range"
          variant="default"
          loading={busy}
          disabled={pair[0] === pair[1]}
          onClick={() => void look(clips.current ? clipPoses(at) : allRangePoses(at))}
        >
          {clips.current ? 'In the clip' : 'Over the range'}
        </ActionButton>
      </Group>
      {crossed && <CrossedList at={at} pair={pair} crossed={crossed} />}
    </section>
  );
}

function CrossedList({
  at,
  pair,
  crossed,
}: {
  at: At;
  pair: readonly [number, number];
  crossed: readonly Crossed[];
}) {
  if (crossed.length === 0)
    return (
      <div className="trouble fine" style={{ marginTop: 8 }} data-crossed={0}>
        They do not cross, or no more than at rest.
      </div>
    );
  const size = at.document.size || 1;
  return (
    <ol className="rank" style={{ marginTop: 8 }} data-crossed={crossed.length}>
      {crossed.slice(0, 20).map((one) => (
        <li key={one.label}>
          <button type="button" onClick={() => show(at, pair, one)}>
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

function show(at: At, pair: readonly [number, number], { pose, found }: Crossed): void {
  at.scene.setPose(pose);
  at.scene.setMarks({
    points: new Map(
      pair.map((part, i) => [part, found.points[i]] as const).filter(([, list]) => list.length > 0),
    ),
    joints: [],
    keepsCamera: true,
  });
}

/** Clothes over the body: the two parts with most points that are skinned. */
function defaultPair({ scene: { parts } }: At): [number, number] {
  const large = parts
    .filter(({ part }) => part.role === 'skinned')
    .sort((a, b) => b.part.pointCount - a.part.pointCount);
  return [large.at(1)?.index ?? 0, large.at(0)?.index ?? 0];
}

function allRangePoses(at: At): { label: string; pose: Pose }[] {
  return sparePoses(at.trial.ranges()).map(({ range, pose: { pose, angles } }) => ({
    label: `${at.document.jointName(range.joint)} ${angles.bend || angles.side || angles.twist}°`,
    pose,
  }));
}

function clipPoses(at: At): { label: string; pose: Pose }[] {
  const { current, frames } = at.clips;
  if (!current) return [];
  const step = Math.max(1, Math.ceil(frames / MAX_FRAMES));
  return Array.from({ length: Math.ceil(frames / step) }, (_, i) => ({
    label: `frame ${i * step}`,
    pose: at.document.knownJoints(sampleClip(current, frameSeconds(current, i * step))),
  }));
}
