import type { JointReach } from '@judoka/core/document';
import { WebIO } from '@gltf-transform/core';
import {
  apply,
  changeInfluence,
  createRowBatch,
  createRows,
  createRowsIn,
  invert,
  OTHERS,
  weightKernels,
} from '@judoka/core/weights';
import {
  BIND_METHODS,
  type BindMethod,
  type BindRequest,
  bindSkin,
  type BindSkin,
  bonesOf,
  fitReaches,
  ReachWork,
} from '@judoka/core/operations/bind';
import { checkUp } from '@judoka/core/analysis/checkUp';
import {
  computeNormals,
  findNeighbours,
  growMask,
  islandsOfMask,
  listEdges,
  maskOf,
  recoverQuads,
  shrinkMask,
  weldVertices,
} from '@judoka/core/mesh';
import { createKernelMemory } from '@judoka/core/memory';
import {
  createPaintWorkspace,
  createReachWorkspace,
  gatherDab,
  gatherReach,
  Stroke,
} from '@judoka/core/operations/paint';
import { decodeGltf, openGlb, readCharacter, writeGlb } from '@judoka/core/formats';
import { DEFAULT_SOFTNESS, liveJoints } from '@judoka/core/skeleton';
import { insideLine, projectPoints, QuadWalker, seenPoints } from '@judoka/core/operations/select';
import { type Character, jointPlaces } from '@judoka/core/document';
import { mirrorWeights, pairByTopology } from '@judoka/core/operations/mirror';
import { pruneWeights } from '@judoka/core/operations/exact';
import { makeFerryKeeper } from '@judoka/demo';
import { compare, measure, missed, report } from './measure.ts';
import { bytesAPoint } from './memory.ts';
import { surfacePicking } from './picking.ts';
import { limb } from './limb.ts';
import { makeSurface, type Surface } from './surface.ts';
import { threeSkinning } from './threeSkinning.ts';
import { benchTrial } from './trial.ts';
import { skinKernels } from '@judoka/core/deform';

const SIDE = 316; // 99,856 points
const four = (): number => 4;
const skinAll = ({ memory, arrays, pointCount }: Surface) => {
  return () => skinKernels(memory).skinRange(arrays, 0, pointCount);
};
const section = (title: string): void => console.log(`\n${title}`);

const surface = await makeSurface(SIDE, four);
const { pointCount } = surface;
const unit = skinAll(surface);
const U = measure(unit, { runs: 201, warm: 100 });
console.log(
  `Kernels: ${surface.memory.compiled ? 'compiled' : 'plain'}. Every figure is taken in turn with its baseline.`,
);
console.log(
  `U: linear blend skinning of ${pointCount} points, four influences, with normals: ${U.median.toFixed(2)} ms`,
);

await benchSkinning();
await benchPainting();
await benchExact();
section('Trial, per 100k points');
await benchTrial(surface, unit);
await benchFiles();
await benchBinding();
await benchBindGrowth();
await benchGrowth();
console.log(missed() > 0 ? `\n${missed()} figures missed` : '\nAll figures hold');

async function benchSkinning(): Promise<void> {
  section('Skinning');
  // What skinning reads and writes: position, normal, four slots; position and normal again.
  const bytes = pointCount * (24 + 24 + 24);
  const [from, to] = [new Float32Array(bytes / 4), new Float32Array(bytes / 4)];
  const copy = await compare(unit, () => to.set(from), { runs: 151 });
  report('U against a plain copy of the same bytes', copy.ratio, '×', { most: 5 });
  report('  bytes read and written', bytes / copy.ms / 1e6, 'GB/s');
  const three = await compare(threeSkinning(surface), unit, { runs: 21, warm: 4 });
  report('three’s applyBoneTransform (positions only) against U', three.ratio, '×', { least: 15 });
  const mixed = await makeSurface(SIDE, (random) => 1 + Math.floor(random() * 7.999));
  report('one to eight influences', (await compare(skinAll(mixed), unit, { runs: 151 })).ratio, 'U', {
    most: 1.8,
  });
}

async function benchPainting(): Promise<void> {
  section('Painting');
  const { memory, arrays, neighbours, locks } = surface;
  const workspace = createPaintWorkspace(memory, pointCount, 8, neighbours);
  const reach = createReachWorkspace(pointCount);
  const picking = surfacePicking(surface);
  const settings = { tool: 'add', joint: 30, strength: 0.02, value: 1, smoothAll: false, limit: 4 } as const;
  const stroke = new Stroke(0, arrays.rows, workspace, settings, locks);
  let n = 0;
  let touched = 0;
  const dab = (): void => {
    const hit = picking.pick(0.4 + 0.2 * ((n++ * 0.618) % 1), 0.5);
    if (!hit) throw new Error('The benchmark’s brush missed the surface.');
    const tip = { centre: hit.place, radius: 0.0878, falloff: 'smooth' } as const;
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
  const reach = createReachWorkspace(pointCount);
  const picking = surfacePicking(surface);
  const locks = memory.u8(surface.locks.length);
  locks[3] = locks[12] = 1;
  // Giving and taking by turns, so that there is always something to do.
  const strokes = (['add', 'take'] as const).map((tool) => {
    const receiver = { kind: 'joint', joint: 31 } as const;
    const settings = { tool, joint: 30, strength: 0.05, value: 0, smoothAll: false, limit: 4, receiver };
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
    touched = gatherDab(skin, hit.corners, place, reach, points, amounts);
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

/** What Paint does to all points at once, or looks up among them. */
async function benchExact(): Promise<void> {
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
    { tool: 'add', joint: 30, strength: 0.001, value: 1, smoothAll: false, limit: 4 },
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
  let done = false;
  await tell(
    'undo or redo of all points',
    () => {
      apply([rows], done ? invert([scaled]) : [scaled]);
      done = !done;
    },
    4,
  );
  if (done) apply([rows], invert([scaled]));

  const space = {
    firstPoint: Uint32Array.of(0, pointCount),
    positions: arrays.rest,
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
  const request = { pairs, plane, way: 'down' as const, partner, tolerance: 1e-4 };
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
  await tell('island', () => islandsOfMask(neighbours, maskOf([5], pointCount)), 2, { runs: 41, warm: 8 });
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

async function benchFiles(): Promise<void> {
  section('Files and topology');
  const { triangles, arrays } = surface;
  const polygons = recoverQuads(triangles, arrays.rest);
  const topology = await compare(() => {
    weldVertices(arrays.rest);
    listEdges(findNeighbours(polygons, pointCount));
  }, unit);
  report(`weld, edges and neighbours of ${triangles.length / 3} triangles`, topology.ratio, 'U', {
    most: 30,
  });
  report('  the first time', topology.first, 'U', { most: 100 });
  report(
    '  quads recovered besides',
    (await compare(() => recoverQuads(triangles, arrays.rest), unit, { runs: 21 })).ratio,
    'U',
  );

  const glb = await makeFerryKeeper({ size: 'large', faults: false });
  const container = openGlb(glb);
  const points = (await readCharacter(container)).parts.reduce((sum, part) => sum + part.pointCount, 0);
  const io = new WebIO();
  const alone = () => io.readBinary(glb as Uint8Array<ArrayBuffer>);
  const decoding = await compare(() => decodeGltf(openGlb(glb)), alone, { runs: 25, warm: 8 });
  report(`reading ${points} points, against @gltf-transform/core alone`, decoding.ratio, '×', { most: 1.5 });
  const whole = await compare(() => readCharacter(openGlb(glb)), alone, { runs: 25, warm: 8 });
  report('  with weld, quads and weights, into a character', whole.ratio, '×');
  report('writing them', (await compare(() => writeGlb(container), unit, { runs: 15 })).ratio, 'U');
}

async function benchBinding(): Promise<void> {
  section('Check-in and Bind, per 100k points');
  const character = await readCharacter(openGlb(await makeFerryKeeper({ size: 'large', faults: false })));
  const { parts, skeleton } = character;
  const points = parts.reduce((sum, part) => sum + part.pointCount, 0);
  const share = 100_000 / points;
  const few = { runs: 5, warm: 2 };
  const check = await compare(() => checkUp(character), unit, few);
  report('check-up, everything', check.ratio * share, 'U', { most: 250 });
  const jointCount = skeleton.joints.length;
  const rows = character.rows.map(({ pointCount: count, stride }) => createRows(count, stride));
  const limits = { nearest: 60, heat: 1500, volume: 2000 } as const;
  for (const method of BIND_METHODS) {
    const request = {
      method,
      parts: parts.map((_, part) => part),
      deforming: new Uint8Array(jointCount).fill(1),
      softness: DEFAULT_SOFTNESS,
      limit: 4,
      locks: new Uint8Array(jointCount),
    };
    const bound = await compare(() => bindSkin({ parts, skeleton, rows }, request), unit, few);
    report(`binding by ${method}`, bound.ratio * share, 'U', { most: limits[method] });
  }
  await benchReach(character, share);
}

/** A drag of one capsule's edge: weights of all points that it touches, and their new surface. */
async function benchReach(character: Character, share: number): Promise<void> {
  const { skeleton } = character;
  const body = character.parts.reduce((most, part) => (part.pointCount > most.pointCount ? part : most));
  const places = jointPlaces(skeleton, character.parts);
  const joints = liveJoints(skeleton);
  const bones = new Map(joints.map((joint) => [joint, bonesOf(skeleton, places, joint)]));
  const memory = await createKernelMemory(body.pointCount * 160 + (joints.length + 1) * 64 + 65536);
  const copy = (source: Float32Array): Float32Array => {
    const target = memory.f32(source.length);
    target.set(source);
    return target;
  };
  const rows = createRowsIn(memory, body.pointCount, 8);
  const arrays = {
    rest: copy(body.positions),
    restNormals: copy(body.normals),
    rows,
    palette: copy(body.inverseBinds),
    positions: copy(body.positions),
    normals: copy(body.normals),
  };
  const list = memory.u32(body.pointCount);
  const parts = [{ index: 0, rows, positions: body.positions }];
  const reaches = fitReaches(parts, bones);
  const work = new ReachWork(parts, bones, reaches, { locks: new Uint8Array(joints.length), limit: 4 });
  work.writeAll();
  const chest = skeleton.joints.findIndex(({ name }) => name === 'chest');
  const reach = reaches.get(chest) as JointReach;
  let n = 0;
  const move = (): void => {
    const outer = reach.outer * (1 + 0.02 * (n++ % 7));
    for (const { points, count } of work.set(chest, { ...reach, outer })) {
      list.set(points.subarray(0, count));
      skinKernels(memory).skinList(arrays, { points: list, count });
    }
  };
  const { ratio } = await compare(move, unit, { runs: 41 });
  report('a move of a reach’s edge: weights and surface', ratio * share, 'U', { most: 8 });
}

/** Time of the bindings from 10k to 160k points: the exponent of their growth. */
async function benchBindGrowth(): Promise<void> {
  section('Growth of the bindings from 10k to 160k points');
  const sizes = [100, 200, 400];
  for (const method of BIND_METHODS) {
    const times: number[] = [];
    for (const side of sizes) {
      const skin = limb(side);
      const { ms } = await compare(() => bindSkin(skin, requestOf(skin, method)), unit, { runs: 3, warm: 1 });
      times.push(ms);
    }
    const exponent = Math.log(times[2] / times[0]) / Math.log((sizes[2] / sizes[0]) ** 2);
    const row = times.map((ms) => ms.toFixed(0)).join(', ');
    report(`${method}: the exponent of its time`, exponent, '', { most: 1.3 }, `(${row} ms)`);
  }
}

function requestOf({ parts, skeleton }: BindSkin, method: BindMethod): BindRequest {
  return {
    method,
    parts: parts.map((_, part) => part),
    deforming: new Uint8Array(skeleton.joints.length).fill(1),
    softness: DEFAULT_SOFTNESS,
    limit: 4,
    locks: new Uint8Array(skeleton.joints.length),
  };
}

async function benchGrowth(): Promise<void> {
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
