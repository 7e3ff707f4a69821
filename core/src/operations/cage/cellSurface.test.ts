import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { cellSurface, type QuadSurface } from './cellSurface.ts';
import { type Across, type CoarseCells, fillDiagonals } from './coarseCells.ts';

const INNER = 3;
const ACROSS: Across = { axis: 0, middle: 2.5 };

/** Cells of a block of three by three by three, with empty ones around. */
function cellsOf(isFilled: (x: number, y: number, z: number) => boolean): CoarseCells {
  const n = INNER + 2;
  const filled = new Uint8Array(n ** 3);
  for (let z = 1; z <= INNER; z++)
    for (let y = 1; y <= INNER; y++)
      for (let x = 1; x <= INNER; x++) if (isFilled(x, y, z)) filled[(z * n + y) * n + x] = 1;
  fillDiagonals(filled, [n, n, n]);
  return { counts: [n, n, n], origin: [0, 0, 0], size: 1, filled };
}

/** How often each side of a quad is run, from one point to the other. */
function sidesOf({ quads }: QuadSurface): Map<string, number> {
  const sides = new Map<string, number>();
  quads.forEach((a, i) => {
    const key = `${a} ${quads[(i & ~3) | ((i + 1) & 3)]}`;
    sides.set(key, (sides.get(key) ?? 0) + 1);
  });
  return sides;
}

/** The quads about a point, as one goes round it; fewer than all where the surface only touches itself there. */
function roundPoint({ quads }: QuadSurface, point: number): { met: number; all: number } {
  const next = new Map<number, number>();
  quads.forEach((p, i) => {
    if (p === point) next.set(quads[(i & ~3) | ((i + 1) & 3)], quads[(i & ~3) | ((i + 3) & 3)]);
  });
  const [first] = next.keys();
  let met = 1;
  for (let at = next.get(first); at !== first && met <= next.size; at = next.get(at as number)) met++;
  return { met, all: next.size };
}

describe('the surface of cells', () => {
  test('of one is a cube; of two that touch at a corner, two cubes; at an edge, one body', () => {
    const one = cellSurface(cellsOf((x, y, z) => x === 2 && y === 2 && z === 2));
    expect(one.positions).toHaveLength(8 * 3);
    expect(one.quads).toHaveLength(6 * 4);
    const edge = cellSurface(cellsOf((x, y, z) => z === 2 && x === y && x < 3));
    expect(edge.positions).toHaveLength(18 * 3);
    const corner = cellSurface(cellsOf((x, y, z) => x === y && y === z && x < 3));
    expect(corner.positions).toHaveLength(16 * 3);
  });

  test('is closed and a manifold, whatever is filled', () => {
    fc.assert(
      fc.property(fc.array(fc.boolean(), { minLength: 27, maxLength: 27 }), (filled) => {
        const surface = cellSurface(cellsOf((x, y, z) => filled[(z - 1) * 9 + (y - 1) * 3 + x - 1]));
        const sides = sidesOf(surface);
        for (const [side, count] of sides) {
          expect(count).toBe(1);
          expect(sides.get(side.split(' ').reverse().join(' '))).toBe(1);
        }
        for (let p = 0; p < surface.positions.length / 3; p++) {
          const { met, all } = roundPoint(surface, p);
          expect(met).toBe(all);
        }
      }),
    );
  });

  test('of the same cells on both sides knows which point is across, and says so both ways', () => {
    fc.assert(
      fc.property(fc.array(fc.boolean(), { minLength: 27, maxLength: 27 }), (filled) => {
        const isFilled = (x: number, y: number, z: number): boolean =>
          filled[(z - 1) * 9 + (y - 1) * 3 + Math.min(x, 4 - x) - 1];
        const { positions, across } = cellSurface(cellsOf(isFilled), ACROSS);
        across?.forEach((q, p) => {
          expect(across[q]).toBe(p);
          expect(positions[q * 3]).toBe(5 - positions[p * 3]);
          expect(positions.slice(q * 3 + 1, q * 3 + 3)).toEqual(positions.slice(p * 3 + 1, p * 3 + 3));
        });
      }),
    );
  });
});
