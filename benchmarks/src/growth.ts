import { weightKernels } from '@judoka/core/weights';
import { findNeighbours, recoverQuads, weldVertices } from '@judoka/core/mesh';
import { compare, report } from './measure.ts';
import { bytesAPoint } from './memory.ts';
import { makeSurface, type Surface } from './surface.ts';
import { skinKernels } from '@judoka/core/deform';
import { pointCount, four, section, unit } from './context.ts';

export async function benchGrowth(): Promise<void> {
  section('Cost a point: 10k, 100k and 1M points, in shares of U a point');
  const sizes = [100, 316, 1000];
  const costs: Record<string, number[]> = {};
  for (const side of sizes) {
    const sized = await makeSurface(side, four);
    const runs = side === 1000 ? 11 : 61;
    for (const [what, work] of Object.entries(workOn(sized))) {
      const { ratio } = await compare(work, unit, { runs, warm: 4 });
      (costs[what] ??= []).push((ratio / sized.pointCount) * pointCount);
    }
    if (side === 1000)
      report('memory of core at a million points', bytesAPoint(sized), 'bytes a point', { most: 214 });
  }
  for (const [what, [small, middle, large]] of Object.entries(costs)) {
    const row = [small, middle, large].map((cost) => cost.toFixed(2)).join(', ');
    report(`${what}: the 1M figure against the 10k figure`, large / small, '×', { most: 1.4 }, `(${row})`);
  }
}

/** What grows with the points, each over all points of a surface. */
function workOn({
  memory,
  arrays,
  neighbours,
  locks,
  pointCount: count,
  triangles,
}: Surface): Record<string, () => void> {
  const points = memory.u32(count);
  for (let p = 0; p < count; p++) points[p] = p;
  const amounts = memory.f32(count).fill(0.5);
  const [column, targets, status] = [memory.f32(count), memory.f32(count), memory.u8(count)];
  const polygons = recoverQuads(triangles, arrays.rest);
  return {
    skinning: () => skinKernels(memory).skinRange(arrays, 0, count),
    'smoothing a column': () => {
      weightKernels(memory).readColumn(arrays.rows, 30, column);
      weightKernels(memory).smoothTargets({ points, count }, column, neighbours, amounts, targets);
      weightKernels(memory).setWeights(arrays.rows, { points, count }, targets, 30, 4, locks, status);
    },
    'weld and neighbours': () => {
      weldVertices(arrays.rest);
      findNeighbours(polygons, count);
    },
  };
}
