import { expect, test } from '@jest/globals';
import { recoverQuads } from '../../mesh/quads.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { grid, rowsFrom } from '../../testing/shapes.ts';
import { copyRows, type WeightRows } from '../../weights/rows.ts';
import { differenceAmounts } from './differenceAmounts.ts';
import { listDifferences } from './listDifferences.ts';

const SIDE = 6;
const sheet = grid(SIDE, SIDE);
const pointCount = sheet.positions.length / 3;
const neighbours = findNeighbours(recoverQuads(sheet.triangles, sheet.positions), pointCount);
const before = rowsFrom(Array.from({ length: pointCount }, () => ({ 0: 0.6, 1: 0.4 })));

/** The same, with points given to other shares. */
function changed(rows: Readonly<Record<number, [number, number][]>>): WeightRows {
  const after = copyRows(before);
  for (const [p, row] of Object.entries(rows))
    row.forEach(([joint, value], k) => {
      after.joints[Number(p) * after.stride + k] = joint;
      after.values[Number(p) * after.stride + k] = value;
    });
  return after;
}

const amounts = (a: WeightRows, b: WeightRows, joint: number): Float32Array => {
  const out = new Float32Array(pointCount);
  differenceAmounts(a, b, joint, out);
  return out;
};

test('a state does not differ from itself', () => {
  expect(amounts(before, copyRows(before), -1).every((amount) => amount === 0)).toBe(true);
  expect(listDifferences([before], [copyRows(before)], [neighbours])).toEqual({
    joints: [],
    places: [],
    points: 0,
  });
});

test('amounts are signed for a joint, and half the summed difference for all, whatever the order of joints', () => {
  const after = changed({
    3: [
      [1, 0.9],
      [0, 0.1],
    ],
    4: [
      [2, 1],
      [0, 0],
    ],
  });
  expect(amounts(before, after, 0)[3]).toBeCloseTo(-0.5, 6);
  expect(amounts(before, after, 1)[3]).toBeCloseTo(0.5, 6);
  expect(amounts(before, after, -1)[3]).toBeCloseTo(0.5, 6);
  expect(amounts(after, before, -1)[3]).toBeCloseTo(0.5, 6);
  expect(amounts(before, after, -1)[4]).toBeCloseTo(1, 6);
  expect(amounts(after, before, -1)[4]).toBeCloseTo(1, 6);
});

test('joints and places are listed, most changed first; places that hang together are one', () => {
  const far = pointCount - 1;
  const after = changed({
    0: [
      [0, 0.5],
      [1, 0.5],
    ],
    1: [
      [0, 0.5],
      [1, 0.5],
    ],
    [far]: [
      [2, 0.9],
      [0, 0.1],
    ],
  });
  const { joints, places, points } = listDifferences([before], [after], [neighbours]);
  expect(points).toBe(3);
  expect(joints.map(({ joint }) => joint)).toEqual([2, 0, 1]);
  expect(joints[0]).toMatchObject({ points: 1, point: far, part: 0 });
  expect(joints[0].more).toBeCloseTo(0.9, 6);
  expect(places.map(({ points: list }) => [...list])).toEqual([[far], [0, 1]]);
  expect(places[0]).toMatchObject({ joint: 2, point: far });
});
