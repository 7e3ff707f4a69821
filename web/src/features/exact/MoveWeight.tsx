import { Group, Select } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { liveJoints } from '@judoka/core/skeleton';
import { useState } from 'react';
import { moveChange } from './exactEdits.ts';
import { useEvent } from '../../document/useEvent.ts';
import { NumberField } from '../../ui/NumberField.tsx';
import { type Act, type At, changedWords } from './acting.ts';

function jointOptions(at: At) {
  return liveJoints(at.document.skeleton).map((joint) => ({
    value: String(joint),
    label: at.document.jointName(joint),
  }));
}

export function Move({ at, act }: { at: At; act: Act }) {
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
      <ActionButton
        name="Move weight to another joint"
        fullWidth
        mt={6}
        variant="default"
        disabled={joint < 0 || to === null || Number(to) === joint || at.scene.selection.count === 0}
        onClick={() =>
          act(async () => {
            const change = moveChange(at, at.scene.selection.points(), joint, Number(to), share / 100);
            await at.document.perform(
              `Move ${at.document.jointName(joint)} to ${at.document.jointName(Number(to))}`,
              { weights: change },
            );
            return changedWords(change);
          })
        }
      >
        Move
      </ActionButton>
    </section>
  );
}
