import { BendMeter, bendJudge } from '@judoka/core/analysis/bends';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { rangesOf } from '@judoka/core/analysis/strays';
import { rangePoses } from '@judoka/core/animation';
import { DEFAULT_RELAXING, PartLook, SurfaceRelaxer } from '@judoka/core/deform';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { findNeighbours, refineSurface, subdivide } from '@judoka/core/mesh';
import { bindSkin } from '@judoka/core/operations/bind';
import { ShapeStroke } from '@judoka/core/operations/shape';
import { bakeLook, cureBends } from '@judoka/core/operations/cure';
import { DEFAULT_SOFTNESS } from '@judoka/core/skeleton';
import { apply, copyRows, createRows, jointMass } from '@judoka/core/weights';
import { makeFerryKeeper } from '@judoka/demo';
import { compare, report } from './measure.ts';
import { pointCount, section, SIDE, surface, unit } from './context.ts';

/** A dab's points: about two thousand in a square. */
const DAB = 45;

export async function benchCures(): Promise<void> {
  section('Relaxing, 100k points');
  const { arrays, neighbours, triangles } = surface;
  unit();
  const mesh = {
    ...{ pointCount, triangles, neighbours },
    ...{ rest: arrays.positions.slice(), restNormals: arrays.normals.slice() },
  };
  const relaxer = await SurfaceRelaxer.create(mesh, DEFAULT_RELAXING);
  const [positions, normals] = [arrays.positions.slice(), arrays.normals.slice()];
  const all = await compare(() => relaxer.relaxAll(positions, normals), unit, { runs: 31, warm: 6 });
  report('relaxing, ten passes, all points', all.ratio, 'U', { most: 14 });

  const first = Math.floor(SIDE / 2 - DAB / 2);
  const dab = Uint32Array.from(
    { length: DAB * DAB },
    (_, i) => (first + Math.floor(i / DAB)) * SIDE + first + (i % DAB),
  );
  const gathered = [positions, normals].map((all) =>
    Float32Array.from({ length: dab.length * 3 }, (_, i) => all[dab[Math.floor(i / 3)] * 3 + (i % 3)]),
  );
  const near = await compare(
    () => {
      relaxer.take(dab, dab.length, gathered[0], gathered[1]);
      relaxer.relaxPatch(relaxer.patchAbout(dab, dab.length, 2));
    },
    unit,
    { runs: 31, warm: 6 },
  );
  report(`relaxing around a dab of ${dab.length} points`, near.ratio, 'U', { most: 1 });
  await benchShape(dab);
  await benchSmooth();
  await benchKeeper();
}

/** The keeper's parts as they are subdivided twice, in a pose. */
async function benchSmooth(): Promise<void> {
  const { parts } = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: true })));
  const smooth = parts.map(
    ({ polygonOffsets: offsets, polygonPoints: points, pointCount, positions, normals }) => {
      const steps = subdivide({ offsets, points }, pointCount, 2);
      const room = () => steps.map((step) => new Float32Array(step.pointCount * 3));
      return { steps, places: [positions, ...room()], normals: [normals, ...room()] };
    },
  );
  const refineAll = (): void => {
    for (const { steps, places, normals } of smooth)
      steps.forEach((step, i) => refineSurface(step, places[i], normals[i], places[i + 1], normals[i + 1]));
  };
  const all = await compare(refineAll, unit, { runs: 31, warm: 6 });
  const points = parts.reduce((sum, { pointCount }) => sum + pointCount, 0);
  report(`${points} points subdivided twice, a pose, for 8k`, (all.ratio * 8000) / points, 'U', { most: 6 });
}

/** Poses of a strip that hold the shape brush back. */
const STRIP = 7;

async function benchShape(dab: Uint32Array): Promise<void> {
  const { arrays, neighbours, jointCount } = surface;
  const palettes = Array.from({ length: STRIP + 1 }, (_, i) =>
    arrays.palette.map((x, at) => (at % 16 === 12 ? x + 0.01 * i * (at / 16) : x)),
  );
  const part = { rest: arrays.rest, rows: copyRows(arrays.rows), neighbours, palettes };
  const rules = { limit: 4, locks: new Uint8Array(jointCount), others: 0.25 };
  const moves = Float64Array.from({ length: dab.length * 3 }, (_, i) => (i % 3 === 2 ? 0.001 : 0));
  const stroke = new ShapeStroke(0, part, rules);
  const list = dab.slice();
  const shaping = await compare(() => stroke.move(list, list.length, moves, 'now'), unit, {
    runs: 31,
    warm: 6,
  });
  report(`shaping by a dab of ${dab.length} points`, shaping.ratio, 'U', { most: 2 });
}

/** Poses that a look is baked over. */
const POSES = 60;

/** What the large ferry-keeper takes, bound anew by heat. */
async function benchKeeper(): Promise<void> {
  const character = await readCharacter(openGlb(await makeFerryKeeper({ size: 'large', faults: true })));
  const { skeleton } = character;
  const parts = character.parts.flatMap(({ role }, i) => (role === 'skinned' ? [i] : []));
  const mass = new Float64Array(skeleton.joints.length);
  for (const part of parts) jointMass(character.rows[part], mass.length, mass);
  const rows = character.rows.map(({ pointCount, stride }) => createRows(pointCount, stride));
  const locks = new Uint8Array(mass.length);
  const { change } = await bindSkin(
    { parts: character.parts, skeleton, rows },
    {
      ...{ method: 'heat', parts, softness: DEFAULT_SOFTNESS, limit: 4, locks },
      deforming: Uint8Array.from(mass, (own) => (own > 0 ? 1 : 0)),
    },
  );
  apply(rows, change);
  const bound = { ...character, rows };
  const { pairs } = checkInput(bound, {});
  const ranges = rangesOf(bound, {}, pairs);

  section('Baking and curing, about 100k points, bound by heat');
  const all = ranges.flatMap((range) => rangePoses(range).map(({ pose }) => pose));
  const poses = Array.from({ length: POSES }, (_, i) => all[Math.floor((i * all.length) / POSES)]);
  const part = character.parts[0];
  const { positions, inverseBinds, polygonOffsets: offsets, polygonPoints: points, pointCount: count } = part;
  const neighbours = findNeighbours({ offsets, points }, count);
  const look = await PartLook.create({ ...character, rows }, 0, {
    skinning: 'linear',
    relaxing: DEFAULT_RELAXING,
  });
  const bake = () =>
    bakeLook(
      0,
      { positions, inverseBinds, skeleton, neighbours, rows: rows[0] },
      poses,
      (pose) => look.at(pose).positions,
      { limit: 4, locks },
    );
  const baking = await compare(bake, unit, { runs: 1, warm: 1 });
  report(`baking ${count} points over ${POSES} poses, on one thread`, baking.ratio, 'U', { most: 2500 });
  const { before, after, unlimited } = await bake();
  report('  error within the limit against none', after.rms / unlimited, '×', { most: 1.05 });
  report('  of the look, shown', 1 - after.rms / before.rms, '');

  const judge = bendJudge(await BendMeter.create(bound), ranges);
  const worst = ranges
    .map(({ joint }) => ({ joint, damage: judge.damageOf(joint) }))
    .sort((a, b) => b.damage - a.damage)
    .slice(0, 5);
  let fall = 0;
  let slowest = 0;
  for (const { joint } of worst) {
    const began = performance.now();
    const { joints } = await cureBends(bound, ranges, judge, { joints: [joint], limit: 4, locks });
    slowest = Math.max(slowest, (performance.now() - began) / 1000);
    fall += (1 - joints[0].after / joints[0].before) / worst.length;
  }
  report('cure of a joint, the slowest of the five worst', slowest, 's', { most: 3 });
  report('  damage falls by, in the mean of the five', fall, '', { least: 0.4 });
}
