import { counted } from '@judoka/core/document';
import type { Workspace } from './Workspace.ts';
import { Button, Group } from '@mantine/core';
import { useState } from 'react';
import { NO_MARKS } from '../scene/Scene.ts';
import { useEvent } from '../document/useEvent.ts';
import { canWarmUp, lookAt, WARM_UP } from './warmUp.ts';

const SEEN = 'judoka.warmUp';

/** Whether the practice was never seen in this browser, and can be had on this character. */
export function offersWarmUp(at: Workspace): boolean {
  return localStorage.getItem(SEEN) === null && canWarmUp(at);
}

/** A practice of three minutes: three faults of the demo character, each done when the data says that it is cured. */
export function WarmUp({ at, close }: { at: Workspace; close: () => void }) {
  useEvent(at.document.events, 'weights');
  const [begun, setBegun] = useState(false);
  const states = WARM_UP.map((step) => lookAt(at, step));
  const current = states.findIndex(({ cured }) => !cured);
  const leave = (): void => {
    localStorage.setItem(SEEN, 'seen');
    at.scene.setMarks(NO_MARKS);
    close();
  };
  if (!begun) {
    return (
      <div className="stage-card" role="dialog" aria-label="Warm-up">
        <strong>A warm-up of three minutes?</strong>
        <p>
          Three faults of this character, cured with the brush. It can be left at any time and found again
          under ?
        </p>
        <Group gap={6}>
          <Button onClick={() => setBegun(true)}>Begin</Button>
          <Button variant="default" onClick={leave}>
            Not now
          </Button>
        </Group>
      </div>
    );
  }
  if (current < 0) {
    return (
      <div className="stage-card" role="dialog" aria-label="Warm-up">
        <strong>All three are cured.</strong>
        <p>The roster’s marks and the check-up lead on to the rest.</p>
        <Button onClick={leave}>Done</Button>
      </div>
    );
  }
  const step = WARM_UP[current];
  const { points, part, joint, left } = states[current];
  return (
    <div className="stage-card" role="dialog" aria-label="Warm-up" data-step={current}>
      <strong>
        {current + 1} of {WARM_UP.length}: {step.title}
      </strong>
      <p>{step.how}</p>
      <p className="figures" data-left={left.toFixed(2)}>
        {counted(points.length, 'point')} to go: the weights add up to {left.toFixed(1)}, cured at {step.most}
      </p>
      <Group gap={6}>
        <Button
          variant="default"
          onClick={() => {
            at.scene.chooseJoint(joint);
            at.scene.setMarks({ points: new Map([[part, points]]), joints: [] });
          }}
        >
          Show me
        </Button>
        <Button variant="default" onClick={leave}>
          Leave
        </Button>
      </Group>
    </div>
  );
}
