import { Select } from '@mantine/core';
import { type Falloff, falloffAt, type FalloffCurve, FALLOFFS } from '@judoka/core/math';

/** What they do to the edge of a dab. */
const FALLOFF_NAMES: Readonly<Record<Falloff, string>> = {
  smooth: 'Soft edge',
  round: 'Steep edge',
  linear: 'Even slope',
  sharp: 'Thin edge',
  flat: 'Hard edge',
};

interface FalloffSelectProps<Value extends string> {
  readonly name: string;
  readonly value: Value;
  /** What is drawn beside it. */
  readonly curve: Falloff | FalloffCurve;
  /** Choices beside core's own, with their labels. */
  readonly more?: readonly { readonly value: Value; readonly label: string }[];
  readonly set: (value: Value) => void;
}

/** Chooses a falloff by name, and shows how it falls. */
export function FalloffSelect<Value extends string = Falloff>({
  name,
  value,
  curve,
  more = [],
  set,
}: FalloffSelectProps<Value>) {
  return (
    <div className="row" style={{ gridTemplateColumns: '66px 1fr 56px' }}>
      <span>Falloff</span>
      <Select
        aria-label={name}
        data={[
          ...FALLOFFS.map((each) => ({
            value: each as Value,
            label: FALLOFF_NAMES[each],
          })),
          ...more,
        ]}
        value={value}
        allowDeselect={false}
        onChange={(next) => next && set(next)}
      />
      <FalloffPicture falloff={curve} />
    </div>
  );
}

function FalloffPicture({ falloff }: { falloff: Falloff | FalloffCurve }) {
  const points = Array.from(
    { length: 33 },
    (_, i) => `${(i / 32) * 70 + 1},${25 - falloffAt(falloff, (i / 32) * 0.999) * 23}`,
  );
  return (
    <svg width="56" height="27" viewBox="0 0 72 27" aria-hidden="true">
      <polyline points={points.join(' ')} fill="none" stroke="var(--ink)" strokeWidth="1.5" />
    </svg>
  );
}
