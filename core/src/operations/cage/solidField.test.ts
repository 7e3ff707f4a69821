import { expect, test } from '@jest/globals';
import type { DeepGrid } from '../../spatial/voxelize.ts';
import { SolidField } from './solidField.ts';

const [nx, ny, nz] = [9, 7, 6];

/** A grid of cells half a unit wide, two of them solid. */
function gridOf(solidCells: readonly (readonly [number, number, number])[]): DeepGrid {
  const solid = new Uint8Array(nx * ny * nz);
  for (const [x, y, z] of solidCells) solid[(z * ny + y) * nx + x] = 1;
  return { nx, ny, nz, size: 0.5, origin: [1, 0, -1], solid, depth: new Float32Array(solid.length) };
}

test('a field is how far the nearest solid cell is, and beyond the grid how far that is besides', () => {
  const cells = [[2, 3, 1] as const, [7, 1, 4] as const];
  const field = new SolidField(gridOf(cells));
  const middle = ([x, y, z]: readonly number[]): [number, number, number] => [
    1 + (x + 0.5) * 0.5,
    (y + 0.5) * 0.5,
    -1 + (z + 0.5) * 0.5,
  ];
  for (let z = 0; z < nz - 1; z++)
    for (let y = 0; y < ny - 1; y++)
      for (let x = 0; x < nx - 1; x++) {
        const place = middle([x, y, z]);
        const nearest = Math.min(
          ...cells.map((cell) => Math.hypot(...middle(cell).map((k, i) => k - place[i]))),
        );
        expect(field.at(...place)).toBeCloseTo(nearest, 5);
      }
  const [x, y, z] = middle([2, 3, 1]);
  expect(field.at(x - 100, y, z)).toBeCloseTo(100, 1);
  const way = new Float64Array(3);
  field.outwards(x - 0.5, y, z, way);
  expect([...way]).toEqual([expect.closeTo(-1, 3), expect.closeTo(0, 3), expect.closeTo(0, 3)]);
});
