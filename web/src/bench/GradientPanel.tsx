import { Button, Group } from '@mantine/core';
import { useState } from 'react';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { ringsChange } from '../session/gradient.ts';
import { useTopic } from '../session/useTopic.ts';
import { settingsChanged } from '../state/benchSlice.ts';
import { useAppDispatch, useBench } from '../state/store.ts';
import { Segments } from './Segments.tsx';
import { NumberField } from './NumberField.tsx';

/** A gradient by two picks, or outward from the selection by rings. */
export function GradientPanel({ session }: { session: CharacterSession }) {
  useTopic(session, 'selection');
  useTopic(session, 'joint');
  const dispatch = useAppDispatch();
  const bench = useBench();
  const [rings, setRings] = useState(4);
  const ready = session.selection.count > 0 && session.joint >= 0;
  const spread = (): void => {
    try {
      session
        .perform(`Rings of ${session.jointName(session.joint)}`, ringsChange(session, rings, bench))
        .catch((error: Error) => session.tellPerson(error.message));
    } catch (error) {
      session.tellPerson(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <section className="group" aria-label="Gradient">
      <h2>Gradient</h2>
      <Segments
        name="Shape of the gradient"

        choices={{ linear: 'Along a line', around: 'Around a place' }}
        value={bench.gradient}
        set={(value) => dispatch(settingsChanged({ gradient: value }))}
      />
      <p className="card-line">
        Drag from where all of the weight is to where none is.{' '}
        {session.selection.count > 0 ? 'On the selection only.' : 'On all parts shown.'}
      </p>
      <Group gap={6} wrap="nowrap" align="end">
        <NumberField
          label="Rings"
          w={64}
          min={1}
          max={60}
          allowDecimal={false}
          value={rings}
          onChange={(value) => value >= 1 && setRings(value)}
        />
        <Button variant="default" style={{ flex: 1 }} disabled={!ready} onClick={spread}>
          {ready ? 'Outward from the selection' : 'Select points for rings'}
        </Button>
      </Group>
    </section>
  );
}
