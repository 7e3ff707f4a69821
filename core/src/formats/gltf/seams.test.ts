import { describe, expect, test } from '@jest/globals';
import { checkInput, checkUp } from '../../analysis/checkUp/index.ts';
import type { Character } from '../../document/character.ts';
import { repairWeights } from '../../operations/repair/repairWeights.ts';
import { rowsFrom } from '../../testing/shapes.ts';
import { apply, copyRow, invert } from '../../weights/delta.ts';
import { rowSum, weightOf, type WeightRows } from '../../weights/rows.ts';
import { exportCharacter } from './exportCharacter.ts';
import { readCharacter } from './readCharacter.ts';
import { TEST_JOINTS, TEST_POSITIONS, TEST_WEIGHTS, testContainer } from './testGlb.ts';

// Vertex 6 stands where vertex 4 does and follows the hip by 0.4, where vertex 4 follows the knee alone.
const SEAM = 4;
const torn = () =>
  testContainer({
    positions: [...TEST_POSITIONS, 0, 2, 0],
    weights: [...TEST_WEIGHTS, 0.6, 0.4, 0, 0],
    joints: [...TEST_JOINTS, 1, 0, 0, 0],
  });
const copied = (rows: WeightRows): WeightRows => ({
  ...rows,
  joints: rows.joints.slice(),
  values: rows.values.slice(),
});
const findingOf = (character: Character, rows: readonly WeightRows[]) =>
  checkUp(character, { rows }).find(({ code }) => code === 'seams-disagree');

describe('vertices of one place that disagree', () => {
  test('are found, with how many and by how much, and leave to the bit', async () => {
    const container = torn();
    const character = await readCharacter(container);
    expect(findingOf(character, character.rows)).toMatchObject({
      count: 1,
      points: Uint32Array.of(SEAM),
      message: expect.stringMatching(/1 point have different weights, by up to 0\.40\./),
    });
    const out = exportCharacter(container, character, character.rows);
    expect(out.json).toEqual(container.json);
    expect(out.buffers).toEqual(container.buffers);
  });

  test('an edit elsewhere leaves them, also where all of the weights have to be written anew', async () => {
    const container = torn();
    // Whole numbers give way to floats when something is edited: no vertex can be left where it was.
    const accessor = (container.json.accessors ?? [])[3];
    const { byteOffset } = (container.json.bufferViews ?? [])[3];
    const weights = [...TEST_WEIGHTS, 0.6, 0.4, 0, 0];
    const bytes = weights.map((weight, i) => (weight === 0.5 ? 127 + (i % 2) : Math.round(weight * 255)));
    Object.assign(accessor, { componentType: 5121, normalized: true });
    container.buffers[0].set(bytes, byteOffset ?? 0);
    const character = await readCharacter(container);
    const rows = copied(character.rows[0]);
    copyRow(rowsFrom([{ 0: 0.5, 1: 0.5 }]), 0, rows, 0);
    const { seams } = (await readCharacter(exportCharacter(container, character, [rows]))).sourceWeights[0];
    expect([0, 1].map((i) => weightOf(seams.rows, i, 0))).toEqual([0, expect.closeTo(0.4, 6)]);
  });

  test('one that is painted leaves as it was painted, for all of its vertices', async () => {
    const container = torn();
    const character = await readCharacter(container);
    const rows = copied(character.rows[0]);
    copyRow(rowsFrom([{ 0: 0.25, 1: 0.75 }]), 0, rows, SEAM);
    expect(findingOf(character, [rows])).toBeUndefined();
    const back = await readCharacter(exportCharacter(container, character, [rows]));
    expect(back.sourceWeights[0].seams.points.length).toBe(0);
    expect(weightOf(back.rows[0], SEAM, 0)).toBeCloseTo(0.25, 6);
  });

  test('repaired they have their mean, twice changes nothing more, and undo brings them back to the bit', async () => {
    const container = torn();
    const character = await readCharacter(container);
    const rows = [copied(character.rows[0])];
    const locks = new Uint8Array(2);
    const repair = (): number => {
      const finding = findingOf(character, rows);
      const { change } = repairWeights(checkInput(character, { rows }), finding ? [finding] : [], locks);
      apply(rows, change);
      return change.length;
    };
    expect(repair()).toBe(1);
    expect([weightOf(rows[0], SEAM, 0), rowSum(rows[0], SEAM)]).toEqual([
      expect.closeTo(0.2, 6),
      expect.closeTo(1, 6),
    ]);
    expect(findingOf(character, rows)).toBeUndefined();
    expect(repair()).toBe(0);
    const { change } = repairWeights(
      checkInput(character, {}),
      [findingOf(character, character.rows)].flatMap((finding) => finding ?? []),
      locks,
    );
    apply(rows, invert(change));
    expect(rows[0]).toEqual(character.rows[0]);
    expect(findingOf(character, rows)).toBeDefined();
  });

  test('a lock on one of their joints keeps them', async () => {
    const character = await readCharacter(torn());
    const finding = findingOf(character, character.rows);
    const { change } = repairWeights(
      checkInput(character, {}),
      finding ? [finding] : [],
      Uint8Array.of(1, 0),
    );
    expect(change).toEqual([]);
  });
});
