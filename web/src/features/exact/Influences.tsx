import { counted } from '@judoka/core/document';
import { Slider } from '@mantine/core';
import { useMemo, useState } from 'react';
import { influenceChange, type InfluenceEdit, type InfluenceSpan, spansOf } from './exactEdits.ts';
import { scopeOf } from '../../scene/scope.ts';
import { useEvent } from '../../document/useEvent.ts';
import { uiSettings } from '../../settings/store.ts';
import { ReceiverChooser } from '../../scene/ReceiverChooser.tsx';
import type { Act, At } from './acting.ts';

const MAX_SPANS = 12;

/** The last edit stays open: it can be made anew with another number, on the same points and on no others. */
interface LastEdit {
  readonly joint: number;
  readonly edit: InfluenceEdit;
  readonly points: ReadonlyMap<number, Uint32Array>;
  readonly edited: string | undefined;
}

export function Influences({ at, act }: { at: At; act: Act }) {
  const weights = useEvent(at.document.events, 'weights');
  const selection = useEvent(at.scene.events, 'selection');
  useEvent(at.document.events, 'history');
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
      const { change, held } = influenceChange(at, on, joint, edit, uiSettings());
      const verb = { set: 'Set', scale: 'Scale', offset: 'Offset' }[edit.kind];
      await at.document.perform(`${verb} ${at.document.jointName(joint)}`, { weights: change });
      setLast({ joint, edit, points: on, edited: at.document.history.done?.top.id });
      if (held > 0)
        return `${counted(held, 'point')} kept all weight: nothing could receive what would be freed.`;
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
        {counted(count, 'point')}; adjust it here:
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
