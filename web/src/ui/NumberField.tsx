import { NumberInput, type NumberInputProps } from '@mantine/core';
import { useState } from 'react';

interface NumberFieldProps extends Omit<
  NumberInputProps,
  'onChange' | 'value' | 'clampBehavior' | 'min' | 'max' | 'hideControls'
> {
  readonly value: number;
  readonly min: number;
  readonly max?: number;
  /** Whether arrows to step it are shown beside it. */
  readonly steppers?: boolean;
  /** Told every number within the range as soon as it is typed; others are refused where they stand. */
  readonly onChange: (value: number) => void;
}

/** A number that can be typed freely, stepped with the arrows, and is taken only within its range. */
export function NumberField({
  value,
  min,
  max = Infinity,
  steppers = false,
  onChange,
  ...rest
}: NumberFieldProps) {
  const [draft, setDraft] = useState<string | number>();
  const typed = draft === undefined ? value : draft === '' ? NaN : Number(draft);
  const fits = typed >= min && typed <= max;
  // “0” is on the way to “0.2”, and nothing to find fault with.
  const isHalfTyped = draft !== undefined && (draft === '-' || Number(draft) === 0) && min >= 0;
  const range = max === Infinity ? `from ${min}` : `${min} to ${max}`;
  return (
    <NumberInput
      classNames={{ input: 'figures' }}
      hideControls={!steppers}
      {...rest}
      // Half typed numbers are not pushed into a shape: that would fight the hand.
      fixedDecimalScale={draft === undefined && rest.fixedDecimalScale}
      clampBehavior="none"
      startValue={value}
      min={min}
      max={max === Infinity ? undefined : max}
      value={draft ?? value}
      error={fits || isHalfTyped ? undefined : range}
      onChange={(next) => {
        setDraft(next);
        const number = next === '' ? NaN : Number(next);
        if (number >= min && number <= max && number !== value) onChange(number);
      }}
      onBlur={() => setDraft(undefined)}
      onKeyDown={(event) => event.key === 'Escape' && setDraft(undefined)}
    />
  );
}
