import { Button, Group, Progress, Switch } from '@mantine/core';
import { angleWords, figureWords } from '@judoka/core/analysis';
import { type Limits, rangePoses, STILL_ANGLES, type Turn, turnedBy, TURNS } from '@judoka/core/animation';
import { withJoint } from '@judoka/core/skeleton';
import type { JointTrial, TrialPose } from '@judoka/core/analysis/bends';
import { useState } from 'react';
import type { CharacterSession } from '../session/CharacterSession.ts';
import type { TrialResult } from '../session/trial.ts';
import { useTopic } from '../session/useTopic.ts';
import { settingsChanged } from '../state/benchSlice.ts';
import { store } from '../state/store.ts';
import { BendChart } from './BendChart.tsx';
import { NumberField } from './NumberField.tsx';
import { Segments } from './Segments.tsx';
import { stageActions } from './useShortcuts.ts';

const SKINNINGS = { linear: 'Linear', dual: 'Dual quaternions' } as const;
const TURN_LABELS: Readonly<Record<Turn, string>> = { bend: 'Bend', side: 'Sideways', twist: 'Twist' };
const SHORT_LIST = 12;

/** The range of motion: every joint through its own bends, measured; the worst first. */
export function RangePanel({ session }: { session: CharacterSession }) {
  useTopic(session, 'trial');
  useTopic(session, 'joint');
  useTopic(session, 'settings');
  const { trial, settings } = session;
  const { running, range, failure } = trial;
  return (
    <>
      <section className="group" aria-label="Range of motion">
        <h2>Range of motion</h2>
        <p className="card-line">
          Every joint is bent, tilted and twisted as far as its kind goes, and the surface around it measured.
        </p>
        <Segments
          mb={8}
          name="Skinning"
          choices={SKINNINGS}
          value={settings.skinning}
          set={(skinning) => session.setSettings({ skinning })}
        />
        <RunButton
          running={running}
          stop={() => trial.stop()}
          run={() => void trial.runRange()}
          label={range ? 'Run it again' : 'Run the range'}
        />
        {failure && <div className="trouble">{failure}</div>}
      </section>
      {range && (
        <Ranking session={session} result={range} show={(one, i) => showRangePose(session, one, i)} />
      )}
      {session.joint >= 0 && <RangeEditor session={session} joint={session.joint} />}
    </>
  );
}

export function RunButton({
  running,
  run,
  stop,
  label,
}: {
  running: { what: string; share: number } | undefined;
  run: () => void;
  stop: () => void;
  label: string;
}) {
  if (!running)
    return (
      <Button fullWidth onClick={run}>
        {label}
      </Button>
    );
  return (
    <Group gap={8} wrap="nowrap">
      <div style={{ flex: 1 }}>
        <div className="card-line">{running.what}</div>
        <Progress value={running.share * 100} aria-label={running.what} />
      </div>
      <Button variant="default" onClick={stop}>
        Stop
      </Button>
    </Group>
  );
}

/** Takes the pose of a joint's range onto the stage, and looks at the joint. */
export function showRangePose(session: CharacterSession, { joint, poses }: JointTrial, i: number): void {
  const { at } = poses[i];
  const range = session.trial.rangeOf(joint);
  if (!('angles' in at) || !range) return;
  session.chooseJoint(joint);
  session.setPose(withJoint({}, joint, turnedBy(range, at.angles)));
  store.dispatch(settingsChanged({ view: 'strain' }));
  stageActions()?.frameJoint();
}

export const whenWords = ({ at }: TrialPose): string =>
  'angles' in at ? angleWords(at.angles) : `frame ${at.frame}, ${at.seconds.toFixed(2)} s`;

/** Joints with their worst pose, worst first; a click shows it. */
export function Ranking({
  session,
  result,
  show,
}: {
  session: CharacterSession;
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
          <RankRow key={one.joint} session={session} result={result} trial={one} most={most} show={show} />
        ))}
      </ol>
      {trials.length > SHORT_LIST && (
        <Button variant="subtle" fullWidth onClick={() => setAll(!all)}>
          {all ? 'Show the worst only' : `Show all ${trials.length} joints`}
        </Button>
      )}
      {session.joint >= 0 && !listed.some(({ joint }) => joint === session.joint) && (
        <ChosenTrial session={session} result={result} show={show} />
      )}
    </section>
  );
}

function RankRow({
  session,
  result,
  trial,
  most,
  show,
}: {
  session: CharacterSession;
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
        aria-pressed={session.joint === joint}
        data-joint={session.jointName(joint)}
        data-damage={figures.damage.toFixed(4)}
        onClick={() => show(trial, worst)}
      >
        <span className="rank-name">{session.jointName(joint)}</span>
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
      {session.joint === joint && <ChosenTrial session={session} result={result} show={show} />}
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
  session,
  result,
  show,
}: {
  session: CharacterSession;
  result: TrialResult;
  show: (trial: JointTrial, pose: number) => void;
}) {
  const { joint } = session;
  const trial = result.trials.find((one) => one.joint === joint);
  if (!trial) return <p className="card-line">{session.jointName(joint)} deforms nothing in these poses.</p>;
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
              what={SKINNINGS[result.skinning === 'dual' ? 'linear' : 'dual']}
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

/** How far the chosen joint goes; its partner goes as far. */
function RangeEditor({ session, joint }: { session: CharacterSession; joint: number }) {
  const { trial, settings } = session;
  const range = trial.rangeOf(joint);
  const [poses, setPoses] = useState(false);
  if (!range) return null;
  const { limits, kind } = range;
  const set = (turn: Turn, end: 0 | 1, value: number): void => {
    const pair: [number, number] = [limits[turn][0], limits[turn][1]];
    pair[end] = value;
    trial.setLimits(joint, { ...limits, [turn]: pair } as Limits);
  };
  return (
    <section className="group" aria-label="Range of the joint">
      <h2>How far {session.jointName(joint)} goes</h2>
      <p className="card-line">{KIND_WORDS[kind]}</p>
      <table className="limits">
        <tbody>
          {TURNS.map((turn) => (
            <tr key={turn}>
              <th scope="row">{TURN_LABELS[turn]}</th>
              {([0, 1] as const).map((end) => (
                <td key={end}>
                  <NumberField
                    aria-label={`${TURN_LABELS[turn]}, ${end === 0 ? 'least' : 'most'}`}
                    min={end === 0 ? -360 : 0}
                    max={end === 0 ? 0 : 360}
                    step={5}
                    suffix="°"
                    value={limits[turn][end]}
                    onChange={(value) => set(turn, end, value)}
                  />
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <Group justify="space-between" mt={6}>
        <Switch
          label="Its poses"
          checked={poses}
          onChange={(event) => setPoses(event.currentTarget.checked)}
        />
        <Button
          variant="subtle"
          disabled={!settings.ranges[joint]}
          onClick={() => trial.setLimits(joint, undefined)}
        >
          As told by its kind
        </Button>
      </Group>
      {poses && (
        <Group gap={4} mt={6}>
          {[{ angles: STILL_ANGLES }, ...rangePoses(range)].map(({ angles }) => (
            <Button
              key={angleWords(angles)}
              size="compact-xs"
              variant="default"
              onClick={() => session.setPose(withJoint({}, joint, turnedBy(range, angles)))}
            >
              {angleWords(angles)}
            </Button>
          ))}
        </Group>
      )}
    </section>
  );
}

const KIND_WORDS = {
  hinge: 'A hinge: it bends one way.',
  ball: 'A ball: it bends, tilts and twists.',
  chain: 'A link of a chain: a little every way.',
  twist: 'It twists about its bone.',
  general: 'Nothing tells its kind: a little every way. Set what it really does.',
  fixed: 'It does not move: a root, or nothing follows it. Give it a range to try it.',
} as const;
