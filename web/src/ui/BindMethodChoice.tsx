import { Radio } from '@mantine/core';
import type { BindMethod } from '@judoka/core/operations/bind';

const METHODS: readonly { readonly value: BindMethod; readonly label: string; readonly says: string }[] = [
  { value: 'volume', label: 'Volume', says: 'Through the inside of the body. Torn and layered meshes too.' },
  { value: 'heat', label: 'Heat', says: 'Over the surface, from the bones that are seen. Clean meshes.' },
  { value: 'nearest', label: 'Nearest bone', says: 'Through the air. At once, for a first look.' },
];

interface Props {
  readonly value: BindMethod;
  readonly set: (method: BindMethod) => void;
  readonly disabled?: boolean;
}

/** How a first binding finds its weights. */
export function BindMethodChoice({ value: chosen, set, disabled }: Props) {
  return (
    <Radio.Group aria-label="Method" value={chosen} onChange={set}>
      {METHODS.map(({ value, label, says }) => (
        <Radio.Card key={value} className="choice" value={value} disabled={disabled}>
          <strong>{label}</strong>
          <span>{says}</span>
        </Radio.Card>
      ))}
    </Radio.Group>
  );
}
