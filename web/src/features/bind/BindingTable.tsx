import type { RangeFigures } from '@judoka/core/analysis/bends';
import { counted } from '@judoka/core/document';
import { Group, Radio, Select } from '@mantine/core';
import { useState } from 'react';
import { OLD } from '../../document/alternative.ts';
import type { Proposal } from '../../document/Proposals.ts';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { shortFigure } from '../../ui/shortFigure.ts';
import { ActionButton } from '../../ui/ActionButton.tsx';
import type { BindRuns } from './BindRuns.ts';
import './bind.css';

/** A figure by which bindings are compared: the less, the better. */
interface Column {
  readonly label: string;
  readonly says: string;
  readonly of: (figures: RangeFigures) => number;
  readonly words: (value: number) => string;
}

const COLUMNS: readonly Column[] = [
  {
    label: 'Strain',
    says: 'How much the surface is stretched, squeezed and folded, each joint in its worst bend',
    of: ({ strain }) => strain,
    words: shortFigure,
  },
  {
    label: 'Volume',
    says: 'The share of volume that is lost, each joint in the bend that loses most, on average',
    of: ({ volumeLost }) => volumeLost,
    words: (value) => (value < 0.005 ? '0%' : `−${Math.round(100 * value)}%`),
  },
  {
    label: 'Folds',
    says: 'Faces that are turned over, each joint in its worst bend',
    of: ({ folded }) => folded,
    words: (value) => value.toLocaleString('en'),
  },
];

/** What is proposed, side by side: its figures, which one is on the stage, and another one for some joints. */
export function BindingTable({
  at,
  runs,
  limit,
}: {
  at: Editing;
  runs: BindRuns;
  /** Largest number of influences of a mixture. */
  limit: number;
}) {
  useEvent(at.document.events, 'shown');
  const { current } = at.document.proposals;
  if (!current || (current.alternatives.length < 2 && !current.figures)) return null;
  return (
    <section className="group">
      <h2>{current.alternatives.length > 1 ? 'Side by side' : 'How it bends'}</h2>
      <Figures at={at} proposal={current} />
      {current.alternatives.length > 1 && <Mix at={at} runs={runs} proposal={current} limit={limit} />}
    </section>
  );
}

function Figures({ at, proposal }: { at: Editing; proposal: Proposal }) {
  const { alternatives, before } = proposal;
  const rows = [
    ...(before ? [{ index: OLD, name: 'Old', figures: before }] : []),
    ...alternatives.map(({ name, figures }, index) => ({ index, name, figures })),
  ];
  const measured = rows.flatMap(({ figures }) => (figures ? [figures] : []));
  const best = COLUMNS.map(({ of }) => Math.min(...measured.map(of)));
  const worst = measured.length < rows.length ? undefined : proposal.figures?.worst;
  return (
    <Radio.Group
      aria-label="Binding on the stage"
      value={String(proposal.shown ? proposal.index : OLD)}
      onChange={(value) => {
        at.document.proposals.choose(Number(value)).catch(at.document.notifyError);
      }}
    >
      <table className="bindings" aria-label="Bindings side by side">
        <thead>
          <tr>
            <th scope="col">On the stage</th>
            {COLUMNS.map(({ label, says }) => (
              <th scope="col" key={label} title={says}>
                {label}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(({ index, name, figures }) => (
            <tr key={index} data-alternative={name}>
              <td>
                <Radio size="xs" value={String(index)} label={name} />
              </td>
              {COLUMNS.map(({ label, of, words }, column) => (
                <td
                  key={label}
                  className={`figures${figures && measured.length > 1 && of(figures) === best[column] ? ' best' : ''}`}
                  data-figure={label}
                >
                  {figures ? words(of(figures)) : '…'}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="card-line">
        {measured.length < rows.length
          ? 'The bends are being measured over the range of motion.'
          : `Over the ranges of ${counted(measured[0].joints, 'joint')}; strain and folds are better the lower.`}
        {worst !== undefined &&
          proposal.shown &&
          ` ${proposal.name} is worst at ${at.document.jointName(worst)}.`}
      </p>
    </Radio.Group>
  );
}

/** Some joints as in another of those proposed. */
function Mix({
  at,
  runs,
  proposal,
  limit,
}: {
  at: Editing;
  runs: BindRuns;
  proposal: Proposal;
  limit: number;
}) {
  useEvent(at.scene.events, 'joint');
  useEvent(runs.events, 'changed');
  const [wanted, setWanted] = useState<string>();
  const joints = at.scene.chosenJoints();
  const others = proposal.alternatives
    .map(({ name }, index) => ({ value: String(index), label: name }))
    .filter(({ value }) => Number(value) !== proposal.index);
  const from = others.find(({ value }) => value === wanted) ?? others[0];
  const whose = joints.length === 1 ? at.document.jointName(joints[0]) : counted(joints.length, 'joint');
  return (
    <Group gap={6} wrap="nowrap" align="end" mt={4}>
      <Select
        label="Chosen joints by"
        w={112}
        size="xs"
        allowDeselect={false}
        data={others}
        value={from.value}
        onChange={(value) => setWanted(value ?? undefined)}
      />
      <ActionButton
        name="Mix two bindings"
        variant="default"
        style={{ flex: 1, minWidth: 0 }}
        disabled={joints.length === 0 || runs.running !== undefined}
        title={`${whose} as by ${from.label}, everything else as by ${proposal.name}`}
        onClick={() => void runs.mix(Number(from.value), joints, limit)}
      >
        {joints.length === 0 ? 'Choose joints' : `Mix ${whose}`}
      </ActionButton>
    </Group>
  );
}
