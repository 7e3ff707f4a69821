import { weightKernels } from '@judoka/core/weights';
import { computeNormals } from '@judoka/core/mesh';
import {
  createPaintWorkspace,
  createFootprintWorkspace,
  gatherDab,
  gatherFootprint,
  Stroke,
} from '@judoka/core/operations/paint';
import { compare, report } from './measure.ts';
import { surfacePicking } from './picking.ts';
import { skinKernels } from '@judoka/core/deform';
import { pointCount, section, SIDE, surface, unit } from './context.ts';

export async function benchPainting(): Promise<void> {
  section('Painting');
  const { memory, arrays, neighbours, locks } = surface;
  const workspace = createPaintWorkspace(memory, pointCount, 8, neighbours);
  const footprint = createFootprintWorkspace(pointCount);
  const picking = surfacePicking(surface);
  const settings = {
    tool: 'add',
    joint: 30,
    strength: 0.02,
    value: 1,
    allInfluences: false,
    limit: 4,
  } as const;
  const stroke = new Stroke(0, arrays.rows, workspace, settings, locks);
  let n = 0;
  let touched = 0;
  const dab = (): void => {
    const hit = picking.pick(0.4 + 0.2 * ((n++ * 0.618) % 1), 0.5);
    if (!hit) throw new Error('The benchmark’s brush missed the surface.');
    const tip = { centre: hit.place, radius: 0.0878, falloff: 'smooth' } as const;
    touched = gatherFootprint(
      arrays.positions,
      neighbours,
      hit.corners,
      tip,
      footprint,
      workspace.points,
      workspace.amounts,
    );
    stroke.dab(touched);
    skinKernels(memory).skinList(arrays, { points: workspace.points, count: touched });
    picking.touched(workspace.points, touched);
  };
  const timing = await compare(dab, unit, { runs: 401, warm: 100 });
  report(`one dab of ${touched} points, from event to new surface`, timing.ratio, 'U', { most: 1 });
  report('  its 99th percentile', timing.p99, 'U', { most: 3 });

  await benchCarefulDab();

  const everything = { points: memory.u32(pointCount), count: pointCount };
  for (let p = 0; p < pointCount; p++) everything.points[p] = p;
  workspace.amounts.fill(0.5);
  const { smoothed, amounts, status, column, targets } = workspace;
  const all = (): void =>
    weightKernels(memory).smoothRows(
      arrays.rows,
      smoothed,
      everything,
      neighbours,
      amounts,
      4,
      locks,
      status,
    );
  report(
    'smoothing all influences of all points, four kept',
    (await compare(all, unit, { runs: 41 })).ratio,
    'U',
    { most: 15 },
  );
  const one = (): void => {
    weightKernels(memory).readColumn(arrays.rows, 30, column);
    weightKernels(memory).smoothTargets(everything, column, neighbours, amounts, targets);
    weightKernels(memory).setWeights(arrays.rows, everything, targets, 30, 4, locks, status);
  };
  report('smoothing one joint’s column, normalized', (await compare(one, unit, { runs: 101 })).ratio, 'U', {
    most: 2,
  });
}

/** A dab by the way along the surface, its freed weight to one joint, under locks; then with its twin on the other side. */
async function benchCarefulDab(): Promise<void> {
  const { memory, arrays, neighbours, triangles } = surface;
  const workspace = createPaintWorkspace(memory, pointCount, 8, neighbours);
  const footprint = createFootprintWorkspace(pointCount);
  const picking = surfacePicking(surface);
  const locks = memory.u8(surface.locks.length);
  locks[3] = locks[12] = 1;
  // Giving and taking by turns, so that there is always something to do.
  const strokes = (['add', 'take'] as const).map((tool) => {
    const receiver = { kind: 'joint', joint: 31 } as const;
    const settings = { tool, joint: 30, strength: 0.05, value: 0, allInfluences: false, limit: 4, receiver };
    return new Stroke(0, arrays.rows, workspace, settings, locks);
  });
  const normals = computeNormals(arrays.rest, triangles);
  const { points, amounts } = workspace;
  let n = 0;
  let touched = 0;
  const dab = (mirrored: boolean): void => {
    const hit = picking.pick(0.4 + 0.2 * ((n++ * 0.618) % 1), 0.5);
    if (!hit) throw new Error('The benchmark’s brush missed the surface.');
    const place = {
      centre: hit.place,
      radius: 0.0878,
      falloff: 'smooth',
      depth: 'surface',
      sight: [0, 0, -1],
    } as const;
    const skin = { positions: arrays.positions, normals, neighbours };
    touched = gatherDab(skin, hit.corners, place, footprint, points, amounts);
    const twin = mirrored
      ? { points: points.slice(0, touched), amounts: amounts.slice(0, touched) }
      : undefined;
    const write = (joint: number): void => {
      strokes[n % 2].dab(touched, 1, joint);
      skinKernels(memory).skinList(arrays, { points, count: touched });
      picking.touched(points, touched);
    };
    write(30);
    if (!twin) return;
    // The surface is not symmetric: a point's column stands for its counterpart.
    twin.points.forEach((p, i) => (points[i] = p - (p % SIDE) + (SIDE - 1 - (p % SIDE))));
    amounts.set(twin.amounts);
    write(29);
  };
  const options = { runs: 201, warm: 60 };
  const alone = await compare(() => dab(false), unit, options);
  report(`one dab of ${touched} points along the surface, to a receiver, under locks`, alone.ratio, 'U', {
    most: 2,
  });
  const both = await compare(
    () => dab(true),
    () => dab(false),
    options,
  );
  report('  with its twin on the other side', both.ratio, '×', { most: 2.2 });
}
