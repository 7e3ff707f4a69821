import { describe, expect, test } from '@jest/globals';
import { sampleClip } from '../../animation/clip.ts';
import { testContainer } from '../gltf/testGlb.ts';
import { readCharacter } from '../gltf/readCharacter.ts';
import { encodeText } from '../text.ts';
import { lossesInDae } from './daeLosses.ts';
import { singleText } from './numberText.ts';
import { readDae } from './readDae.ts';
import { writeDae } from './writeDae.ts';
import fc from 'fast-check';

test('every single-precision number is read back to the bit', () => {
  fc.assert(
    fc.property(fc.float({ noNaN: true, noDefaultInfinity: true }), (value) => {
      expect(Math.fround(Number(singleText(value)))).toBe(value === 0 ? 0 : value);
    }),
  );
});

describe('a character as COLLADA', () => {
  test('comes back with the same points, weights and joints', async () => {
    const container = testContainer();
    const [before, { text, pictures }] = [await readCharacter(container), await writeDae(container)];
    const after = await readCharacter(readDae(encodeText(text), (name) => pictures.get(name)));
    expect(after.parts.map(({ name }) => name)).toEqual(before.parts.map(({ name }) => name));
    expect([...after.parts[0].positions]).toEqual([...before.parts[0].positions]);
    expect([...after.rows[0].values]).toEqual([...before.rows[0].values]);
    expect([...after.rows[0].joints]).toEqual([...before.rows[0].joints]);
    expect(after.skeleton.joints.map(({ name, parent }) => [name, parent])).toEqual(
      before.skeleton.joints.map(({ name, parent }) => [name, parent]),
    );
  });

  test('names that XML has no letters for, or that are not unique, stay apart', async () => {
    const container = testContainer();
    for (const node of container.json.nodes ?? []) node.name = 'a <b> & "c" é';
    const { text } = await writeDae(container);
    const { skeleton } = await readCharacter(readDae(encodeText(text)));
    expect(skeleton.joints.map(({ name }) => name)).toEqual(['a <b> & "c" é', 'a <b> & "c" é']);
    expect(skeleton.joints[1].parent).toBe(0);
  });

  test('motions come back at the poses of their keys and between them', async () => {
    const container = testContainer();
    const times = Float32Array.of(0, 1);
    const half = Math.SQRT1_2;
    const turns = Float32Array.of(0, 0, 0, 1, half, 0, 0, half);
    const bytes = new Uint8Array(times.byteLength + turns.byteLength);
    bytes.set(new Uint8Array(times.buffer));
    bytes.set(new Uint8Array(turns.buffer), 8);
    const json = structuredClone(container.json);
    const view = (json.bufferViews ?? []).length;
    const buffer = json.buffers?.push({ byteLength: bytes.length }) ?? 0;
    json.bufferViews?.push(
      { buffer: buffer - 1, byteOffset: 0, byteLength: 8 },
      { buffer: buffer - 1, byteOffset: 8, byteLength: 32 },
    );
    const accessor = (json.accessors ?? []).length;
    json.accessors?.push(
      { bufferView: view, componentType: 5126, count: 2, type: 'SCALAR', min: [0], max: [1] },
      { bufferView: view + 1, componentType: 5126, count: 2, type: 'VEC4' },
    );
    json.animations = [
      {
        name: 'kneel',
        samplers: [{ input: accessor, output: accessor + 1 }],
        channels: [{ sampler: 0, target: { node: 1, path: 'rotation' } }],
      },
    ];
    const { text } = await writeDae({ ...container, json, buffers: [...container.buffers, bytes] });
    const { clips } = await readCharacter(readDae(encodeText(text)));
    expect(clips.map(({ name }) => name)).toEqual(['kneel']);
    for (const seconds of [0, 0.25, 0.51, 1]) {
      const angle = (seconds * Math.PI) / 4;
      const { rotation } = sampleClip(clips[0], seconds)[1];
      expect(rotation[0]).toBeCloseTo(Math.sin(angle), 3);
      expect(rotation[3]).toBeCloseTo(Math.cos(angle), 3);
    }
  });

  test('what cannot go along is told', () => {
    expect(lossesInDae(testContainer().json)).toEqual([
      'Extras stay behind: the format has no place for them.',
      'What extensions say stays behind (EXT_of_somebody).',
    ]);
  });
});
