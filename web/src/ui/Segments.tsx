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

/** How a row is told that it is full. */
const manyWords = (count: number): 'row' | 'rows' | undefined =>
  count > 5 ? 'rows' : count > 4 ? 'row' : undefined;

/** One of a few, side by side over the whole width. */
export function Segments<Value extends string>({ name, choices, value, set, ...rest }: SegmentsProps<Value>) {
  return (
    <SegmentedControl
      data-many={manyWords(Object.keys(choices).length)}
      fullWidth
      {...rest}
      aria-label={name}
      data={Object.entries<string>(choices).map(([each, label]) => ({ value: each, label }))}
      value={value}
      onChange={(next) => set(next as Value)}
    />
  );
}
