import { describe, expect, test } from '@jest/globals';
import { rowsFrom } from '../../testing/shapes.ts';
import { apply, invert } from '../../weights/delta.ts';
import { rowSum, weightOf, type WeightRows } from '../../weights/rows.ts';
import { createPaintWorkspace, Stroke, type BrushSettings } from './stroke.ts';
import { createPlainMemory } from '../../memory/kernelMemory.ts';

/** Three points in a line. */
const neighbours = { offsets: Uint32Array.of(0, 1, 3, 4), points: Uint32Array.of(1, 0, 2, 1) };
const SETTINGS: BrushSettings = {
  tool: 'add',
  joint: 0,
  strength: 1,
  value: 0,
  allInfluences: false,
  limit: 4,
};

function paint(
  rows: WeightRows,
  more: Partial<BrushSettings>,
  dabs: readonly (readonly [points: number[], amount: number, joint?: number])[],
  locks = new Uint8Array(6),
) {
  const workspace = createPaintWorkspace(createPlainMemory(), rows.pointCount, rows.stride, neighbours);
  const stroke = new Stroke(0, rows, workspace, { ...SETTINGS, ...more }, locks);
  for (const [points, amount, joint] of dabs) {
    workspace.points.set(points);
    workspace.amounts.fill(amount, 0, points.length);
    stroke.dab(points.length, 1, joint);
  }
  for (let p = 0; p < rows.pointCount; p++) expect(rowSum(rows, p)).toBeCloseTo(1, 6);
  return stroke.finish();
}
const line = (): WeightRows => rowsFrom([{ 0: 0.6, 1: 0.4 }, { 0: 0.6, 2: 0.4 }, { 3: 1 }]);

describe('one pass', () => {
  test('however often the brush comes by, a point gets what its nearest pass gives', () => {
    const rows = line();
    paint(rows, { tool: 'take', singlePass: true }, [
      [[0], 0.1],
      [[0], 0.25],
      [[0], 0.2],
      [[0], 0.25],
    ]);
    expect(weightOf(rows, 0, 0)).toBeCloseTo(0.35, 6);
  });

  test('toward a value too; building up goes on', () => {
    const rows = line();
    paint(rows, { tool: 'set', value: 1, singlePass: true }, [
      [[0], 0.25],
      [[0], 0.5],
      [[0], 0.5],
    ]);
    expect(weightOf(rows, 0, 0)).toBeCloseTo(0.8, 6);
    const built = line();
    paint(built, { tool: 'set', value: 1 }, [
      [[0], 0.5],
      [[0], 0.5],
    ]);
    expect(weightOf(built, 0, 0)).toBeCloseTo(0.9, 6);
  });
});

describe('who receives', () => {
  test('a joint, or what the neighbours have; told where nothing can', () => {
    const to = line();
    paint(to, { tool: 'take', receiver: { kind: 'joint', joint: 5 } }, [[[0], 0.3]]);
    expect(weightOf(to, 0, 5)).toBeCloseTo(0.3, 6);
    expect(weightOf(to, 0, 1)).toBeCloseTo(0.4, 6);
    const like = line();
    paint(like, { tool: 'take', receiver: { kind: 'neighbours' } }, [[[0], 0.3]]);
    expect(weightOf(like, 0, 2)).toBeCloseTo(0.3, 6);
    const locked = line();
    const { report, delta } = paint(
      locked,
      { tool: 'take', receiver: { kind: 'joint', joint: 5 } },
      [[[0], 0.3]],
      Uint8Array.of(0, 0, 0, 0, 0, 1),
    );
    expect(report.noReceiver).toBe(1);
    expect(delta.points).toHaveLength(0);
  });
});

test('a mask keeps points out, and the rest is painted', () => {
  const rows = line();
  const { delta } = paint(rows, { mask: Uint8Array.of(0, 1, 1) }, [[[0, 1], 0.2]]);
  expect([...delta.points]).toEqual([1]);
});

test('a mirrored dab paints another joint, in the same delta', () => {
  const rows = line();
  const { delta } = paint(rows, {}, [
    [[0], 0.2],
    [[2], 0.2, 4],
  ]);
  expect([...delta.points]).toEqual([0, 2]);
  expect(weightOf(rows, 2, 4)).toBeCloseTo(0.2, 6);
});

test('Scale multiplies; Sharpen steepens a border and leaves flat weights', () => {
  const scaled = line();
  paint(scaled, { tool: 'scale', value: 0.5 }, [[[0], 1]]);
  expect(weightOf(scaled, 0, 0)).toBeCloseTo(0.3, 6);
  const border = rowsFrom([
    { 0: 0.8, 1: 0.2 },
    { 0: 0.6, 1: 0.4 },
    { 0: 0.3, 1: 0.7 },
  ]);
  paint(border, { tool: 'sharpen' }, [[[0, 1, 2], 0.5]]);
  expect(weightOf(border, 0, 0)).toBeGreaterThan(0.8);
  expect(weightOf(border, 2, 0)).toBeLessThan(0.3);
  const flat = rowsFrom([{ 0: 1 }, { 0: 1 }, { 0: 1 }]);
  expect(paint(flat, { tool: 'sharpen' }, [[[0, 1, 2], 1]]).delta.points).toHaveLength(0);
});

describe('points that touch come together', () => {
  const meet = (rows: WeightRows, more: Partial<BrushSettings>, share: number, locks = new Uint8Array(6)) => {
    const workspace = createPaintWorkspace(createPlainMemory(), rows.pointCount, rows.stride, neighbours);
    const settings = { ...SETTINGS, tool: 'smooth' as const, ...more };
    const stroke = new Stroke(0, rows, workspace, settings, locks);
    stroke.approach(0, rows, 2, share / 2);
    stroke.approach(2, rows, 0, share / 2 / (1 - share / 2));
    for (const p of [0, 2]) expect(rowSum(rows, p)).toBeCloseTo(1, 6);
    return stroke.finish();
  };

  test('with a share of one, both get the mean of their rows, as one undoable change', () => {
    const rows = line();
    const { delta } = meet(rows, { allInfluences: true }, 1);
    for (const p of [0, 2])
      expect([0, 1, 3].map((joint) => weightOf(rows, p, joint))).toEqual(
        [0.3, 0.2, 0.5].map((value) => expect.closeTo(value, 6)),
      );
    apply([rows], invert([delta]));
    expect(rows).toEqual(line());
  });

  test('one joint alone; a locked joint keeps what it has; the mask holds', () => {
    const one = line();
    meet(one, {}, 0.5);
    expect(weightOf(one, 0, 0)).toBeCloseTo(0.45, 6);
    expect(weightOf(one, 2, 0)).toBeCloseTo(0.15, 6);
    const locked = line();
    meet(locked, { allInfluences: true }, 1, Uint8Array.of(0, 1, 0, 0, 0, 0));
    expect(weightOf(locked, 0, 1)).toBe(Math.fround(0.4));
    const masked = line();
    const { delta } = meet(masked, { allInfluences: true, mask: Uint8Array.of(1, 0, 0) }, 1);
    expect([...delta.points]).toEqual([0]);
  });
});

describe('handles of a drawing', () => {
  // 0 is an anchor, 1 its handle, 2 a handle of it that was set apart.
  const anchors = Uint32Array.of(0, 0, 0);
  const layer = (): WeightRows => rowsFrom([{ 0: 0.2, 1: 0.8 }, { 0: 0.2, 1: 0.8 }, { 3: 1 }]);

  test('go along with their anchor, once, and are a part of the stroke; one that was set apart is painted by itself', () => {
    const rows = layer();
    const { delta } = paint(rows, { anchors }, [
      [[0], 0.25],
      [[0, 1], 0.25],
    ]);
    expect(weightOf(rows, 0, 0)).toBeCloseTo(0.7, 6);
    expect(weightOf(rows, 1, 0)).toBeCloseTo(0.7, 6);
    expect(weightOf(rows, 2, 3)).toBe(1);
    expect([...delta.points]).toEqual([0, 1]);
    apply([rows], invert([delta]));
    expect(rows).toEqual(layer());
    paint(rows, { anchors }, [[[2], 0.5]]);
    expect(weightOf(rows, 2, 0)).toBeCloseTo(0.5, 6);
  });

  test('are not painted without their anchor, nor where the mask leaves them out', () => {
    const rows = layer();
    paint(rows, { anchors }, [[[1], 0.5]]);
    expect(rows).toEqual(layer());
    paint(rows, { anchors, mask: Uint8Array.of(1, 0, 1) }, [[[0], 0.5]]);
    expect([weightOf(rows, 0, 0), weightOf(rows, 1, 0)].map((w) => w.toFixed(3))).toEqual(['0.700', '0.200']);
  });
});
