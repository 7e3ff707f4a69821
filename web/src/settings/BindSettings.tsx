import { Group, Radio } from '@mantine/core';
import type { BindMethod } from '@judoka/core/operations/bind';
import { NumberField } from '../ui/NumberField.tsx';
import { useAppDispatch, useUiSettings } from './store.ts';
import { settingsChanged } from './uiSettings.ts';

const METHODS: readonly { readonly value: BindMethod; readonly label: string; readonly says: string }[] = [
  { value: 'volume', label: 'Volume', says: 'Through the inside of the body. Torn and layered meshes too.' },
  { value: 'heat', label: 'Heat', says: 'Over the surface, from the bones that are seen. Clean meshes.' },
  { value: 'nearest', label: 'Nearest bone', says: 'Through the air. At once, for a first look.' },
];

/** How a first binding finds its weights: here and now, or asked for on the shelf. */
export function BindSettings({ disabled }: { disabled?: boolean }) {
  const dispatch = useAppDispatch();
  const { bindMethod, softness, limit } = useUiSettings('bindMethod', 'softness', 'limit');
  return (
    <>
      <Radio.Group
        aria-label="Method"
        value={bindMethod}
        onChange={(value) => dispatch(settingsChanged({ bindMethod: value }))}
      >
        {METHODS.map(({ value, label, says }) => (
          <Radio.Card key={value} className="choice" value={value} disabled={disabled}>
            <strong>{label}</strong>
            <span>{says}</span>
          </Radio.Card>
        ))}
      </Radio.Group>
      <Group gap={6} grow mb={8}>
        <NumberField
          steppers
          label="Softness"
          description="of a limb’s thickness"
          min={0.05}
          max={1}
          step={0.05}
          decimalScale={2}
          disabled={disabled}
          value={softness}
          onChange={(value) => value > 0 && dispatch(settingsChanged({ softness: value }))}
        />
        <NumberField
          steppers
          label="Influences"
          description="at most, a point"
          min={1}
          max={8}
          allowDecimal={false}
          disabled={disabled}
          value={limit}
          onChange={(value) => value >= 1 && dispatch(settingsChanged({ limit: value }))}
        />
      </Group>
    </>
  );
}
