import {
  BendMeter,
  createBendMesh,
  edgeLengths,
  restAreas,
  runRange,
  strainKernels,
} from '@judoka/core/analysis/bends';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { createDualPalette, fillDualPalette, skinKernels } from '@judoka/core/deform';
import { CrossingFinder } from '@judoka/core/analysis/crossings';
import { findNeighbours, listEdges } from '@judoka/core/mesh';
import { type Bvh, mapMotion, retargetMotion, shelfMotion } from '@judoka/core/animation';
import { openGlb, readBvh, readCharacter, writeBvh } from '@judoka/core/formats';
import { rangesOf, rankStrays } from '@judoka/core/analysis/strays';
import { type Character, skinPart } from '@judoka/core/document';
import type { Pose } from '@judoka/core/skeleton';
import { makeFerryKeeper } from '@judoka/demo';
import { compare, report } from './measure.ts';
import type { Surface } from './surface.ts';

/** Trial's figures, in U: dual quaternions and strain on a sheet of 100k points, the rest on the ferry-keeper. */
export async function benchTrial(surface: Surface, unit: () => void): Promise<void> {
  await benchDual(surface, unit);
  await benchStrain(surface, unit);
  const large = await readCharacter(openGlb(await makeFerryKeeper({ size: 'large', faults: true })));
  const share = 100_000 / large.parts.reduce((sum, { pointCount }) => sum + pointCount, 0);
  await benchRange(large, share, unit);
  const strays = await compare(() => rankStrays(large), unit, { runs: 5, warm: 1 });
  report('strays of the whole character, ranked', strays.ratio * share, 'U', { most: 250 });
  const small = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: false })));
  await benchCrossings(small, unit);
  benchMotion(small);
}

async function benchDual(
  { memory, arrays, pointCount, jointCount }: Surface,
  unit: () => void,
): Promise<void> {
  const dual = createDualPalette(jointCount, memory);
  fillDualPalette(arrays.palette, dual);
  const work = (): void => skinKernels(memory).skinDualRange(arrays, dual, 0, pointCount);
  report('dual quaternion skinning', (await compare(work, unit, { runs: 101 })).ratio, 'U', { most: 1.8 });
}

async function benchStrain(surface: Surface, unit: () => void): Promise<void> {
  const { memory, arrays, pointCount, neighbours, triangles } = surface;
  const put = <T extends Uint32Array | Float32Array>(to: T, from: T): T => {
    to.set(from);
    return to;
  };
  const found = listEdges(neighbours);
  const edges = put(memory.u32(found.length), found);
  const lengths = put(memory.f32(found.length / 2), edgeLengths(found, arrays.rest));
  const strains = memory.f32(lengths.length);
  const points = memory.f32(pointCount);
  const faces = put(memory.u32(triangles.length), triangles);
  const areas = put(memory.f32(triangles.length / 3), restAreas(triangles, arrays.rest, arrays.restNormals));
  const ratios = memory.f32(areas.length);
  const work = (): void => {
    strainKernels(memory).strainEdges(edges, lengths, arrays.positions, strains);
    strainKernels(memory).strainPoints(edges, strains, points);
    strainKernels(memory).strainFaces(faces, areas, arrays.positions, arrays.normals, ratios);
  };
  report(
    'strain of one pose: edges, points and faces',
    (await compare(work, unit, { runs: 101 })).ratio,
    'U',
    {
      most: 4,
    },
  );
}

/** Two threads share the joints; the slower of the two shares, run here one after the other, tells the time. */
async function benchRange(character: Character, share: number, unit: () => void): Promise<void> {
  const { pairs } = checkInput(character, {});
  const ranges = rangesOf(character, {}, pairs);
  let poses = 0;
  const half = async (index: number): Promise<void> => {
    const meter = await BendMeter.create(character);
    const trials = runRange(
      meter,
      ranges.filter((_, i) => i % 2 === index),
    );
    poses += trials.reduce((sum, { poses: own }) => sum + own.length, 0);
  };
  const times = [];
  for (const index of [0, 1]) times.push((await compare(() => half(index), unit, { runs: 1, warm: 0 })).ms);
  const { ms } = await compare(unit, unit, { runs: 101 });
  // 60 joints of eight poses each, as the figure says.
  const wanted = 480 / poses;
  report(
    `range of motion with all figures, ${poses} poses`,
    (Math.max(...times) / ms) * share * wanted,
    'U',
    {
      most: 2000,
    },
  );
}

async function benchCrossings(character: Character, unit: () => void): Promise<void> {
  const [cape, body] = ['cape', 'body'].map((name) =>
    character.parts.findIndex((part) => part.name === name),
  );
  const shoulder = character.skeleton.joints.findIndex(({ name }) => name === 'cape_back_1');
  const meshes = [cape, body].map((part) => {
    const { polygonOffsets, polygonPoints, pointCount, triangles } = character.parts[part];
    const neighbours = findNeighbours({ offsets: polygonOffsets, points: polygonPoints }, pointCount);
    const rest = skinPart(character, part, {}, true);
    return createBendMesh(triangles, neighbours, rest.positions, rest.normals);
  });
  const finder = new CrossingFinder(meshes[0], meshes[1]);
  // The cape bent into the back: as in a bad pose, and far through the whole body.
  for (const [degrees, most] of [
    [12, 15],
    [35, undefined],
  ] as const) {
    const half = (-degrees * Math.PI) / 360;
    const turn = {
      rotation: [Math.sin(half), 0, 0, Math.cos(half)],
      translation: [0, 0, 0],
      scale: [1, 1, 1],
    } as const;
    const pose: Pose = { [shoulder]: turn };
    const [one, other] = [cape, body].map((part) => skinPart(character, part, pose, false).positions);
    const { places } = finder.find([one, other]);
    const found = await compare(() => finder.find([one, other]), unit, { runs: 21 });
    report(`crossings of cape and body, ${places} places, at ${degrees}°`, found.ratio, 'U', { most });
  }
}

/** 3,000 frames of 31 joints: the shelf's walk over and over, with fingers. */
function benchMotion(character: Character): void {
  const text = writeBvh(lengthened(shelfMotion('Walk'), 3000, 31));
  const subject = { skeleton: character.skeleton, pairs: checkInput(character, {}).pairs };
  const start = performance.now();
  const bvh = readBvh(text);
  retargetMotion(subject, bvh, mapMotion(subject, bvh), 'walk');
  report('a .bvh of 3,000 frames and 31 joints, read and mapped', performance.now() - start, 'ms', {
    most: 1000,
  });
}

function lengthened({ joints, frames, frameSeconds, values }: Bvh, wanted: number, jointCount: number): Bvh {
  const width = values.length / frames;
  const more = Array.from({ length: jointCount - joints.length }, (_, i) => ({
    name: `finger_${i}`,
    parent: joints.findIndex(({ name }) => name === 'LeftHand'),
    offset: [5, i, 0] as const,
    channels: ['Zrotation', 'Xrotation', 'Yrotation'] as const,
  }));
  // Fingers stand last in the list, but within the hand in the file.
  const order = [...joints, ...more];
  const wide = width + more.length * 3;
  const long = new Float32Array(wanted * wide);
  for (let frame = 0; frame < wanted; frame++)
    long.set(values.subarray((frame % frames) * width, ((frame % frames) + 1) * width), frame * wide);
  return { joints: order, frames: wanted, frameSeconds, values: long };
}
