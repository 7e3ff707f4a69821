import { expect, test } from '@jest/globals';
import { copyRows, createRows, influencesOf, type WeightRows } from '../../weights/rows.ts';
import { copyRow } from '../../weights/delta.ts';
import { rowsFrom } from '../../testing/shapes.ts';
import { openGlb, writeGlb, type GltfContainer } from './container.ts';
import { exportCharacter } from './exportCharacter.ts';
import { readCharacter } from './readCharacter.ts';
import { TEST_JOINTS, TEST_WEIGHTS, testContainer } from './testGlb.ts';

async function exported(container: GltfContainer, edit: (rows: WeightRows) => void): Promise<GltfContainer> {
  const character = await readCharacter(container);
  const rows = character.rows.map((from) => {
    const copy = createRows(from.pointCount, from.stride);
    for (let p = 0; p < from.pointCount; p++) copyRow(from, p, copy, p);
    return copy;
  });
  edit(rows[0]);
  return exportCharacter(container, character, rows);
}

test('nothing changed: the very same file', async () => {
  const glb = writeGlb(testContainer());
  const again = writeGlb(await exported(openGlb(glb), () => undefined));
  expect(again).toEqual(glb);
});

test('one point changed: only its bytes differ, and everything else of the file is kept', async () => {
  const container = testContainer();
  const result = await exported(container, (rows) => copyRow(rowsFrom([{ 0: 0.25, 1: 0.75 }]), 0, rows, 2));
  const differing = [...result.buffers[0].keys()].filter(
    (i) => result.buffers[0][i] !== container.buffers[0][i],
  );
  const { byteOffset: joints = 0 } = (container.json.bufferViews ?? [])[2];
  const { byteOffset: weights = 0 } = (container.json.bufferViews ?? [])[3];
  for (const byte of differing) {
    const inJoints = byte >= joints + 8 && byte < joints + 12;
    const inWeights = byte >= weights + 32 && byte < weights + 48;
    expect(inJoints || inWeights).toBe(true);
  }
  expect(result.json).toEqual(container.json);
  const back = await readCharacter(openGlb(writeGlb(result)));
  expect(back.rows[0].values.slice(16, 18)).toEqual(Float32Array.of(0.75, 0.25));
});

test('more than four influences add a second set behind the file’s own bytes', async () => {
  const container = testContainer();
  const joints = [0, 1, 2, 3, 4];
  container.json.nodes = [
    ...joints.map((n) => ({ name: `j${n}`, children: n < 4 ? [n + 1] : [] })),
    { mesh: 0, skin: 0 },
  ];
  container.json.scenes = [{ nodes: [0, 5] }];
  container.json.skins = [{ joints }];
  const result = await exported(container, (rows) =>
    copyRow(rowsFrom([{ 0: 0.4, 1: 0.2, 2: 0.2, 3: 0.1, 4: 0.1 }]), 0, rows, 0),
  );
  const { attributes } = (result.json.meshes ?? [])[0].primitives[0];
  expect(Object.keys(attributes)).toEqual(expect.arrayContaining(['JOINTS_1', 'WEIGHTS_1']));
  const back = await readCharacter(openGlb(writeGlb(result)));
  expect(back.sourceWeights[0].maxInfluences).toBe(5);
  expect(back.sourceWeights[0].scaled).toBe(0);
});

test('whole-number weights give way to floats when something changed', async () => {
  const container = testContainer();
  const accessor = (container.json.accessors ?? [])[3];
  const view = (container.json.bufferViews ?? [])[3];
  accessor.componentType = 5121;
  accessor.normalized = true;
  // 127 + 128 stands for a half and a half.
  const bytes = Uint8Array.from(TEST_WEIGHTS, (w, i) => (w === 0.5 ? 127 + (i % 2) : w * 255));
  container.buffers[0].set(bytes, view.byteOffset ?? 0);
  const untouched = await exported(container, () => undefined);
  expect(untouched.json).toEqual(container.json);
  const result = await exported(container, (rows) => copyRow(rowsFrom([{ 0: 0.3, 1: 0.7 }]), 0, rows, 0));
  const index = (result.json.meshes ?? [])[0].primitives[0].attributes.WEIGHTS_0;
  expect((result.json.accessors ?? [])[index]).toMatchObject({ componentType: 5126, count: 6, type: 'VEC4' });
  const back = await readCharacter(openGlb(writeGlb(result)));
  expect(back.rows[0].values.slice(0, 2)).toEqual(Float32Array.of(0.7, 0.3));
});

test('a joint that the skin lacks is added to it with its bind matrix', async () => {
  const container = testContainer();
  container.json.nodes = [...(container.json.nodes ?? []), { name: 'other', mesh: 0, skin: 1 }];
  container.json.skins = [
    { joints: [1], inverseBindMatrices: undefined },
    { joints: [0, 1], inverseBindMatrices: 4 },
  ];
  delete (container.json.skins[0] as { inverseBindMatrices?: number }).inverseBindMatrices;
  for (let i = 0; i < 24; i++)
    container.buffers[0][((container.json.bufferViews ?? [])[2].byteOffset ?? 0) + i] = 0;
  const character = await readCharacter(container);
  const part = character.parts[0];
  expect(part.source.jointOfSlot).toEqual([1]);
  const rows = createRows(6, 8);
  for (let p = 0; p < 6; p++) copyRow(rowsFrom([{ 0: 1 }]), 0, rows, p);
  const result = exportCharacter(container, character, [rows]);
  expect((result.json.skins ?? [])[0].joints).toEqual([1, 0]);
  const back = await readCharacter(openGlb(writeGlb(result)));
  expect(back.rows[0].joints[0]).toBe(0);
  expect(back.rows[0].values[0]).toBe(1);
});

test('vertices of points that are welded leave with one row, whoever stands for them; the others to the bit', async () => {
  // The strip's two squares with corners of their own in the middle, a little apart.
  const container = testContainer({
    positions: [0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0, 0, 1.01, 0, 1, 1.01, 0, 0, 2, 0, 1, 2, 0],
    indices: [0, 1, 3, 0, 3, 2, 4, 5, 7, 4, 7, 6],
    joints: [0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0],
    weights: [1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0],
  });
  const character = await readCharacter(container);
  const rows = copyRows(character.rows[0]);
  for (const p of [2, 3, 4, 5]) {
    rows.joints.set([0, 1], p * rows.stride);
    rows.values.set([0.5, 0.5], p * rows.stride);
  }
  const written = openGlb(writeGlb(exportCharacter(container, character, [rows], { welds: { 0: 0.05 } })));
  const again = await readCharacter(written);
  expect([0, 2, 4, 6].map((p) => influencesOf(again.rows[0], p))).toEqual([
    [{ joint: 0, weight: 1 }],
    [
      { joint: 0, weight: 0.5 },
      { joint: 1, weight: 0.5 },
    ],
    [
      { joint: 0, weight: 0.5 },
      { joint: 1, weight: 0.5 },
    ],
    [{ joint: 1, weight: 1 }],
  ]);
  // What stands for others speaks for them, even where only it was painted.
  const only = copyRows(character.rows[0]);
  only.joints[2 * only.stride] = 1;
  const one = await readCharacter(
    openGlb(writeGlb(exportCharacter(container, character, [only], { welds: { 0: 0.05 } }))),
  );
  expect(influencesOf(one.rows[0], 4)).toEqual([{ joint: 1, weight: 1 }]);
  expect(influencesOf(one.rows[0], 5)).toEqual(influencesOf(one.rows[0], 3));
});

test.each([
  ['bytes', 5121, 1],
  ['shorts', 5123, 2],
])('joints as %s between the weights are written where they stand', async (_name, componentType, size) => {
  const container = testContainer();
  const view = (container.json.bufferViews ?? [])[2];
  const [jointBytes, stride] = [size * 4, size * 4 + 16];
  const bytes = new Uint8Array(6 * stride);
  const data = new DataView(bytes.buffer);
  for (let v = 0; v < 6; v++)
    for (let k = 0; k < 4; k++) {
      if (size === 1) data.setUint8(v * stride + k, TEST_JOINTS[v * 4 + k]);
      else data.setUint16(v * stride + k * 2, TEST_JOINTS[v * 4 + k], true);
      data.setFloat32(v * stride + jointBytes + k * 4, TEST_WEIGHTS[v * 4 + k], true);
    }
  const between = { ...container, buffers: [...container.buffers, bytes] };
  Object.assign(view, { buffer: 1, byteOffset: 0, byteLength: bytes.length, byteStride: stride });
  const [joints, weights] = (container.json.accessors ?? []).slice(2, 4);
  Object.assign(joints, { componentType });
  Object.assign(weights, { bufferView: 2, byteOffset: jointBytes });
  container.json.buffers?.push({ byteLength: bytes.length });

  const result = await exported(between, (rows) => copyRow(rowsFrom([{ 0: 0.25, 1: 0.75 }]), 0, rows, 2));
  expect(result.json).toEqual(between.json);
  expect(result.buffers[0]).toEqual(between.buffers[0]);
  const differing = [...bytes.keys()].filter((i) => result.buffers[1][i] !== bytes[i]);
  expect(differing.length).toBeGreaterThan(0);
  for (const byte of differing) expect(Math.floor(byte / stride)).toBe(2);
  const back = await readCharacter(openGlb(writeGlb(result)));
  expect(influencesOf(back.rows[0], 2)).toEqual([
    { joint: 1, weight: 0.75 },
    { joint: 0, weight: 0.25 },
  ]);
});
