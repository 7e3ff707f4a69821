import { expect, test } from '@jest/globals';
import { shapePath } from '@judoka/core/document';
import { maskOfShape } from '../document/posedShapes.ts';
import { lookOf } from '../document/look.ts';
import { changeShape, splitShape } from '../features/shapes/ShapeLook.ts';
import { ARM_L, BODY, doneLabels, openForEach, ringPoints, saved, turned } from '../testing/testWorkspace.ts';
import type { SimulatedServer } from '../testing/SimulatedServer.ts';
import type { Workspace } from '../workspace/Workspace.ts';

let at: Workspace;
let server: SimulatedServer;
openForEach((opened) => ({ at, server } = opened));

const height = (p: number): number => at.scene.parts[BODY].skin.positions[p * 3 + 1];
const raised = ringPoints(15, 16, 17);

test('a shape moves its points on the stage and in the strip at once; what is dragged is one edit, undone in one step', async () => {
  at.scene.chooseJoint(ARM_L);
  const before = [...at.scene.parts[BODY].skin.positions];
  const strip = [...at.scene.strip.positions[2]];
  at.scene.morphs.dial('0', 0.25);
  at.scene.morphs.dial('0', 0.5);
  const after = [...at.scene.parts[BODY].skin.positions];
  const moved = after.flatMap((x, i) => (x === before[i] ? [] : [Math.floor(i / 3)]));
  expect(new Set(moved)).toEqual(new Set(raised));
  for (const p of raised) expect(height(p)).toBeCloseTo(before[p * 3 + 1] + 0.05, 5);
  expect([...at.scene.strip.positions[2]]).not.toEqual(strip);
  at.document.settle();
  await saved(at);
  expect(server.labels()).toEqual(['edit Shape raise']);
  await at.document.undo();
  expect([...at.scene.parts[BODY].skin.positions]).toEqual(before);
});

test('in a pose it goes along with the joints', () => {
  at.scene.setPose(turned({ [ARM_L]: ['z', 90] }));
  const before = [...at.scene.parts[BODY].skin.positions];
  at.scene.morphs.dial('0', 1);
  const far = raised.map((p) =>
    Math.round(
      1000 *
        Math.hypot(
          ...[0, 1, 2].map((k) => at.scene.parts[BODY].skin.positions[p * 3 + k] - before[p * 3 + k]),
        ),
    ),
  );
  // Blended points are moved by less.
  expect(Math.max(...far)).toBe(100);
  expect(Math.min(...far)).toBeGreaterThan(60);
});

test('split, the halves dialled alike are the whole; the whole stays here; one undo takes both away', async () => {
  const [whole] = at.scene.morphs.shapes;
  await splitShape(at, whole);
  const { shapes } = at.scene.morphs;
  expect(shapes.map(({ name, isLeftOut, isMade }) => [name, isLeftOut, isMade])).toEqual([
    ['raise', true, false],
    ['raise left', false, true],
    ['raise right', false, true],
  ]);
  const rest = [...at.scene.parts[BODY].skin.positions];
  for (const { key } of shapes.slice(1)) {
    at.scene.morphs.dial(key, 1);
    at.scene.morphs.settle();
  }
  for (const p of raised) expect(height(p)).toBeCloseTo(rest[p * 3 + 1] + 0.1, 5);
  // All of it lies on the left.
  const [, left, right] = at.scene.morphs.shapes;
  expect(Math.min(...raised.map((p) => maskOfShape(at.document, left, BODY)?.[p] ?? 0))).toBe(1);
  expect(Math.max(...raised.map((p) => maskOfShape(at.document, right, BODY)?.[p] ?? 1))).toBe(0);
  at.document.settle();
  for (let i = 0; i < 3; i++) await at.document.undo();
  expect(at.scene.morphs.shapes.map(({ name, isLeftOut }) => [name, isLeftOut])).toEqual([['raise', false]]);
  expect(at.document.saved.masks).toEqual([]);
});

test('by a mask each point takes so much of it, and its relief is what it moves', async () => {
  const amounts = new Float32Array(at.scene.parts[BODY].part.pointCount);
  for (const p of ringPoints(16)) amounts[p] = 0.6;
  const mask = await at.document.saved.saveMask('ring', new Map([[BODY, amounts]]));
  at.shapeLook.show('0');
  expect(at.scene.amounts?.[BODY][raised[0]]).toBe(1);
  changeShape(at, at.scene.morphs.shapes[0], { mask });
  expect(at.document.settings.shapes['0']).toEqual({ mask });
  for (const p of raised) expect(at.scene.amounts?.[BODY][p]).toBeCloseTo(amounts[p], 5);
  const rest = [...at.scene.parts[BODY].skin.positions];
  at.scene.morphs.dial('0', 1);
  for (const p of raised) expect(height(p)).toBeCloseTo(rest[p * 3 + 1] + 0.1 * amounts[p], 5);
  at.scene.morphs.settle();
  changeShape(at, at.scene.morphs.shapes[0], { mask: undefined });
  expect(at.document.values[shapePath('0')]).toBeUndefined();
  at.shapeLook.show(undefined);
  expect(at.scene.amounts).toBeUndefined();
});

test('all go back to how the file has them, in one edit', async () => {
  at.scene.morphs.dial('0', 2);
  at.scene.morphs.reset();
  await saved(at);
  expect(doneLabels(at)).toEqual(['Shape raise', 'All shapes as they came']);
  expect(at.scene.morphs.shapes[0].amount).toBe(0);
});

test('by a joint’s turn it goes on, on the stage, in each picture of the strip and in what is measured', () => {
  at.scene.chooseJoint(ARM_L);
  const before = at.scene.strip.positions.map((places) => [...places]);
  const turn = { joint: ARM_L, axis: 'z', from: 0, to: 60 } as const;
  changeShape(at, at.scene.morphs.shapes[0], { turn });
  const rest = [...at.scene.parts[BODY].skin.rest];
  // At rest it is off; the pictures bend about x: it is off there too.
  expect(at.scene.strip.positions.map((places) => [...places])).toEqual(before);
  at.scene.setPose(turned({ [ARM_L]: ['z', 30] }));
  const { skin } = at.scene.parts[BODY];
  for (const p of raised) expect(skin.rest[p * 3 + 1]).toBeCloseTo(rest[p * 3 + 1] + 0.05, 5);
  at.scene.strip.setBend('z', 30);
  // Pictures of a pose leave the stage's alone once that is deformed again.
  at.scene.showPose(turned({ [ARM_L]: ['z', 90] }));
  for (const p of raised) expect(skin.rest[p * 3 + 1]).toBeCloseTo(rest[p * 3 + 1] + 0.1, 5);
  const [far] = [lookOf(at.document).morphs?.[BODY]];
  expect(far?.[0]).toMatchObject({ amount: 0, turn: { ...turn, parent: expect.any(Number) } });
  changeShape(at, at.scene.morphs.shapes[0], { turn: undefined });
  expect([...skin.rest]).toEqual(rest);
});
