import { beforeEach, describe, expect, test } from '@jest/globals';
import { relaxedParts } from '../../document/look.ts';
import { drag, pointer, TestStage } from '../../testing/testStage.ts';
import { BODY, doneLabels, openForEach, ringPoints, until } from '../../testing/testWorkspace.ts';
import type { Workspace } from '../../workspace/Workspace.ts';
import { strokeGesture } from './strokeGesture.ts';

let at: Workspace;
let stage: TestStage;
openForEach((opened) => ({ at } = opened));

beforeEach(async () => {
  stage = new TestStage(at);
  stage.settings = { ...stage.settings, tool: 'add', strength: 1, depth: 'surface' };
  const id = await at.document.saved.saveMask(
    'soft',
    new Map(at.scene.parts.map(({ index, part }) => [index, new Float32Array(part.pointCount)])),
  );
  at.masks.start(id);
});

/** A stroke along the front of the tube, between two places of its length; until it is kept. */
async function stroke(from: number, to: number): Promise<void> {
  const before = doneLabels(at).length;
  const [first, last] = [from, to].map((x) => stage.spotOf(x, 0, 0.4));
  const hit = stage.sight.pick(first.x, first.y);
  if (!hit) throw new Error('The stroke began beside the body.');
  const gesture = strokeGesture(stage.context, hit, first, pointer());
  if (!gesture) throw new Error('There is no stroke.');
  drag(gesture, [{ x: (first.x + last.x) / 2, y: first.y }, last]);
  await until('the stroke is kept', () => doneLabels(at).length > before);
}

const sum = (): number => at.masks.amounts[BODY].reduce((total, amount) => total + amount, 0);

describe('a mask under the brush', () => {
  test('takes what is painted, as one edit; undone it is as before; weights stay', async () => {
    const weights = at.document.copyRows();
    await stroke(-0.5, 0.5);
    expect(doneLabels(at).at(-1)).toBe('Add, mask soft');
    expect(sum()).toBeGreaterThan(1);
    for (const amount of at.masks.amounts[BODY]) {
      expect(amount).toBeGreaterThanOrEqual(0);
      expect(amount).toBeLessThanOrEqual(1);
    }
    expect(at.document.rowsOfPart()[BODY].values).toEqual(weights[BODY].values);
    await at.document.undo();
    await until('it is undone', () => sum() === 0);
  });

  test('is undone at once, though it is still being kept', async () => {
    const weights = at.document.copyRows();
    await stroke(-0.5, 0.5);
    at.masks.change('Fill', () => 1);
    await at.document.undo();
    await until('the filling is undone, and the stroke is there', () => sum() > 1 && sum() < 150);
    expect(doneLabels(at).at(-1)).toBe('Add, mask soft');
    expect(at.document.rowsOfPart()[BODY].values).toEqual(weights[BODY].values);
  });

  test('gives back what is taken away, also where it had all', async () => {
    at.masks.change('Fill', () => 1);
    await until('it is filled', () => doneLabels(at).at(-1) === 'Fill, mask soft');
    const full = sum();
    stage.settings = { ...stage.settings, tool: 'take' };
    await stroke(-0.5, 0.5);
    expect(sum()).toBeLessThan(full - 1);
  });

  test('is painted within the selection alone', async () => {
    const ring = ringPoints(12);
    at.scene.selection.choosePoints(new Map([[BODY, ring]]), 'replace');
    await stroke(-0.5, 0.5);
    expect(sum()).toBeGreaterThan(0.5);
    at.masks.amounts[BODY].forEach((amount, p) => {
      if (!ring.includes(p)) expect(amount).toBe(0);
    });
  });

  test('says how much of relaxing each point takes', async () => {
    await stroke(-0.5, 0.5);
    const { current } = at.masks;
    at.document.changeSettings({
      relaxing: { passes: 5, strength: 1, keepsVolume: false, mask: current?.id ?? '' },
    });
    const amounts = relaxedParts(at.document)?.amounts[BODY];
    expect(amounts?.length).toBe(at.scene.parts[BODY].part.pointCount);
    amounts?.forEach((amount, p) => expect(amount).toBeCloseTo(at.masks.amounts[BODY][p], 2));
  });

  test('under another name goes on being painted', async () => {
    at.document.saved.renameMask(at.masks.current?.id ?? '', 'softer');
    await until('it has its name', () => at.masks.current?.name === 'softer');
    await stroke(-0.5, 0.5);
    expect(doneLabels(at).at(-1)).toBe('Add, mask softer');
  });

  test('that is taken away is painted no more', async () => {
    at.document.saved.removeMask(at.masks.current?.id ?? '');
    await until('it is gone', () => at.masks.current === undefined);
    expect(at.masks.amounts).toHaveLength(0);
  });
});
