import { counted } from '@judoka/core/document';
import { Group } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { useMemo, useState } from 'react';
import { foretell, pruneChange } from './exactEdits.ts';
import { scopeOf } from '../../scene/scope.ts';
import { useEvent } from '../../document/useEvent.ts';
import { NumberField } from '../../ui/NumberField.tsx';
import { type Act, type At, changedWords } from './acting.ts';

/** Small weights, too many influences, odd numbers: what pruning will change is told first. */
export function Prune({ at, act }: { at: At; act: Act }) {
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
          : `Would change ${counted(points, 'point')}, a weight by ${largest.toFixed(3)} at most; in this pose the surface moves by ${movement.toPrecision(2)} at most.`}
      </div>
      <ActionButton
        name="Prune"
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
      </ActionButton>
    </section>
  );
}
