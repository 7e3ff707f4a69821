import { whenWords } from './whenWords.ts';
import { Button } from '@mantine/core';
import { figureWords, stretchWords } from '@judoka/core/analysis';
import {
  rankBends,
  rulerOf,
  worstFigures,
  worstPose,
  type BendFigures,
  type BendOrder,
  type JointTrial,
} from '@judoka/core/analysis/bends';
import { useMemo, useState, type ReactNode } from 'react';
import { useAppDispatch, useUiSettings } from '../settings/store.ts';
import { settingsChanged } from '../settings/uiSettings.ts';
import { Segments } from '../ui/Segments.tsx';
import type { TrialResult } from './Trial.ts';
import { BendChart } from './BendChart.tsx';
import type { Trial } from './Trial.ts';
import type { Editing } from '../scene/Editing.ts';
import './trial.css';

type At = Editing & { readonly trial: Trial };

const SHORT_LIST = 12;
/** Less than this is no change that anybody sees. */
const SEEN_CHANGE = 0.005;
const ORDERS = { stretch: 'How far', damage: 'How much' } as const;
const ORDER_WORDS: Readonly<Record<BendOrder, string>> = {
  stretch: 'By the place that is stretched most, in times its length; small joints count like large ones.',
  damage: 'By all that is hurt: strain squared over the surface, in % of the character’s size squared.',
};

interface Shown {
  readonly at: At;
  readonly result: TrialResult;
  readonly show: (trial: JointTrial, pose: number) => void;
  /** What is wrong with a joint's weights, and what can be done, below its row. */
  readonly troubles?: (joint: number) => ReactNode;
}

/** Joints with their worst pose, worst first; a click shows it. */
export function Ranking(shown: Shown) {
  const { at, result, show } = shown;
  const [all, setAll] = useState(false);
  const dispatch = useAppDispatch();
  const { bendOrder: order } = useUiSettings('bendOrder');
  const { stale } = result;
  const trials = useMemo(() => rankBends(result.trials, order), [result.trials, order]);
  // The chosen joint stays in sight wherever painting takes it.
  const listed = trials.filter(({ joint }, i) => all || i < SHORT_LIST || joint === at.scene.joint);
  const most = trials.length > 0 ? worstFigures(trials[0], order)[order] || 1 : 1;
  return (
    <section className="group" aria-label="Worst bends">
      <h2>Worst bends</h2>
      <Segments
        name="Bends are ranked by"
        choices={ORDERS}
        value={order}
        set={(bendOrder) => dispatch(settingsChanged({ bendOrder }))}
      />
      <p className="card-line">{ORDER_WORDS[order]}</p>
      {stale && (
        <p className="card-line">
          Weights have changed since. The chosen joint is up to date; run again for the others.
        </p>
      )}
      {trials.length === 0 && (
        <p className="card-line">
          Nothing bends: no joint moves a part of the surface. Bind the character first.
        </p>
      )}
      <ol className="rank">
        {listed.map((one) => (
          <RankRow key={one.joint} {...shown} trial={one} most={most} order={order} />
        ))}
      </ol>
      {trials.length > SHORT_LIST && (
        <Button variant="subtle" fullWidth onClick={() => setAll(!all)}>
          {all ? 'Show the worst only' : `Show all ${trials.length} joints`}
        </Button>
      )}
      {at.scene.joint >= 0 && !listed.some(({ joint }) => joint === at.scene.joint) && (
        <ChosenTrial at={at} result={result} show={show} order={order} />
      )}
    </section>
  );
}

function RankRow({
  at,
  result,
  trial,
  most,
  show,
  order,
  troubles,
}: Shown & { trial: JointTrial; most: number; order: BendOrder }) {
  const { joint, poses } = trial;
  const worst = worstPose(trial, order);
  const { figures } = poses[worst];
  const now = figures[order];
  const before = figureOf(result.before, joint, order);
  const name = at.document.jointName(joint);
  return (
    <li>
      <button
        type="button"
        aria-pressed={at.scene.joint === joint}
        data-joint={name}
        data-figure={now.toFixed(4)}
        onClick={() => show(trial, worst)}
      >
        <span className="rank-name">{name}</span>
        <span className="rank-figure figures">
          {figureText(now, order)}
          {before !== undefined && Math.abs(before - now) > SEEN_CHANGE && (
            <i data-better={now < before}>{changeWords(before, now)}</i>
          )}
        </span>
        <span className="rank-words">
          {whenWords(poses[worst])}:{' '}
          {figureWords(figures, { order, where: placeName(at, joint, figures) })
            .slice(0, 2)
            .join(', ')}
        </span>
        <span className="rank-bar" style={{ width: `${(100 * now) / most}%` }} />
      </button>
      {troubles?.(joint)}
      {at.scene.joint === joint && <ChosenTrial at={at} result={result} show={show} order={order} />}
    </li>
  );
}

/** What the place of the most stretched edge is called. */
function placeName({ document }: At, joint: number, { stretched }: BendFigures): string | undefined {
  if (!stretched) return undefined;
  return document.jointName(rulerOf(document.skeleton, document.rowsOfPart(), joint, stretched));
}

const figureText = (figure: number, order: BendOrder): string =>
  order === 'stretch' ? stretchWords(figure) : figure.toFixed(2);

const figureOf = (
  trials: ReadonlyMap<number, JointTrial> | undefined,
  joint: number,
  order: BendOrder,
): number | undefined => {
  const one = trials?.get(joint);
  return one && worstFigures(one, order)[order];
};

function changeWords(before: number, now: number): string {
  if (before === 0) return 'new';
  const share = Math.round((now / before - 1) * 100);
  return `${share > 0 ? '+' : '−'}${Math.abs(share)}%`;
}

/** The chosen joint: all its poses as a chart, and what it was, and would be. */
function ChosenTrial({ at, result, show, order }: Shown & { order: BendOrder }) {
  const {
    scene: { joint },
  } = at;
  const trial = result.trials.find((one) => one.joint === joint);
  if (!trial)
    return <p className="card-line">{at.document.jointName(joint)} deforms nothing in these poses.</p>;
  const lines: readonly (readonly [string, JointTrial | undefined])[] = [
    ['Now', trial],
    ['As it came', result.before?.get(joint)],
    [result.skinning === 'dual' ? 'Linear' : 'Dual', result.other?.get(joint)],
  ];
  return (
    <div aria-label="Report of the joint" role="group" className="rank-report">
      <BendChart
        trial={trial}
        order={order}
        show={(i) => show(trial, i)}
        before={result.before?.get(joint)}
      />
      <table className="report">
        <tbody>
          {lines.map(([what, one]) => one && <ReportRow key={what} what={what} trial={one} order={order} />)}
        </tbody>
      </table>
    </div>
  );
}

function ReportRow({ what, trial, order }: { what: string; trial: JointTrial; order: BendOrder }) {
  const figures = worstFigures(trial, order);
  return (
    <tr>
      <th scope="row">{what}</th>
      <td className="figures">{figureText(figures[order], order)}</td>
      <td>{figureWords(figures, { order }).slice(0, 3).join(', ')}</td>
    </tr>
  );
}
