import { describe, expect, test } from '@jest/globals';
import { blendBorders } from './paint/blendBorders.ts';
import { createPaintWorkspace, Stroke, type BrushSettings } from './paint/stroke.ts';
import { tieToJoint } from './bind/tie.ts';
import { rowsFrom } from '../testing/shapes.ts';
import { areasOf, mayWeigh, type Confines } from '../weights/confines.ts';
import { apply } from '../weights/delta.ts';
import { changeInfluence, OTHERS, type Receiver } from '../weights/influence.ts';
import { moveWeight } from './exact/moveWeight.ts';
import { createRowBatch } from '../weights/rowBatch.ts';
import { rowSum, weightOf, type WeightRows } from '../weights/rows.ts';
import { createPlainMemory } from '../memory/kernelMemory.ts';

const memory = createPlainMemory();
/** Four points in a line. */
const neighbours = { offsets: Uint32Array.of(0, 1, 3, 5, 6), points: Uint32Array.of(1, 0, 2, 1, 3, 2) };
/** Joint 1 may weigh on the first two points only. */
const confines: Confines = new Map([[1, new Map([[0, Uint8Array.of(1, 1, 0, 0)]])]]);
const locks = new Uint8Array(4);
const rules = { locks, limit: 4, confines };
const areas = areasOf(confines, 0);
const line = (): WeightRows =>
  rowsFrom([{ 1: 1 }, { 0: 0.5, 1: 0.5 }, { 0: 0.8, 1: 0.2 }, { 0: 0.5, 2: 0.5 }]);
const column = (rows: WeightRows, joint: number): number[] =>
  [0, 1, 2, 3].map((p) => weightOf(rows, p, joint));
const near = (...values: number[]) => values.map((value) => expect.closeTo(value, 5));
const all = Uint32Array.of(0, 1, 2, 3);

function painted(more: Partial<BrushSettings>, points = [0, 1, 2, 3]): WeightRows {
  const rows = line();
  const workspace = createPaintWorkspace(memory, 4, rows.stride, neighbours);
  const settings = {
    tool: 'add',
    joint: 1,
    strength: 1,
    value: 0,
    allInfluences: false,
    limit: 4,
    areas,
  } as const;
  const stroke = new Stroke(0, rows, workspace, { ...settings, ...more }, locks);
  workspace.points.set(points);
  workspace.amounts.fill(0.5);
  stroke.dab(points.length);
  for (const p of points) expect(rowSum(rows, p)).toBeCloseTo(1, 6);
  return rows;
}

test('a part that is not named is closed to the joint; other joints may go anywhere', () => {
  expect(mayWeigh(areas, 1, 1)).toBe(true);
  expect(mayWeigh(areas, 1, 2)).toBe(false);
  expect(mayWeigh(areasOf(confines, 7), 1, 0)).toBe(false);
  expect(mayWeigh(areas, 0, 3)).toBe(true);
  expect(areasOf(new Map(), 0)).toBeUndefined();
});

describe('brushes', () => {
  test('add gives nothing beyond the area; take takes there too', () => {
    expect(column(painted({}), 1)).toEqual(near(1, 1, 0.2, 0));
    expect(column(painted({ tool: 'take' }, [1, 2]), 1)).toEqual(near(1, 0, 0, 0));
  });

  test('smoothing, one joint or all, does not carry a joint out of its area', () => {
    for (const allInfluences of [false, true]) {
      const rows = painted({ tool: 'smooth', allInfluences });
      expect(weightOf(rows, 2, 1)).toBeLessThanOrEqual(Math.fround(0.2));
      expect(weightOf(rows, 3, 1)).toBe(0);
      expect(weightOf(rows, 1, 1)).not.toBeCloseTo(0.5, 3);
    }
  });

  test('points that touch do not carry it over either', () => {
    const rows = line();
    const workspace = createPaintWorkspace(memory, 4, rows.stride, neighbours);
    const stroke = new Stroke(
      0,
      rows,
      workspace,
      { tool: 'smooth', joint: 0, strength: 1, value: 0, allInfluences: true, limit: 4, areas },
      locks,
    );
    stroke.approach(3, rows, 1, 0.5);
    expect(column(rows, 1)[3]).toBe(0);
    expect(rowSum(rows, 3)).toBeCloseTo(1, 6);
  });
});

describe('receivers', () => {
  const take = (receiver: Receiver): { rows: WeightRows; held: number } => {
    const rows = line();
    const { delta, held } = changeInfluence(0, rows, all, 0, () => 0, {
      receiver,
      limit: 4,
      locks,
      areas,
      neighbours,
    });
    apply([rows], [delta]);
    return { rows, held };
  };

  test('a joint receives nothing out of its area: the weight stays, and is counted', () => {
    const { rows, held } = take({ kind: 'joint', joint: 1 });
    expect(column(rows, 1)).toEqual(near(1, 1, 0.2, 0));
    expect(held).toBe(2);
  });

  test('what the neighbours have, without what may not be there', () => {
    const { rows } = take({ kind: 'neighbours' });
    expect(column(rows, 1)[3]).toBe(0);
    // Point 2 gets from its neighbours joint 2 alone.
    expect(column(rows, 2)[2]).toBeCloseTo(0.8, 5);
  });

  test('set, one at a time or by the batch: it may fall out there, and not rise', () => {
    for (const batch of [undefined, createRowBatch(memory, 8)]) {
      const rows = line();
      const set = (value: number): void =>
        apply(
          [rows],
          [
            changeInfluence(0, rows, all, 1, () => value, { receiver: OTHERS, limit: 4, locks, areas, batch })
              .delta,
          ],
        );
      set(0.9);
      expect(column(rows, 1)).toEqual(near(1, 0.9, 0.2, 0));
      set(0.1);
      expect(column(rows, 1)).toEqual(near(1, 0.1, 0.1, 0));
    }
  });
});

test('moving, tying and blending keep to the area too', () => {
  const moved = line();
  apply([moved], [moveWeight(0, moved, 0, 1, rules)]);
  expect(column(moved, 1)).toEqual(near(1, 1, 0.2, 0));
  const tied = line();
  apply([tied], [tieToJoint(0, tied, all, 1, rules)]);
  expect(column(tied, 1)).toEqual(near(1, 1, 0.2, 0));
  const blended = rowsFrom([{ 1: 1 }, { 1: 1 }, { 0: 1 }, { 0: 1 }]);
  const workspace = createPaintWorkspace(memory, 4, blended.stride, neighbours);
  apply([blended], [blendBorders(0, blended, workspace, 2, rules)]);
  expect(column(blended, 1).slice(2)).toEqual([0, 0]);
  expect(weightOf(blended, 1, 0)).toBeGreaterThan(0.1);
});
