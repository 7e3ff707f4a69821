import { createRows, type WeightRows } from '../weights/rows.ts';

/** Rows from a list a point of joint → weight, for tests: `rowsFrom([{ 0: 0.75, 2: 0.25 }, {}])`. */
export function rowsFrom(
  points: readonly Readonly<Partial<Record<number, number>>>[],
  stride = 8,
): WeightRows {
  const rows = createRows(points.length, stride);
  points.forEach((row, p) => {
    Object.entries(row)
      .map(([joint, weight]) => [Number(joint), weight ?? 0] as const)
      .filter(([, weight]) => weight > 0)
      .sort((a, b) => b[1] - a[1] || a[0] - b[0])
      .forEach(([joint, weight], k) => {
        rows.joints[p * stride + k] = joint;
        rows.values[p * stride + k] = weight;
      });
  });
  return rows;
}

/** A flat grid of quads in the plane z = 0, one unit a side, as triangles: (columns + 1)·(lines + 1) points. */
export function grid(columns: number, lines: number): { positions: Float32Array; triangles: Uint32Array } {
  const positions: number[] = [];
  for (let y = 0; y <= lines; y++) for (let x = 0; x <= columns; x++) positions.push(x, y, 0);
  const triangles: number[] = [];
  for (let y = 0; y < lines; y++) {
    for (let x = 0; x < columns; x++) {
      const a = y * (columns + 1) + x;
      const d = a + columns + 1;
      triangles.push(a, a + 1, d + 1, a, d + 1, d);
    }
  }
  return { positions: Float32Array.from(positions), triangles: Uint32Array.from(triangles) };
}
