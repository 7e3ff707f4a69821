import { createRows, type WeightRows } from './rows.ts';

/**
 * Rows with joints under other numbers, each row sorted anew and summing to one.
 * @param to the new number of a joint; -1 for none: its weight goes to the others in proportion
 */
export function renumberRows(rows: WeightRows, to: (joint: number) => number): WeightRows {
  const { pointCount, stride } = rows;
  const moved = createRows(pointCount, stride);
  for (let p = 0; p < pointCount; p++) {
    const held = new Map<number, number>();
    let isSame = true;
    for (let k = p * stride; k < (p + 1) * stride && rows.values[k] !== 0; k++) {
      const joint = to(rows.joints[k]);
      isSame &&= joint === rows.joints[k];
      if (joint >= 0) held.set(joint, (held.get(joint) ?? 0) + rows.values[k]);
    }
    const sum = isSame ? 1 : [...held.values()].reduce((total, value) => total + value, 0);
    // A row that nothing becomes of keeps every bit.
    const list = isSame ? [...held] : [...held].sort(([a, x], [b, y]) => y - x || a - b);
    list.forEach(([joint, value], k) => {
      moved.joints[p * stride + k] = joint;
      moved.values[p * stride + k] = value / sum;
    });
  }
  return moved;
}
