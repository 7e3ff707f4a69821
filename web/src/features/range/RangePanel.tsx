import { Ranking } from '../../trial/Ranking.tsx';
import { RunButton } from '../../trial/RunButton.tsx';
import { Button, Group, Switch } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { angleWords } from '@judoka/core/analysis';
import { rangePoses, STILL_ANGLES, type Turn, turnedBy, TURNS } from '@judoka/core/animation';
import { withJoint } from '@judoka/core/skeleton';
import { useState, type ReactNode } from 'react';
import type { Trial } from '../../trial/Trial.ts';
import { useEvent } from '../../document/useEvent.ts';
import { NumberField } from '../../ui/NumberField.tsx';
import { showRangePose } from './showRangePose.ts';
import type { Editing } from '../../scene/Editing.ts';

type At = Editing & { readonly trial: Trial };
const TURN_LABELS: Readonly<Record<Turn, string>> = { bend: 'Bend', side: 'Sideways', twist: 'Twist' };

/** The range of motion: every joint through its own bends, measured; the worst first. */
export function RangePanel({
  at,
  troubles,
  children,
}: {
  at: At;
  troubles: (joint: number) => ReactNode;
  children: ReactNode;
}) {
  useEvent(at.trial.events, 'changed');
  useEvent(at.scene.events, 'joint');
  useEvent(at.document.events, 'values');
  const { trial } = at;
  const { running, range, failure } = trial;
  return (
    <>
      <section className="group" aria-label="Range of motion">
        <h2>Range of motion</h2>
        <p className="card-line">
          Every joint is bent, tilted and twisted as far as its kind goes, and the surface around it measured.
        </p>
        <RunButton
          running={running}
          stop={() => trial.stop()}
          run={() => void trial.runRange()}
          label={range ? 'Run it again' : 'Run the range'}
        />
        {failure && <div className="trouble">{failure}</div>}
      </section>
      {children}
      {range && (
        <Ranking at={at} result={range} show={(one, i) => showRangePose(at, one, i)} troubles={troubles} />
      )}
      {at.scene.joint >= 0 && <RangeEditor at={at} joint={at.scene.joint} />}
    </>
  );
}

/** How far the chosen joint goes; its partner goes as far. */
function RangeEditor({ at, joint }: { at: At; joint: number }) {
  const {
    trial,
    document: { settings },
  } = at;
  const range = trial.rangeOf(joint);
  const [poses, setPoses] = useState(false);
  if (!range) return null;
  const { limits, kind } = range;
  const set = (turn: Turn, end: 0 | 1, value: number): void => {
    const pair: [number, number] = [limits[turn][0], limits[turn][1]];
    pair[end] = value;
    trial.setLimits(joint, { ...limits, [turn]: pair });
  };
  return (
    <section className="group" aria-label="Range of the joint">
      <h2>How far {at.document.jointName(joint)} goes</h2>
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
        <ActionButton
          name="Usual range of the chosen joint"
          variant="subtle"
          disabled={!settings.ranges[joint]}
          onClick={() => trial.setLimits(joint, undefined)}
        >
          Usual range
        </ActionButton>
      </Group>
      {poses && (
        <Group gap={4} mt={6}>
          {[{ angles: STILL_ANGLES }, ...rangePoses(range)].map(({ angles }) => (
            <Button
              key={angleWords(angles)}
              size="compact-xs"
              variant="default"
              onClick={() => at.scene.setPose(withJoint({}, joint, turnedBy(range, angles)))}
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
