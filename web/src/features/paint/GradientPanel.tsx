import { Group } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { useState } from 'react';
import { FalloffChooser } from '../../settings/FalloffChooser.tsx';
import { InfluenceLimit } from '../../settings/InfluenceLimit.tsx';
import { ringsChange } from './gradient.ts';
import { ReceiverChooser } from '../../scene/ReceiverChooser.tsx';
import { useEvent } from '../../document/useEvent.ts';
import { settingsChanged } from '../../settings/uiSettings.ts';
import { uiSettings, useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { Segments } from '../../ui/Segments.tsx';
import { NumberField } from '../../ui/NumberField.tsx';
import type { Editing } from '../../scene/Editing.ts';

type At = Editing;

/** A gradient by two picks, or outward from the selection by rings. */
export function GradientPanel({ at }: { at: At }) {
  useEvent(at.scene.events, 'selection');
  useEvent(at.scene.events, 'joint');
  const dispatch = useAppDispatch();
  const { gradient } = useUiSettings('gradient');
  const [rings, setRings] = useState(4);
  const ready = at.scene.selection.count > 0 && at.scene.joint >= 0;
  const spread = (): void => {
    try {
      at.document
        .perform(`Rings of ${at.document.jointName(at.scene.joint)}`, {
          weights: ringsChange(at, rings, uiSettings()),
        })
        .catch(at.document.notifyError);
    } catch (error) {
      at.document.notifyError(error);
    }
  };
  return (
    <section className="group" aria-label="Gradient">
      <h2>Gradient</h2>
      <Segments
        name="Shape of the gradient"
        choices={{ linear: 'Along a line', around: 'Around a place' }}
        value={gradient}
        set={(value) => dispatch(settingsChanged({ gradient: value }))}
      />
      <p className="card-line">
        Drag from where all of the weight is to where none is: it falls by the curve.{' '}
        {at.scene.selection.count > 0 ? 'On the selection only.' : 'On all parts shown.'}
      </p>
      <FalloffChooser />
      <ReceiverChooser at={at} />
      <InfluenceLimit />
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
        <ActionButton
          name="Gradient outward from the selection"
          variant="default"
          style={{ flex: 1 }}
          disabled={!ready}
          onClick={spread}
        >
          {ready ? 'From the selection' : 'Select points for rings'}
        </ActionButton>
      </Group>
    </section>
  );
}
