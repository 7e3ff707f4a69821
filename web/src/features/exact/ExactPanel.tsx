import { Button, Group, Select, Slider } from '@mantine/core';
import { liveJoints } from '@judoka/core/skeleton';
import type { Change } from '@judoka/core/weights';
import { type ReactNode, useMemo, useState } from 'react';
import {
  foretell,
  healChange,
  influenceChange,
  type InfluenceEdit,
  type InfluenceSpan,
  moveChange,
  pasteChange,
  pruneChange,
  rowOf,
  spansOf,
} from './exactEdits.ts';
import { scopeOf } from '../../scene/scope.ts';
import { useEvent } from '../../document/useEvent.ts';
import { useUiSettings } from '../../settings/store.ts';
import { ReceiverChooser } from '../../scene/ReceiverChooser.tsx';
import { NumberField } from '../../ui/NumberField.tsx';
import type { Editing } from '../../scene/Editing.ts';
import type { Clipboard } from './Clipboard.ts';

type At = Editing & { readonly clipboard: Clipboard };

type Act = (work: () => Promise<string | void>) => void;

/**
 * Exact values: what the selection holds, moved, copied, healed, pruned and typed; each says what it acts on.
 *
 * @param table what is shown while the table of weights is open
 */
export function ExactPanel({ at, table }: { at: At; table: (close: () => void) => ReactNode }) {
  useEvent(at.scene.events, 'selection');
  useEvent(at.scene.events, 'parts');
  const [tableShown, setTableShown] = useState(false);
  const { count } = at.scene.selection;
  const act: Act = (work) => {
    work()
      .then((told) => told && at.document.notify(told))
      .catch((error: Error) => at.document.notify(error.message));
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
        {tableShown && table(() => setTableShown(false))}
      </section>
      {/* Under the table nobody reads them, and following every edit of it takes time. */}
      {!tableShown && (
        <>
          <Influences at={at} act={act} />
          <Move at={at} act={act} />
          <WholeRows at={at} act={act} />
          <Prune at={at} act={act} />
        </>
      )}
    </>
  );
}

const MAX_SPANS = 12;

/** The last edit stays open: it can be made anew with another number, on the same points and on no others. */
interface LastEdit {
  readonly joint: number;
  readonly edit: InfluenceEdit;
  readonly points: ReadonlyMap<number, Uint32Array>;
  readonly edited: string | undefined;
}

function Influences({ at, act }: { at: At; act: Act }) {
  const weights = useEvent(at.document.events, 'weights');
  const selection = useEvent(at.scene.events, 'selection');
  useEvent(at.document.events, 'history');
  const ui = useUiSettings();
  const [last, setLast] = useState<LastEdit>();
  const points = useMemo(
    () => scopeOf(at),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the version stands for the selection
    [at, selection],
  );
  const spans = useMemo(
    () => spansOf(at, points),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the version stands for the weights
    [at, points, weights],
  );
  const isOpen = last !== undefined && at.document.history.done?.top.id === last.edited;
  const run = (
    joint: number,
    edit: InfluenceEdit,
    on: ReadonlyMap<number, Uint32Array>,
    again: boolean,
  ): void =>
    act(async () => {
      if (again) await at.document.undo();
      const { change, held } = influenceChange(at, on, joint, edit, ui);
      const verb = { set: 'Set', scale: 'Scale', offset: 'Offset' }[edit.kind];
      await at.document.perform(`${verb} ${at.document.jointName(joint)}`, { weights: change });
      setLast({ joint, edit, points: on, edited: at.document.history.done?.top.id });
      if (held > 0)
        return `${held.toLocaleString('en')} points kept their weight: nothing could receive what would be freed.`;
      return undefined;
    });
  return (
    <section className="group" aria-label="Influences">
      <h2>Influences</h2>
      {spans.slice(0, MAX_SPANS).map((span) => (
        <SpanRow key={span.joint} at={at} span={span} run={(edit) => run(span.joint, edit, points, false)} />
      ))}
      {spans.length > MAX_SPANS && (
        <p className="card-line">and {spans.length - MAX_SPANS} more; the table shows them all</p>
      )}
      {isOpen && <Adjust at={at} last={last} run={run} />}
      <ReceiverChooser at={at} />
    </section>
  );
}

/** Least, mean and greatest as a bar; typed, the mean is set for all. */
function SpanRow({
  at,
  span: { joint, least, mean, most },
  run,
}: {
  at: At;
  span: InfluenceSpan;
  run: (edit: InfluenceEdit) => void;
}) {
  const [typed, setTyped] = useState<string>();
  const locked = at.document.locks[joint] === 1;
  const keep = (): void => {
    const value = Number(typed?.replace(',', '.'));
    if (typed !== undefined && typed.trim() !== '') {
      if (Number.isFinite(value) && value >= 0 && value <= 1) run({ kind: 'set', to: value });
      else at.document.notify('A weight is a number from 0 to 1.');
    }
    setTyped(undefined);
  };
  return (
    <div className="span-row" data-influence={at.document.jointName(joint)}>
      <button type="button" className="word" onClick={() => at.scene.chooseJoint(joint)}>
        {at.document.jointName(joint)}
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
        aria-label={`Weight of ${at.document.jointName(joint)}`}
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
  at,
  last: { joint, edit, points },
  run,
}: {
  at: At;
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
        {{ set: 'Set', scale: 'Scaled', offset: 'Offset' }[edit.kind]} {at.document.jointName(joint)} at{' '}
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

function jointOptions(at: At) {
  return liveJoints(at.document.skeleton).map((joint) => ({
    value: String(joint),
    label: at.document.jointName(joint),
  }));
}

function Move({ at, act }: { at: At; act: Act }) {
  useEvent(at.scene.events, 'joint');
  const [to, setTo] = useState<string | null>(null);
  const [share, setShare] = useState(100);
  const {
    scene: { joint },
  } = at;
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
          label={`of ${joint < 0 ? 'the chosen joint' : at.document.jointName(joint)} to`}
          style={{ flex: 1 }}
          searchable
          placeholder="Choose a joint"
          data={jointOptions(at)}
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
            const change = moveChange(at, scopeOf(at), joint, Number(to), share / 100);
            await at.document.perform(
              `Move ${at.document.jointName(joint)} to ${at.document.jointName(Number(to))}`,
              { weights: change },
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
function WholeRows({ at, act }: { at: At; act: Act }) {
  const { limit } = useUiSettings();
  useEvent(at.clipboard.events, 'changed');
  const held = at.clipboard.row;
  const has = at.scene.selection.count > 0;
  const perform = (label: string, make: (points: ReadonlyMap<number, Uint32Array>) => Change): void =>
    act(async () => {
      const change = make(at.scene.selection.points());
      await at.document.perform(label, { weights: change });
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
          onClick={() => at.clipboard.hold(rowOf(at, at.scene.selection.points()))}
        >
          Copy
        </Button>
        <Button
          size="compact-xs"
          variant="default"
          disabled={!has || held.length === 0}
          onClick={() => perform('Paste weights', (points) => pasteChange(at, points, held, limit))}
        >
          Paste
        </Button>
        <Button
          size="compact-xs"
          variant="default"
          disabled={!has}
          onClick={() => perform('Average', (points) => pasteChange(at, points, rowOf(at, points), limit))}
        >
          Average
        </Button>
        <Button
          size="compact-xs"
          variant="default"
          disabled={!has}
          onClick={() => perform('Heal', (points) => healChange(at, points, limit))}
        >
          Heal
        </Button>
      </div>
      <div className="card-line">
        {held.length === 0
          ? 'Copy takes the mean of the selection; Alt+Shift+click with a brush takes a point’s.'
          : `Held: ${held
              .slice(0, 3)
              .map(({ joint, weight }) => `${at.document.jointName(joint)} ${weight.toFixed(2)}`)
              .join(', ')}${held.length > 3 ? ', …' : ''}`}
      </div>
    </section>
  );
}

/** Small weights, too many influences, odd numbers: what pruning will change is told first. */
function Prune({ at, act }: { at: At; act: Act }) {
  useEvent(at.document.events, 'weights');
  const [below, setBelow] = useState(0.01);
  const [most, setMost] = useState(4);
  const [step, setStep] = useState(0);
  const settings = { below, most, step };
  const change = useMemo(
    () => pruneChange(at, scopeOf(at), settings),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the versions stand for what is read
    [at, below, most, step, at.document.events.version('weights'), at.scene.events.version('selection')],
  );
  const { points, most: largest, movement } = foretell(at, change);
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
            await at.document.perform('Prune', { weights: change });
            return changedWords(change);
          })
        }
      >
        Prune
      </Button>
    </section>
  );
}
