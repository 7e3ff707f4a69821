import { Button, Group, Select, Slider } from '@mantine/core';
import { liveJoints } from '@judoka/core/skeleton';
import type { Change } from '@judoka/core/weights';
import { useMemo, useState } from 'react';
import type { CharacterSession } from '../session/CharacterSession.ts';
import {
  foretell,
  healChange,
  influenceChange,
  moveChange,
  pasteChange,
  pruneChange,
  rowOf,
  scopeOf,
  spansOf,
  type InfluenceEdit,
  type InfluenceSpan,
} from '../session/exact.ts';
import { useTopic } from '../session/useTopic.ts';
import { useBench } from '../state/store.ts';
import { ReceiverChooser } from './BrushPanel.tsx';
import { WeightTable } from './WeightTable.tsx';
import { NumberField } from './NumberField.tsx';

type Act = (work: () => Promise<string | void>) => void;

/** Exact values: what the selection holds, moved, copied, healed, pruned and typed; each says what it acts on. */
export function ExactPanel({ session }: { session: CharacterSession }) {
  useTopic(session, 'selection');
  useTopic(session, 'parts');
  const [tableShown, setTableShown] = useState(false);
  const { count } = session.selection;
  const act: Act = (work) => {
    work()
      .then((told) => told && session.tellPerson(told))
      .catch((error: Error) => session.tellPerson(error.message));
  };
  return (
    <>
      <section className="group">
        <p className="card-line" data-acts-on={count}>
          {count > 0
            ? count === 1
              ? 'Acts on the one selected point.'
              : `Acts on the ${count.toLocaleString('en')} selected points.`
            : 'Nothing is selected: acts on all points of the parts shown.'}
        </p>
        <Button fullWidth variant="default" onClick={() => setTableShown(true)}>
          Table of weights
        </Button>
        {tableShown && <WeightTable session={session} close={() => setTableShown(false)} />}
      </section>
      {/* Under the table nobody reads them, and following every edit of it takes time. */}
      {!tableShown && (
        <>
          <Influences session={session} act={act} />
          <Move session={session} act={act} />
          <WholeRows session={session} act={act} />
          <Prune session={session} act={act} />
        </>
      )}
    </>
  );
}

const MOST_SPANS = 12;

/** The last edit stays open: it can be made anew with another number, on the same points and on no others. */
interface LastEdit {
  readonly joint: number;
  readonly edit: InfluenceEdit;
  readonly points: ReadonlyMap<number, Uint32Array>;
  readonly history: number;
}

function Influences({ session, act }: { session: CharacterSession; act: Act }) {
  const weights = useTopic(session, 'weights');
  const selection = useTopic(session, 'selection');
  useTopic(session, 'history');
  const bench = useBench();
  const [last, setLast] = useState<LastEdit>();
  const points = useMemo(
    () => scopeOf(session),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the version stands for the selection
    [session, selection],
  );
  const spans = useMemo(
    () => spansOf(session, points),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the version stands for the weights
    [session, points, weights],
  );
  const isOpen = last !== undefined && session.history.done.length === last.history;
  const run = (
    joint: number,
    edit: InfluenceEdit,
    on: ReadonlyMap<number, Uint32Array>,
    again: boolean,
  ): void =>
    act(async () => {
      if (again) await session.undo();
      const { change, held } = influenceChange(session, on, joint, edit, bench);
      const verb = { set: 'Set', scale: 'Scale', offset: 'Offset' }[edit.kind];
      await session.perform(`${verb} ${session.jointName(joint)}`, change);
      setLast({ joint, edit, points: on, history: session.history.done.length });
      if (held > 0)
        return `${held.toLocaleString('en')} points kept their weight: nothing could receive what would be freed.`;
      return undefined;
    });
  return (
    <section className="group" aria-label="Influences">
      <h2>Influences</h2>
      {spans.slice(0, MOST_SPANS).map((span) => (
        <SpanRow
          key={span.joint}
          session={session}
          span={span}
          run={(edit) => run(span.joint, edit, points, false)}
        />
      ))}
      {spans.length > MOST_SPANS && (
        <p className="card-line">and {spans.length - MOST_SPANS} more; the table shows them all</p>
      )}
      {isOpen && <Adjust session={session} last={last} run={run} />}
      <ReceiverChooser session={session} />
    </section>
  );
}

/** Least, mean and greatest as a bar; typed, the mean is set for all. */
function SpanRow({
  session,
  span: { joint, least, mean, most },
  run,
}: {
  session: CharacterSession;
  span: InfluenceSpan;
  run: (edit: InfluenceEdit) => void;
}) {
  const [typed, setTyped] = useState<string>();
  const locked = session.locks[joint] === 1;
  const keep = (): void => {
    const value = Number(typed?.replace(',', '.'));
    if (typed !== undefined && typed.trim() !== '') {
      if (Number.isFinite(value) && value >= 0 && value <= 1) run({ kind: 'set', to: value });
      else session.tellPerson('A weight is a number from 0 to 1.');
    }
    setTyped(undefined);
  };
  return (
    <div className="span-row" data-influence={session.jointName(joint)}>
      <button type="button" className="word" onClick={() => session.chooseJoint(joint)}>
        {session.jointName(joint)}
      </button>
      <div
        className="span-bar"
        title={`least ${least.toFixed(3)}, mean ${mean.toFixed(3)}, greatest ${most.toFixed(3)}`}
      >
        <i style={{ left: `${least * 100}%`, width: `${Math.max(1, (most - least) * 100)}%` }} />
        <b style={{ left: `${mean * 100}%` }} />
      </div>
      <input
        className="figures"
        aria-label={`Weight of ${session.jointName(joint)}`}
        disabled={locked}
        value={typed ?? mean.toFixed(3)}
        onFocus={(event) => event.currentTarget.select()}
        onChange={(event) => setTyped(event.currentTarget.value)}
        onBlur={() => setTyped(undefined)}
        onKeyDown={(event) => {
          if (event.key === 'Enter') keep();
          if (event.key === 'Escape') setTyped(undefined);
        }}
      />
      <button
        type="button"
        className="word"
        disabled={locked}
        title="A tenth less"
        onClick={() => run({ kind: 'scale', by: 0.9 })}
      >
        −
      </button>
      <button
        type="button"
        className="word"
        disabled={locked}
        title="A twentieth more"
        onClick={() => run({ kind: 'offset', by: 0.05 })}
      >
        +
      </button>
    </div>
  );
}

function Adjust({
  session,
  last: { joint, edit, points },
  run,
}: {
  session: CharacterSession;
  last: LastEdit;
  run: (joint: number, edit: InfluenceEdit, on: ReadonlyMap<number, Uint32Array>, again: boolean) => void;
}) {
  const count = [...points.values()].reduce((sum, list) => sum + list.length, 0);
  const amount = edit.kind === 'set' ? edit.to : edit.by;
  const [shown, setShown] = useState(amount);
  const range = { set: [0, 1], scale: [0, 2], offset: [-0.5, 0.5] }[edit.kind];
  const withAmount = (value: number): InfluenceEdit =>
    edit.kind === 'set' ? { kind: 'set', to: value } : { kind: edit.kind, by: value };
  return (
    <div className="adjust" aria-label="Last operation">
      <div className="card-line">
        {{ set: 'Set', scale: 'Scaled', offset: 'Offset' }[edit.kind]} {session.jointName(joint)} at{' '}
        {count.toLocaleString('en')} points; adjust it here:
      </div>
      <Slider
        size="sm"
        min={range[0]}
        max={range[1]}
        step={0.01}
        thumbLabel="Last operation"
        value={shown}
        onChange={setShown}
        onChangeEnd={(value) => run(joint, withAmount(value), points, true)}
      />
    </div>
  );
}

function jointOptions(session: CharacterSession) {
  return liveJoints(session.skeleton).map((joint) => ({
    value: String(joint),
    label: session.jointName(joint),
  }));
}

function Move({ session, act }: { session: CharacterSession; act: Act }) {
  useTopic(session, 'joint');
  const [to, setTo] = useState<string | null>(null);
  const [share, setShare] = useState(100);
  const { joint } = session;
  return (
    <section className="group" aria-label="Move weight">
      <h2>Move weight</h2>
      <Group gap={6} wrap="nowrap" align="end">
        <NumberField
          label="Percent"
          w={70}
          min={1}
          max={100}
          value={share}
          onChange={(value) => value > 0 && setShare(value)}
        />
        <Select
          label={`of ${joint < 0 ? 'the chosen joint' : session.jointName(joint)} to`}
          style={{ flex: 1 }}
          searchable
          placeholder="Choose a joint"
          data={jointOptions(session)}
          value={to}
          onChange={setTo}
        />
      </Group>
      <Button
        fullWidth
        mt={6}
        variant="default"
        disabled={joint < 0 || to === null || Number(to) === joint}
        onClick={() =>
          act(async () => {
            const change = moveChange(session, scopeOf(session), joint, Number(to), share / 100);
            await session.perform(
              `Move ${session.jointName(joint)} to ${session.jointName(Number(to))}`,
              change,
            );
            return changedWords(change);
          })
        }
      >
        Move
      </Button>
    </section>
  );
}

const changedWords = (change: Change): string => {
  const count = change.reduce((sum, { points }) => sum + points.length, 0);
  return count === 0 ? 'Nothing there to change.' : `${count.toLocaleString('en')} points changed.`;
};

/** Copy, paste, average, heal: a point's weights as a whole. */
function WholeRows({ session, act }: { session: CharacterSession; act: Act }) {
  const { limit } = useBench();
  useTopic(session, 'clipboard');
  const held = session.heldRow;
  const has = session.selection.count > 0;
  const perform = (label: string, make: (points: ReadonlyMap<number, Uint32Array>) => Change): void =>
    act(async () => {
      const change = make(session.selection.points());
      await session.perform(label, change);
      return changedWords(change);
    });
  return (
    <section className="group" aria-label="Whole rows">
      <h2>Weights as a whole</h2>
      <div className="act-grid four">
        <Button
          size="compact-xs"
          variant="default"
          disabled={!has}
          onClick={() => session.holdRow(rowOf(session, session.selection.points()))}
        >
          Copy
        </Button>
        <Button
          size="compact-xs"
          variant="default"
          disabled={!has || held.length === 0}
          onClick={() => perform('Paste weights', (points) => pasteChange(session, points, held, limit))}
        >
          Paste
        </Button>
        <Button
          size="compact-xs"
          variant="default"
          disabled={!has}
          onClick={() =>
            perform('Average', (points) => pasteChange(session, points, rowOf(session, points), limit))
          }
        >
          Average
        </Button>
        <Button
          size="compact-xs"
          variant="default"
          disabled={!has}
          onClick={() => perform('Heal', (points) => healChange(session, points, limit))}
        >
          Heal
        </Button>
      </div>
      <div className="card-line">
        {held.length === 0
          ? 'Copy takes the mean of the selection; Alt+Shift+click with a brush takes a point’s.'
          : `Held: ${held
              .slice(0, 3)
              .map(({ joint, weight }) => `${session.jointName(joint)} ${weight.toFixed(2)}`)
              .join(', ')}${held.length > 3 ? ', …' : ''}`}
      </div>
    </section>
  );
}

/** Small weights, too many influences, odd numbers: what pruning will change is told first. */
function Prune({ session, act }: { session: CharacterSession; act: Act }) {
  useTopic(session, 'weights');
  const [below, setBelow] = useState(0.01);
  const [most, setMost] = useState(4);
  const [step, setStep] = useState(0);
  const settings = { below, most, step };
  const change = useMemo(
    () => pruneChange(session, scopeOf(session), settings),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the versions stand for what is read
    [session, below, most, step, session.topics.version('weights'), session.topics.version('selection')],
  );
  const { points, most: largest, movement } = foretell(session, change);
  return (
    <section className="group" aria-label="Prune">
      <h2>Prune</h2>
      <Group gap={6} grow>
        <NumberField
          label="Drop below"
          min={0}
          max={0.99}
          step={0.005}
          decimalScale={3}
          value={below}
          onChange={(value) => setBelow(value)}
        />
        <NumberField
          label="Keep"
          min={1}
          max={64}
          allowDecimal={false}
          value={most}
          onChange={(value) => value >= 1 && setMost(value)}
        />
        <NumberField
          label="Round to"
          min={0}
          max={0.5}
          step={0.01}
          decimalScale={3}
          value={step}
          onChange={(value) => setStep(value)}
        />
      </Group>
      <div className="card-line" style={{ margin: '6px 0' }} data-would-change={points}>
        {points === 0
          ? 'Would change nothing.'
          : `Would change ${points.toLocaleString('en')} points, a weight by ${largest.toFixed(3)} at most; in this pose the surface moves by ${movement.toPrecision(2)} at most.`}
      </div>
      <Button
        fullWidth
        variant="default"
        disabled={points === 0}
        onClick={() =>
          act(async () => {
            await session.perform('Prune', change);
            return changedWords(change);
          })
        }
      >
        Prune
      </Button>
    </section>
  );
}
