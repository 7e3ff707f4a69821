import { whenWords } from './whenWords.ts';
import { Button } from '@mantine/core';
import { figureWords } from '@judoka/core/analysis';
import type { JointTrial } from '@judoka/core/analysis/bends';
import { useState } from 'react';
import type { TrialResult } from './Trial.ts';
import { BendChart } from './BendChart.tsx';
import type { Trial } from './Trial.ts';
import type { Editing } from '../scene/Editing.ts';
import './trial.css';

type At = Editing & { readonly trial: Trial };

const SHORT_LIST = 12;

/** Joints with their worst pose, worst first; a click shows it. */
export function Ranking({
  at,
  result,
  show,
}: {
  at: At;
  result: TrialResult;
  show: (trial: JointTrial, pose: number) => void;
}) {
  const [all, setAll] = useState(false);
  const { trials, stale } = result;
  const listed = all ? trials : trials.slice(0, SHORT_LIST);
  const most = trials[0]?.poses[trials[0].worst].figures.damage ?? 1;
  return (
    <section className="group" aria-label="Worst bends">
      <h2>Worst bends</h2>
      <p className="card-line">
        By damage: strain squared over the surface, in % of the character’s size squared.
      </p>
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
          <RankRow key={one.joint} at={at} result={result} trial={one} most={most} show={show} />
        ))}
      </ol>
      {trials.length > SHORT_LIST && (
        <Button variant="subtle" fullWidth onClick={() => setAll(!all)}>
          {all ? 'Show the worst only' : `Show all ${trials.length} joints`}
        </Button>
      )}
      {at.scene.joint >= 0 && !listed.some(({ joint }) => joint === at.scene.joint) && (
        <ChosenTrial at={at} result={result} show={show} />
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
}: {
  at: At;
  result: TrialResult;
  trial: JointTrial;
  most: number;
  show: (trial: JointTrial, pose: number) => void;
}) {
  const { joint, poses, worst } = trial;
  const { figures } = poses[worst];
  const before = damageOf(result.before, joint);
  return (
    <li>
      <button
        type="button"
        aria-pressed={at.scene.joint === joint}
        data-joint={at.document.jointName(joint)}
        data-damage={figures.damage.toFixed(4)}
        onClick={() => show(trial, worst)}
      >
        <span className="rank-name">{at.document.jointName(joint)}</span>
        <span className="rank-figure figures">
          {figures.damage.toFixed(2)}
          {before !== undefined && Math.abs(before - figures.damage) > 0.005 && (
            <i data-better={figures.damage < before}>{changeWords(before, figures.damage)}</i>
          )}
        </span>
        <span className="rank-words">
          {whenWords(poses[worst])}: {figureWords(figures).slice(0, 2).join(', ')}
        </span>
        <span className="rank-bar" style={{ width: `${(100 * figures.damage) / most}%` }} />
      </button>
      {at.scene.joint === joint && <ChosenTrial at={at} result={result} show={show} />}
    </li>
  );
}

const damageOf = (trials: ReadonlyMap<number, JointTrial> | undefined, joint: number): number | undefined => {
  const one = trials?.get(joint);
  return one?.poses[one.worst].figures.damage;
};

function changeWords(before: number, now: number): string {
  if (before === 0) return 'new';
  const share = Math.round((now / before - 1) * 100);
  return `${share > 0 ? '+' : '−'}${Math.abs(share)}%`;
}

/** The chosen joint: all its poses as a chart, and what it was, and would be. */
function ChosenTrial({
  at,
  result,
  show,
}: {
  at: At;
  result: TrialResult;
  show: (trial: JointTrial, pose: number) => void;
}) {
  const {
    scene: { joint },
  } = at;
  const trial = result.trials.find((one) => one.joint === joint);
  if (!trial)
    return <p className="card-line">{at.document.jointName(joint)} deforms nothing in these poses.</p>;
  const { figures } = trial.poses[trial.worst];
  const [before, other] = [damageOf(result.before, joint), damageOf(result.other, joint)];
  return (
    <div aria-label="Report of the joint" role="group" className="rank-report">
      <BendChart trial={trial} show={(i) => show(trial, i)} before={result.before?.get(joint)} />
      <table className="report">
        <tbody>
          <ReportRow what="Now" damage={figures.damage} words={figureWords(figures)} />
          {before !== undefined && (
            <ReportRow what="As it came" damage={before} words={worstWords(result.before?.get(joint))} />
          )}
          {other !== undefined && (
            <ReportRow
              what={result.skinning === 'dual' ? 'Linear' : 'Dual'}
              damage={other}
              words={worstWords(result.other?.get(joint))}
            />
          )}
        </tbody>
      </table>
    </div>
  );
}

const worstWords = (trial: JointTrial | undefined): string[] =>
  trial ? figureWords(trial.poses[trial.worst].figures) : [];

function ReportRow({ what, damage, words }: { what: string; damage: number; words: readonly string[] }) {
  return (
    <tr>
      <th scope="row">{what}</th>
      <td className="figures">{damage.toFixed(2)}</td>
      <td>{words.slice(0, 3).join(', ')}</td>
    </tr>
  );
}
