import { type Character, jointPlaces, type JointReach, boundPositions } from '@judoka/core/document';
import { createRows, createRowsIn } from '@judoka/core/weights';
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
import { createKernelMemory } from '@judoka/core/memory';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { DEFAULT_SOFTNESS, liveJoints } from '@judoka/core/skeleton';
import { makeFerryKeeper } from '@judoka/demo';
import { compare, report } from './measure.ts';
import { limb } from './limb.ts';
import { skinKernels } from '@judoka/core/deform';
import { section, unit } from './context.ts';

export async function benchBinding(): Promise<void> {
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
  const limits = { nearest: 55, heat: 800, volume: 650 } as const;
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
  const parts = [{ index: 0, rows, positions: boundPositions(body) }];
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
  report('a move of a reach’s edge: weights and surface', ratio * share, 'U', { most: 6 });
}

/** Time of the bindings from 10k to 160k points: the exponent of their growth. */
export async function benchBindGrowth(): Promise<void> {
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
