import { counted } from '@judoka/core/document';
import { Group } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { useMemo, useState } from 'react';
import { foretell, pruneChange } from './exactEdits.ts';
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
    () => pruneChange(at, at.scene.selection.points(), settings),
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
          title="A weight, from 0 to 1"
          min={0}
          max={0.99}
          step={0.005}
          decimalScale={3}
          value={below}
          onChange={(value) => setBelow(value)}
        />
        <NumberField
          label="Keep joints"
          title="So many influences a point at most"
          min={1}
          max={64}
          allowDecimal={false}
          value={most}
          onChange={(value) => value >= 1 && setMost(value)}
        />
        <NumberField
          label="Round to"
          title="Weights become multiples of this; 0 leaves them"
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
          ? at.scene.selection.count === 0
            ? 'Nothing is selected.'
            : 'Would change nothing.'
          : `Would change ${counted(points, 'point')}, a weight by ${largest.toFixed(3)} at most; in this pose the surface moves by ${((100 * movement) / (at.document.size || 1)).toPrecision(2)}% of the character’s size at most.`}
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
