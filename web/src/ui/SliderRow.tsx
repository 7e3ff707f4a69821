import { Slider } from '@mantine/core';
import { NumberField } from './NumberField.tsx';

interface SliderRowProps {
  readonly name: string;
  readonly value: number;
  readonly least: number;
  readonly most: number;
  readonly digits: number;
  readonly suffix?: string;
  /** Finer toward the small end. */
  readonly curve?: boolean;
  readonly set: (value: number) => void;
}

/** A number that can be dragged, stepped and typed. */
export function SliderRow({
  name,
  value,
  least,
  most,
  digits,
  suffix = '',
  curve = false,
  set,
}: SliderRowProps) {
  const power = curve ? 3 : 1;
  const toSlider = (v: number): number => ((v - least) / (most - least)) ** (1 / power);
  const fromSlider = (t: number): number => least + t ** power * (most - least);
  return (
    <div className="row">
      <span>{name}</span>
      <Slider
        size="sm"
        min={0}
        max={1}
        step={0.005}
        label={null}
        value={toSlider(value)}
        thumbLabel={name}
        onChange={(t) => set(fromSlider(t))}
      />
      <NumberField
        aria-label={name}
        value={Number(value.toFixed(digits))}
        min={Number(least.toFixed(digits))}
        max={Number(most.toFixed(digits))}
        step={10 ** -digits * (digits > 1 ? 5 : 1)}
        decimalScale={digits}
        fixedDecimalScale
        suffix={suffix}
        onChange={(v) => v >= least && set(v)}
      />
    </div>
  );
}
