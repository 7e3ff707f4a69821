import { describe, expect, test } from '@jest/globals';
import { CoreError } from '../../errors.ts';
import { skinPart } from '../../document/skinPart.ts';
import type { GltfContainer } from './container.ts';
import { readCharacter } from './readCharacter.ts';
import { readShapes } from './readShapes.ts';
import { testContainer, type TestGlbOptions } from './testGlb.ts';

/** Puts numbers behind what a file has. @returns the number of their accessor */
function put(container: GltfContainer, numbers: readonly number[], type: string, size: number): number {
  const [before] = container.buffers;
  const array = Float32Array.from(numbers);
  const bytes = new Uint8Array(before.length + array.byteLength);
  bytes.set(before);
  bytes.set(new Uint8Array(array.buffer), before.length);
  (container.buffers as Uint8Array[])[0] = bytes;
  const { json } = container;
  const views = (json.bufferViews ??= []);
  const accessors = (json.accessors ??= []);
  views.push({ buffer: 0, byteOffset: before.length, byteLength: array.byteLength });
  accessors.push({
    ...{ bufferView: views.length - 1, componentType: 5126, count: numbers.length / size, type },
    ...(size < 4 && { min: bounds(numbers, size, Math.min), max: bounds(numbers, size, Math.max) }),
  });
  (json.buffers ?? [])[0].byteLength = bytes.length;
  return accessors.length - 1;
}

const bounds = (numbers: readonly number[], size: number, of: typeof Math.min): number[] =>
  Array.from({ length: size }, (_, k) => of(...numbers.filter((_x, i) => i % size === k)));

const HALF = Math.SQRT1_2;

/** The strip, whose knee turns by a right angle about z in a second while a target pushes all points along z by one. */
function shapes(options: TestGlbOptions = {}, interpolation = 'LINEAR'): GltfContainer {
  const container = testContainer(options);
  const { json } = container;
  const count = (json.accessors ?? [])[0].count;
  const pushed = put(container, Array.from({ length: count }, () => [0, 0, 1]).flat(), 'VEC3', 3);
  const times = put(container, [0, 1], 'SCALAR', 1);
  const turns = put(container, [0, 0, 0, 1, 0, 0, HALF, HALF], 'VEC4', 4);
  const weights = put(container, [0, 1], 'SCALAR', 1);
  const [{ primitives }] = json.meshes ?? [];
  (primitives[0] as unknown as { targets: unknown[] }).targets = [{ POSITION: pushed }];
  json.animations = [
    {
      name: 'bend',
      channels: [
        { sampler: 0, target: { node: 1, path: 'rotation' } },
        { sampler: 1, target: { node: 2, path: 'weights' } },
      ],
      samplers: [
        { input: times, output: turns, interpolation: 'LINEAR' },
        { input: times, output: weights, interpolation },
      ],
    },
  ];
  return container;
}

async function refusal(container: GltfContainer): Promise<string> {
  const own = await readCharacter(testContainer());
  const error = await readShapes(container, own).catch((each: unknown) => each);
  expect(error).toBeInstanceOf(CoreError);
  return (error as CoreError).message;
}

describe('shapes of a file', () => {
  test('are its frames, morphed and skinned, with the poses of its joints', async () => {
    const own = await readCharacter(testContainer());
    const read = await readShapes(shapes(), own);
    expect(read.parts).toEqual([0]);
    expect(read.poses.length).toBe(read.frames);
    const last = read.poses.length - 1;
    expect(read.poses[last][1].rotation[2]).toBeCloseTo(HALF, 5);
    const plain = skinPart(own, 0, read.poses[last], false).positions;
    const shape = read.at(0, last).slice();
    // Above the knee nothing turns: there the push is along z alone.
    for (const p of [0, 1]) expect(shape[p * 3 + 2] - plain[p * 3 + 2]).toBeCloseTo(1, 5);
    const middle = read.at(0, Math.round(last / 2));
    expect(middle[2]).toBeCloseTo(0.5, 2);
    expect(read.at(0, 0)[2]).toBe(0);
  });

  test('keep a step until the next key', async () => {
    const read = await readShapes(shapes({}, 'STEP'), await readCharacter(testContainer()));
    expect(read.at(0, read.poses.length - 2)[2]).toBe(0);
    expect(read.at(0, read.poses.length - 1)[2]).toBe(1);
  });

  test('of other points, other joints or no motion are refused in a sentence', async () => {
    expect(await refusal(testContainer())).toMatch(/no clip/);
    const fewer = shapes({
      indices: [0, 1, 3, 0, 3, 2],
      positions: [0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0, 0, 1, 0, 1, 1, 0],
    });
    expect(await refusal(fewer)).toMatch(/6 points here and 4 there/);
    const renamed = shapes();
    for (const node of renamed.json.nodes ?? []) node.name = `other ${node.name}`;
    expect(await refusal(renamed)).toMatch(/None of its joints/);
    const longer = shapes();
    (longer.json.nodes ?? [])[1].translation = [0, 1.5, 0];
    expect(await refusal(longer)).toMatch(/“knee” rests elsewhere/);
  });
});
