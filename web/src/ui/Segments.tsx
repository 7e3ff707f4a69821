import { SegmentedControl, type SegmentedControlProps } from '@mantine/core';

interface SegmentsProps<Value extends string> extends Omit<
  SegmentedControlProps,
  'data' | 'value' | 'onChange' | 'aria-label'
> {
  /** What is chosen, for those who do not see it. */
  readonly name: string;
  /** Values with their labels, in order. */
  readonly choices: Readonly<Record<Value, string>>;
  readonly value: Value;
  readonly set: (value: Value) => void;
}

/** One of a few, side by side over the whole width. */
export function Segments<Value extends string>({ name, choices, value, set, ...rest }: SegmentsProps<Value>) {
  return (
    <SegmentedControl
      data-many={Object.keys(choices).length > 4 || undefined}
      fullWidth
      {...rest}
      aria-label={name}
      data={Object.entries<string>(choices).map(([each, label]) => ({ value: each, label }))}
      value={value}
      onChange={(next) => set(next as Value)}
    />
  );
}
