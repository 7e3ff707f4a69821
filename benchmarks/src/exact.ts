import { asBound } from '@judoka/core/document';
import { apply, changeInfluence, createRowBatch, invert, OTHERS } from '@judoka/core/weights';
import { growMask, islandsOfMask, maskOf, recoverQuads, shrinkMask } from '@judoka/core/mesh';
import { createPaintWorkspace, Stroke } from '@judoka/core/operations/paint';
import { insideLine, projectPoints, QuadWalker, seenPoints } from '@judoka/core/operations/select';
import { mirrorWeights, pairByTopology } from '@judoka/core/operations/mirror';
import { pruneWeights } from '@judoka/core/operations/exact';
import { compare, report } from './measure.ts';
import { pointCount, section, SIDE, surface, unit } from './context.ts';

/** What Paint does to all points at once, or looks up among them. */
export async function benchExact(): Promise<void> {
  section('Paint: all points at once');
  const { memory, arrays, neighbours, locks, triangles } = surface;
  const { rows } = arrays;
  const all = Uint32Array.from({ length: pointCount }, (_, p) => p);
  const batch = createRowBatch(memory, 8);
  const rules = { locks, limit: 4, batch };
  const few = { runs: 15, warm: 5 };
  const tell = async (what: string, work: () => unknown, most: number, options = few): Promise<void> =>
    report(what, (await compare(work, unit, options)).ratio, 'U', { most });

  const workspace = createPaintWorkspace(memory, pointCount, 8, neighbours);
  const stroke = new Stroke(
    0,
    rows,
    workspace,
    { tool: 'add', joint: 30, strength: 0.001, value: 1, allInfluences: false, limit: 4 },
    locks,
  );
  await tell(
    'fill: Add on all points',
    () => {
      workspace.points.set(all);
      workspace.amounts.fill(1);
      stroke.dab(pointCount);
    },
    15,
  );
  await tell('prune below a fiftieth', () => pruneWeights(0, rows, all, { below: 0.02 }, rules), 15);
  await tell('normalize to four', () => pruneWeights(0, rows, all, { most: 4 }, rules), 15);
  const others = { receiver: OTHERS, ...rules };
  await tell(
    'gradient of one joint',
    () => changeInfluence(0, rows, all, 30, (_, p) => p / pointCount, others),
    15,
  );

  const scaled = changeInfluence(0, rows, all, 30, () => 0.5, others).delta;
  const step = { done: false };
  await tell(
    'undo or redo of all points',
    () => {
      apply([rows], step.done ? invert([scaled]) : [scaled]);
      step.done = !step.done;
    },
    3.5,
  );
  if (step.done) apply([rows], invert([scaled]));

  const space = {
    firstPoint: Uint32Array.of(0, pointCount),
    positions: asBound(arrays.rest),
    ...polygonsOf(triangles, arrays.rest),
  };
  const plane = { axis: 0, middle: middleOf(arrays.rest) };
  await tell('pairing by topology, from nothing', () => pairByTopology(space, plane, 1e-4), 150, {
    runs: 7,
    warm: 2,
  });
  // The benchmark's surface is not symmetric: its columns are taken for counterparts.
  const pairs = Int32Array.from(all, (p) => p - (p % SIDE) + (SIDE - 1 - (p % SIDE)));
  const partner = Int32Array.from({ length: 60 }, (_, joint) => joint ^ 1);
  const request = { pairs, plane, direction: 'toNegative' as const, partner, tolerance: 1e-4 };
  await tell('mirror of everything, the pairs known', () => mirrorWeights([rows], space, request, rules), 12);

  const view = {
    matrix: [1.6, 0, 0, 0, 0, 1.6, 0, 0, 0, 0, 0, -1, -0.8, -0.8, 0, 3],
    width: 640,
    height: 640,
  };
  const line = Float32Array.from(
    { length: 120 },
    (_, i) => 320 + 250 * (i % 2 ? Math.sin : Math.cos)((i >> 1) / 9.55),
  );
  await tell('lasso over all points, through', () => insideLine(projectPoints(view, arrays.rest), line), 20);
  await tell(
    'lasso over all points, seen only',
    () => {
      insideLine(projectPoints(view, arrays.rest), line);
      seenPoints(view, [{ positions: arrays.rest, triangles }]);
    },
    20,
  );
  const mask = maskOf(all.subarray(40_000, 60_000), pointCount);
  await tell('grow', () => growMask(neighbours, mask), 2, { runs: 41, warm: 8 });
  await tell('shrink', () => shrinkMask(neighbours, mask), 2, { runs: 41, warm: 8 });
  await tell('island', () => islandsOfMask(neighbours, maskOf([5], pointCount)), 1.5, { runs: 41, warm: 8 });
  const walker = new QuadWalker({ offsets: space.offsets, points: space.corners }, neighbours);
  const start = Math.floor(pointCount / 2);
  const beside = neighbours.points[neighbours.offsets[start]];
  await tell('a loop', () => walker.loop(start, beside), 1, { runs: 41, warm: 8 });
}

function polygonsOf(
  triangles: Uint32Array,
  positions: Float32Array,
): { offsets: Uint32Array; corners: Uint32Array } {
  const { offsets, points } = recoverQuads(triangles, positions);
  return { offsets, corners: points };
}

function middleOf(positions: Float32Array): number {
  let [least, most] = [Infinity, -Infinity];
  for (let i = 0; i < positions.length; i += 3) {
    least = Math.min(least, positions[i]);
    most = Math.max(most, positions[i]);
  }
  return (least + most) / 2;
}
