import { counted } from '@judoka/core/document';
import { Group, Slider } from '@mantine/core';
import { useMemo, useRef, useState } from 'react';
import { influenceChange, type InfluenceEdit, type InfluenceSpan, spansOf } from './exactEdits.ts';
import { scopeOf } from '../../scene/scope.ts';
import { useEvent } from '../../document/useEvent.ts';
import { uiSettings } from '../../settings/store.ts';
import { ReceiverChooser } from '../../scene/ReceiverChooser.tsx';
import { NumberField } from '../../ui/NumberField.tsx';
import { Segments } from '../../ui/Segments.tsx';
import type { Act, At } from './acting.ts';
import { InfluenceRow } from './InfluenceRow.tsx';
import { amountOf, amountWords, editOf, WAY_WORDS } from './influenceAmounts.ts';

const MAX_SPANS = 12;
const WAYS = { set: 'Set', shift: 'Shift', scale: 'Scale' } as const;

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
  const rows = useKeptOrder(spans, points);
  const [way, setWay] = useState<InfluenceEdit['kind']>('set');
  const isIdle = at.scene.selection.count === 0;
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
      const verb = WAYS[edit.kind];
      await at.document.perform(`${verb} ${at.document.jointName(joint)}`, { weights: change });
      setLast({ joint, edit, points: on, edited: at.document.history.done?.top.id });
      if (held > 0)
        return `${counted(held, 'point')} kept all weight: nothing could receive what would be freed.`;
      return undefined;
    });
  return (
    <section className="group" aria-label="Influences">
      <h2>Influences</h2>
      <Segments
        size="xs"
        mb={6}
        name="What a typed or dragged number does"
        choices={WAYS}
        value={way}
        set={setWay}
      />
      <p className="card-line">{WAY_WORDS[way]}</p>
      {rows.slice(0, MAX_SPANS).map((span) => (
        <InfluenceRow
          key={span.joint}
          at={at}
          span={span}
          way={way}
          isIdle={isIdle}
          run={(edit) => run(span.joint, edit, points, false)}
        />
      ))}
      {spans.length > MAX_SPANS && (
        <p className="card-line">and {spans.length - MAX_SPANS} more; the table shows them all</p>
      )}
      {isOpen && <Adjust key={`${last.joint} ${last.edit.kind}`} at={at} last={last} run={run} />}
      <ReceiverChooser at={at} />
    </section>
  );
}

/** Rows stay where they are while one works on the same points: new ones come last. */
function useKeptOrder(
  spans: readonly InfluenceSpan[],
  points: ReadonlyMap<number, Uint32Array>,
): readonly InfluenceSpan[] {
  const kept = useRef<{ points: ReadonlyMap<number, Uint32Array>; order: readonly number[] }>(undefined);
  const before = kept.current?.points === points ? kept.current.order : [];
  const place = (joint: number): number => {
    const at = before.indexOf(joint);
    return at < 0 ? before.length : at;
  };
  const rows = [...spans].sort((a, b) => place(a.joint) - place(b.joint));
  kept.current = {
    points,
    order: [...before, ...rows.map(({ joint }) => joint).filter((joint) => !before.includes(joint))],
  };
  return rows;
}

/** The last operation, with another number on the same points: typed, or dragged. */
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
  const amount = amountOf(edit);
  const [dragged, setDragged] = useState<number>();
  const [least, most] = { set: [0, 1], scale: [0, 2], shift: [-1, 1] }[edit.kind];
  const again = (value: number): void => {
    setDragged(undefined);
    if (value !== amount) run(joint, editOf(edit.kind, value), points, true);
  };
  return (
    <div className="adjust" aria-label="Last operation">
      <div className="card-line">
        {{ set: 'Set', scale: 'Scaled', shift: 'Shifted' }[edit.kind]} {at.document.jointName(joint)} at{' '}
        {counted(count, 'point')}; adjust it here:
      </div>
      <Group gap={8} wrap="nowrap">
        <Slider
          size="sm"
          style={{ flex: 1 }}
          min={least}
          max={most}
          step={0.01}
          label={(value) => amountWords(edit.kind, value)}
          thumbLabel="Last operation"
          value={dragged ?? amount}
          onChange={setDragged}
          onChangeEnd={again}
        />
        <NumberField
          w={76}
          aria-label="Number of the last operation"
          min={least * (edit.kind === 'scale' ? 100 : 1)}
          max={most * (edit.kind === 'scale' ? 100 : 1)}
          step={edit.kind === 'scale' ? 5 : 0.01}
          decimalScale={3}
          suffix={edit.kind === 'scale' ? '%' : ''}
          value={edit.kind === 'scale' ? amount * 100 : amount}
          onChange={(value) => again(edit.kind === 'scale' ? value / 100 : value)}
        />
      </Group>
    </div>
  );
}
