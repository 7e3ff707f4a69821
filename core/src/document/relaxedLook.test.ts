import { expect, test } from '@jest/globals';
import { findNeighbours } from '../mesh/topology.ts';
import { relaxAmounts } from './relaxedLook.ts';

/** A strip of eight points in a row, as triangles that share edges: point i is next to i ± 1 and i ± 2. */
const strip = Uint32Array.from({ length: 18 }, (_, i) => Math.floor(i / 3) + (i % 3));
const neighbours = findNeighbours(
  { offsets: Uint32Array.from({ length: 7 }, (_, t) => 3 * t), points: strip },
  8,
);

test('all of it in the selection, half of it half way through the rings, nothing beyond', () => {
  const amounts = relaxAmounts(neighbours, 8, Uint32Array.from([0]), 1);
  expect([...amounts]).toEqual([1, 0.5, 0.5, 0, 0, 0, 0, 0]);
});

test('without rings it ends at the selection; without a selection there is none', () => {
  expect([...relaxAmounts(neighbours, 8, Uint32Array.from([2, 3]), 0)]).toEqual([0, 0, 1, 1, 0, 0, 0, 0]);
  expect([...relaxAmounts(neighbours, 8, new Uint32Array(0), 4)]).toEqual(Array(8).fill(0));
});
