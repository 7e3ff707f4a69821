import { ActionIcon, Button, Group, Select, Switch, Tooltip } from '@mantine/core';
import type { CharacterLook } from '@judoka/core/deform';
import type { MotionRange } from '@judoka/core/animation';
import { counted, type PartFollows } from '@judoka/core/document';
import { IconX } from '@tabler/icons-react';
import { useState } from 'react';
import type { TrialThreads } from '../../document/TrialThreads.ts';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { crossAll, sparePoses } from '../../trial/crossings.ts';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { lengthWords } from '../../ui/lengthWords.ts';
import { NumberField } from '../../ui/NumberField.tsx';
import type { Events } from '../../document/events.ts';
import { RunButton } from '../../trial/RunButton.tsx';
import './follow.css';
import {
  changeFollows,
  driversFor,
  followSelected,
  keepBeyond,
  pushBeyond,
  letFollow,
  letGo,
  lookFollowing,
  lookWithout,
  pointsBeyond,
} from './follows.ts';

interface Baking {
  readonly events: Events<'changed'>;
  readonly working: { readonly what: string; readonly share: number; readonly isBake: boolean } | undefined;
  stop(): void;
  bake(look: CharacterLook, what: string, clips: readonly string[], only?: readonly number[]): Promise<void>;
}

export type FollowAt = Editing & {
  readonly trialThreads: TrialThreads;
  readonly trial: { ranges(): readonly MotionRange[] };
  readonly curing: Baking;
};

/** Clothes: parts that follow another one's surface, kept off it as they are at rest. */
export function FollowPanel({ at }: { at: FollowAt }) {
  useEvent(at.document.events, 'values');
  useEvent(at.document.following.events, 'changed');
  const { document } = at;
  const { follows } = document.following;
  if (document.character.drawing) return null;
  return (
    <section className="group" aria-label="Parts that follow">
      <h2>Follow a surface</h2>
      <p className="card-line">
        A part, such as a cape, keeps its distance from another part’s surface in every pose, whatever its own
        weights say. Baked, its weights do the same in any engine.
      </p>
      {[...follows].map(([part, own]) => (
        <FollowingPart key={part} at={at} part={part} follows={own} />
      ))}
      {document.mayChange && <NewFollower at={at} />}
    </section>
  );
}

function NewFollower({ at }: { at: FollowAt }) {
  const { document } = at;
  const { parts } = document.character;
  const free = parts.flatMap((_, i) => (document.following.follows.has(i) ? [] : [i]));
  const [chosen, setChosen] = useState<number>();
  const [wanted, setWanted] = useState<number>();
  const drivers = chosen === undefined ? [] : driversFor(at, chosen);
  const largest = drivers.reduce<number | undefined>(
    (best, i) => (best === undefined || parts[i].pointCount > parts[best].pointCount ? i : best),
    undefined,
  );
  const driver = wanted !== undefined && drivers.includes(wanted) ? wanted : largest;
  const named = (list: readonly number[]) =>
    list.map((i) => ({ value: String(i), label: document.partName(i) }));
  if (parts.length < 2)
    return <p className="card-line">There is one part only: nothing that it could follow.</p>;
  const begin = async (): Promise<void> => {
    if (chosen === undefined || driver === undefined) return;
    await letFollow(at, chosen, driver);
    setChosen(undefined);
  };
  return (
    <>
      <Group gap={6} mb={6} grow>
        <Select
          size="xs"
          label="Part"
          placeholder="Choose a part"
          searchable
          selectFirstOptionOnChange
          data={named(free)}
          value={chosen === undefined ? null : String(chosen)}
          onChange={(value) => setChosen(value === null ? undefined : Number(value))}
        />
        <Select
          size="xs"
          label="follows"
          placeholder="Another part"
          searchable
          selectFirstOptionOnChange
          allowDeselect={false}
          disabled={drivers.length === 0}
          data={named(drivers)}
          value={driver === undefined ? null : String(driver)}
          onChange={(value) => setWanted(Number(value))}
        />
      </Group>
      <ActionButton
        name="Let the part follow"
        fullWidth
        disabled={chosen === undefined || driver === undefined}
        onClick={() => void begin().catch(document.notifyError)}
      >
        Let it follow
      </ActionButton>
    </>
  );
}

interface PartProps {
  readonly at: FollowAt;
  readonly part: number;
  readonly follows: PartFollows;
}

function FollowingPart({ at, part, follows }: PartProps) {
  const { document } = at;
  const [name, driver] = [document.partName(part), document.partName(follows.driver)];
  return (
    <div
      className="follower"
      data-follower={name}
      data-anchored={document.following.holdOf(part) !== undefined}
    >
      <Group gap={6} justify="space-between" wrap="nowrap">
        <Switch
          label={`${name} follows ${driver}`}
          checked={!follows.isOff}
          disabled={!document.mayChange}
          onChange={({ currentTarget: { checked } }) =>
            changeFollows(
              at,
              part,
              { ...follows, isOff: !checked },
              checked ? `${name} follows ${driver}` : `${name} moves by its own weights`,
            )
          }
        />
        {document.mayChange && (
          <Tooltip label={`Let go of ${driver}`}>
            <ActionIcon
              variant="subtle"
              aria-label={`Let ${name} go of ${driver}`}
              onClick={() => letGo(at, part)}
            >
              <IconX size={16} />
            </ActionIcon>
          </Tooltip>
        )}
      </Group>
      <Heights at={at} part={part} follows={follows} />
      <FollowedPlace at={at} part={part} follows={follows} />
      <Crossed at={at} part={part} follows={follows} />
      <BakeFollower at={at} part={part} follows={follows} />
    </div>
  );
}

/** How far a part stands off what it follows, and what of it lies under that surface. */
function Heights({ at, part, follows }: PartProps) {
  const { document, scene } = at;
  const hold = document.following.holdOf(part);
  if (!hold)
    return (
      <p className="card-line" role="status">
        {document.following.isLooking(part)
          ? 'Looking for what it holds on to …'
          : `${document.partName(follows.driver)} has no surface to hold on to.`}
      </p>
    );
  let [least, most] = [Infinity, 0];
  for (const height of hold.heights) {
    least = Math.min(least, Math.max(0, height));
    most = Math.max(most, height);
  }
  const beyond = pointsBeyond(at, part);
  const isCage = hold.kind === 'cage';
  return (
    <>
      <p className="card-line">
        {isCage
          ? `Moves within ${document.partName(follows.driver)} as in a cage.`
          : `Stands off ${lengthWords(least)} to ${lengthWords(most)}.`}
      </p>
      {beyond.length > 0 && (
        <>
          <div className="trouble" data-beyond={beyond.length}>
            {counted(beyond.length, 'point')} of it {beyond.length === 1 ? 'lies' : 'lie'}{' '}
            {isCage ? 'outside the cage' : 'under the surface'} at rest, and{' '}
            {beyond.length === 1 ? 'stays' : 'stay'} there.
          </div>
          <Group gap={6} my={6}>
            <Button
              size="compact-xs"
              variant="default"
              onClick={() => scene.selection.choosePoints(new Map([[part, beyond]]), 'replace')}
            >
              Select them
            </Button>
            {document.mayChange && (
              <Button
                size="compact-xs"
                variant="default"
                onClick={() => void keepBeyond(at, part, follows).catch(document.notifyError)}
              >
                Keep their own weights
              </Button>
            )}
          </Group>
          {document.mayChange && <PushOut at={at} part={part} follows={follows} isCage={isCage} />}
        </>
      )}
    </>
  );
}

/** Off the surface by this share of the size, unless a person says otherwise. */
const PUSHED_SHARE = 0.003;

/** Moves what lies on the wrong side to the right one, at rest. */
function PushOut({ at, part, follows, isCage }: PartProps & { readonly isCage: boolean }) {
  const { document } = at;
  const [distance, setDistance] = useState(() =>
    Number((1000 * PUSHED_SHARE * document.size).toPrecision(2)),
  );
  const push = (): void => {
    try {
      pushBeyond(at, part, follows, distance / 1000);
    } catch (error) {
      document.notifyError(error);
    }
  };
  return (
    <Group gap={6} mb={6} align="end" wrap="nowrap">
      <NumberField
        size="xs"
        label={isCage ? 'Inside by, mm' : 'Off the surface by, mm'}
        min={0}
        value={distance}
        onChange={setDistance}
      />
      <Button size="compact-sm" variant="default" style={{ flex: 'none' }} onClick={push}>
        {isCage ? 'Push in' : 'Push out'}
      </Button>
    </Group>
  );
}

const [EVERYWHERE, SELECTED] = ['everywhere', 'selected'];

function FollowedPlace({ at, part, follows }: PartProps) {
  const { document, scene } = at;
  useEvent(scene.events, 'selection');
  const { masks } = document.saved;
  const selected = scene.selection.points().get(part)?.length ?? 0;
  const choose = (id: string | null): void => {
    if (id === SELECTED) void followSelected(at, part, follows).catch(document.notifyError);
    else {
      const { mask: _, ...everywhere } = follows;
      const place = id === EVERYWHERE || id === null ? {} : { mask: id };
      changeFollows(at, part, { ...everywhere, ...place }, `Where ${document.partName(part)} follows`);
    }
  };
  return (
    <Select
      size="xs"
      label="Where"
      description="Elsewhere it keeps its own weights. A mask is painted under Paint, Masks."
      allowDeselect={false}
      disabled={!document.mayChange}
      data={[
        { value: EVERYWHERE, label: 'Everywhere' },
        ...(selected > 0 ? [{ value: SELECTED, label: `At ${counted(selected, 'selected point')}` }] : []),
        ...masks.map(({ id, name }) => ({ value: id, label: `${name}, a mask` })),
      ]}
      value={masks.some(({ id }) => id === follows.mask) ? (follows.mask ?? EVERYWHERE) : EVERYWHERE}
      onChange={choose}
    />
  );
}

/** Crossings of the part with what it follows, over the range of motion: by its weights, and following. */
function Crossed({ at, part, follows }: PartProps) {
  const { document, trialThreads, trial } = at;
  const [counts, setCounts] = useState<{ own: number; following: number }>();
  const [isBusy, setIsBusy] = useState(false);
  const weights = useEvent(document.events, 'weights');
  const [countedAt, setCountedAt] = useState(-1);
  const count = async (): Promise<void> => {
    setIsBusy(true);
    try {
      const poses = sparePoses(trial.ranges()).map(({ pose: { pose } }) => pose);
      const of = async (look: CharacterLook): Promise<number> =>
        (await crossAll(trialThreads, [part, follows.driver], poses, look)).reduce(
          (sum, { places }) => sum + places,
          0,
        );
      setCounts({ own: await of(lookWithout(at, part)), following: await of(lookFollowing(at, part)) });
      setCountedAt(weights);
    } catch (error) {
      document.notifyError(error);
    } finally {
      setIsBusy(false);
    }
  };
  return (
    <Group gap={6} my={6} justify="space-between" wrap="nowrap">
      {counts && countedAt === weights ? (
        <span className="card-line" data-crossings={counts.own} data-crossings-following={counts.following}>
          Crosses at {counted(counts.own, 'place')} over the range by its own weights, at{' '}
          {counts.following.toLocaleString('en')} as it follows.
        </span>
      ) : (
        <span className="card-line">Where it runs through {document.partName(follows.driver)}</span>
      )}
      <Button
        size="compact-xs"
        variant="default"
        style={{ flexShrink: 0 }}
        loading={isBusy}
        onClick={() => void count()}
      >
        Count
      </Button>
    </Group>
  );
}

/** Gives the part plain weights that move it about as it follows. */
function BakeFollower({ at, part, follows }: PartProps) {
  const { curing, document } = at;
  useEvent(curing.events, 'changed');
  if (!document.mayChange) return null;
  const name = document.partName(part);
  const bake = (): void => {
    const look = lookFollowing(at, part);
    const clips = [...new Set(document.character.clips.map((clip) => clip.name))];
    // Old and new are looked at as engines show them.
    if (!follows.isOff)
      changeFollows(at, part, { ...follows, isOff: true }, `${name} moves by its own weights`);
    curing.bake(look, `what ${name} follows`, clips, [part]).catch(document.notifyError);
  };
  return (
    <RunButton
      running={curing.working?.isBake ? curing.working : undefined}
      disabled={curing.working !== undefined || !document.following.holdOf(part)}
      stop={() => curing.stop()}
      run={bake}
      label="Bake into its weights"
    />
  );
}
