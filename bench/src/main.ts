import {
  createPaintWorkspace,
  createReachWorkspace,
  findNeighbours,
  gatherReach,
  listEdges,
  openGlb,
  readCharacter,
  recoverQuads,
  Stroke,
  weldVertices,
  writeGlb,
} from '@judoka/core';
import { makeFerryKeeper } from '@judoka/demo';
import { WebIO } from '@gltf-transform/core';
import { measure, measureAsync, missed, report } from './measure.ts';
import { measurePicking } from './picking.ts';
import { makeSurface, type Surface } from './surface.ts';
import { measureThree } from './threeSkinning.ts';

const SIDE = 316; // 99,856 points
const four = (): number => 4;

function skinAll({ kernels, arrays, pointCount }: Surface): () => void {
  return () => kernels.skinRange(arrays, 0, pointCount);
}

function section(title: string): void {
  console.log(`\n${title}`);
}

const surface = await makeSurface(SIDE, four);
const { pointCount } = surface;
const U = measure(skinAll(surface), { runs: 201, warm: 40 });
console.log(`kernels: ${surface.kernels.kind}`);
console.log(
  `U, one pass of linear blend skinning over ${pointCount} points, four influences: ${U.median.toFixed(2)} ms`,
);
const inU = (ms: number): number => ms / U.median;

section('Skinning');
{
  // What skinning reads and writes: position, normal, four slots; position and normal again.
  const bytes = pointCount * (24 + 24 + 24);
  const [from, to] = [new Float32Array(bytes / 4), new Float32Array(bytes / 4)];
  const copy = measure(() => to.set(from), { runs: 201, warm: 40 });
  report('U against a plain copy of the same bytes', U.median / copy.median, '×', { most: 5 });
  report('  bytes moved', (bytes * 2) / U.median / 1e6, 'GB/s');
  report('three’s applyBoneTransform against U', measureThree(surface) / U.median, '×', { least: 15 });
  const mixed = await makeSurface(SIDE, (random) => 1 + Math.floor(random() * 7.999));
  report('one to eight influences', inU(measure(skinAll(mixed), { runs: 101 }).median), 'U', { most: 1.8 });
}

section('Painting');
{
  const { kernels, arrays, neighbours, locks } = surface;
  const workspace = createPaintWorkspace(kernels, pointCount, 8, neighbours);
  const reach = createReachWorkspace(pointCount);
  const picking = measurePicking(surface);
  const radius = 0.0802; // about 2,000 points
  const settings = { tool: 'add', joint: 30, strength: 0.02, value: 1, smoothAll: false, limit: 4 } as const;
  let stroke = new Stroke(0, arrays.rows, workspace, settings, locks);
  let n = 0;
  let touched = 0;
  const dab = (): void => {
    const hit = picking.pick(0.3 + 0.4 * ((n * 0.618) % 1), 0.5);
    n++;
    if (!hit) return;
    const tip = { centre: hit.place, radius, falloff: 'smooth' } as const;
    touched = gatherReach(
      arrays.positions,
      neighbours,
      hit.corners,
      tip,
      reach,
      workspace.points,
      workspace.amounts,
    );
    stroke.dab(touched);
    kernels.skinList(arrays, { points: workspace.points, count: touched });
    picking.touched(workspace.points, touched);
  };
  const timing = measure(dab, { runs: 401, warm: 60 });
  report(`one dab of ${touched} points, from event to new surface`, inU(timing.median), 'U', { most: 1 });
  report('  its 99th percentile', inU(timing.p99), 'U', { most: 3 });

  const everything = { points: kernels.u32(pointCount), count: pointCount };
  for (let p = 0; p < pointCount; p++) everything.points[p] = p;
  workspace.amounts.fill(0.5);
  const rows = kernels.rows(pointCount, 8);
  const all = measure(
    () =>
      kernels.smoothRows(
        arrays.rows,
        rows,
        everything,
        neighbours,
        workspace.amounts,
        4,
        locks,
        workspace.status,
      ),
    { runs: 31 },
  );
  report('smoothing all influences of all points, four kept', inU(all.median), 'U', { most: 15 });
  const column = measure(
    () => {
      kernels.readColumn(arrays.rows, 30, workspace.column);
      kernels.smoothTargets(everything, workspace.column, neighbours, workspace.amounts, workspace.targets);
      kernels.setWeights(arrays.rows, everything, workspace.targets, 30, 4, locks, workspace.status);
    },
    { runs: 61 },
  );
  report('smoothing one joint’s column, normalized', inU(column.median), 'U', { most: 2 });
  stroke = new Stroke(0, arrays.rows, workspace, settings, locks);
}

section('Files and topology');
{
  const glb = await makeFerryKeeper({ size: 'large', faults: false });
  const container = openGlb(glb);
  const character = await readCharacter(container);
  const body = character.parts[0];
  console.log(
    `the large ferry-keeper: ${character.parts.reduce((sum, part) => sum + part.pointCount, 0)} points`,
  );
  const vertexPositions = new Float32Array(body.vertexCount * 3);
  body.vertexPoint.forEach((point, v) =>
    vertexPositions.set(body.positions.subarray(point * 3, point * 3 + 3), v * 3),
  );
  const triangles = surface.triangles;
  const polygons = recoverQuads(triangles, surface.arrays.rest);
  const topology = (): void => {
    weldVertices(surface.arrays.rest);
    listEdges(findNeighbours(polygons, pointCount));
  };
  const timing = measure(topology, { runs: 21, warm: 5 });
  report(`weld, edges and neighbours of ${triangles.length / 3} triangles, warm`, inU(timing.median), 'U', {
    most: 30,
  });
  report('  the first time', inU(timing.first), 'U', { most: 100 });
  report(
    '  quads recovered besides',
    inU(measure(() => recoverQuads(triangles, surface.arrays.rest), { runs: 9, warm: 3 }).median),
    'U',
  );

  const io = new WebIO();
  const baseline = await measureAsync(() => io.readBinary(glb as Uint8Array<ArrayBuffer>), {
    runs: 15,
    warm: 5,
  });
  const whole = await measureAsync(() => readCharacter(openGlb(glb)), { runs: 9, warm: 3 });
  report('@gltf-transform/core alone reads it in', inU(baseline.median), 'U');
  report('ours against it: decoded, welded, quads, weights', whole.median / baseline.median, '×', {
    most: 1.5,
  });
  report(
    'written whole',
    inU((await measureAsync(async () => writeGlb(container), { runs: 9, warm: 3 })).median),
    'U',
  );
}

section('Cost a point, from 10k to 1M');
{
  const cost: number[] = [];
  for (const side of [100, 316, 1000]) {
    const sized = await makeSurface(side, four);
    const runs = side === 1000 ? 31 : 101;
    cost.push(measure(skinAll(sized), { runs, warm: 15 }).median / sized.pointCount);
    report(`  skinning at ${sized.pointCount} points`, cost[cost.length - 1] * 1e6, 'ns a point');
  }
  report('skinning: the 1M figure against the 10k figure', cost[2] / cost[0], '×', { most: 1.4 });
}

console.log(missed() > 0 ? `\n${missed()} figures missed` : '\nAll figures hold');
