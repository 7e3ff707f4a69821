import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { grid, rowsFrom } from '../../testing.ts';
import { recoverQuads } from '../../mesh/quads.ts';
import { findNeighbours, markApart } from '../../mesh/topology.ts';
import { readColumn } from '../../weights/setWeights.ts';
import { countStrays } from './countStrays.ts';
import { TINY_WEIGHT } from '../../weights/rows.ts';

const { positions, triangles } = grid(4, 4);
const neighbours = findNeighbours(recoverQuads(triangles, positions), 25);

test('a patch apart and a tiny weight stray; the main region does not', () => {
  //  joint 1 holds the left column and, alone in a corner, point 24; point 12 has a hundredth of it
  const rows = rowsFrom(
    Array.from({ length: 25 }, (_, p) =>
      p % 5 === 0 || p === 24 ? { 1: 1 } : p === 12 ? { 0: 0.99, 1: 0.01 } : { 0: 1 },
    ),
  );
  expect([...countStrays(rows, neighbours, 3)]).toEqual([0, 2, 0]);
});

test('an island that follows whole is not apart', () => {
  //  two triangles that do not touch; joint 1 has the first in part and the second whole
  const apart = findNeighbours(
    { offsets: Uint32Array.from([0, 3, 6]), points: Uint32Array.from([0, 1, 2, 3, 4, 5]) },
    6,
  );
  const rows = rowsFrom([{ 0: 1 }, { 1: 1 }, { 0: 1 }, { 1: 1 }, { 1: 1 }, { 1: 1 }]);
  // The larger piece is the main one; the smaller has a border and strays.
  expect([...countStrays(rows, apart, 2)]).toEqual([0, 1]);
  const whole = rowsFrom([{ 1: 1 }, { 1: 1 }, { 1: 1 }, { 1: 1 }, { 1: 1 }, { 1: 1 }]);
  expect([...countStrays(whole, apart, 2)]).toEqual([0, 0]);
});

test('agrees with marking one joint at a time', () => {
  const arbitraryPoint = fc.tuple(fc.nat(3), fc.nat(3), fc.constantFrom(0.01, 0.3, 0.5));
  fc.assert(
    fc.property(fc.array(arbitraryPoint, { minLength: 25, maxLength: 25 }), (points) => {
      const rows = rowsFrom(points.map(([a, b, w]) => (a === b ? { [a]: 1 } : { [a]: 1 - w, [b]: w })));
      const strays = countStrays(rows, neighbours, 4);
      const column = new Float32Array(25);
      const marks = new Uint8Array(25);
      for (let joint = 0; joint < 4; joint++) {
        readColumn(rows, joint, column);
        markApart(neighbours, column, marks);
        const expected = column.reduce(
          (n, w, p) => n + (w > 0 && (w < TINY_WEIGHT || marks[p] === 1) ? 1 : 0),
          0,
        );
        // Two pieces of equal weight: either may count as the main one.
        const held = column.reduce((n, w) => n + (w > 0 ? 1 : 0), 0);
        if (strays[joint] !== expected) expect(strays[joint]).toBeLessThan(held);
        else expect(strays[joint]).toBe(expected);
      }
    }),
  );
});
