import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { PointCells } from './pointCells.ts';

const coordinate = fc.double({ min: -2, max: 2, noNaN: true });
const place = fc.tuple(coordinate, coordinate, coordinate);

test('finds a point within the length exactly where there is one, of another group if asked', () => {
  fc.assert(
    fc.property(
      fc.array(place, { minLength: 1, maxLength: 60 }),
      place,
      fc.double({ min: 0.01, max: 1, noNaN: true }),
      fc.integer({ min: 0, max: 2 }),
      (places, [x, y, z], length, without) => {
        const positions = Float32Array.from(places.flat());
        const all = [...places.keys()];
        const group = Int32Array.from(all, (p) => p % 3);
        const cells = new PointCells(positions, all, length);
        const far = (p: number): number =>
          Math.hypot(positions[p * 3] - x, positions[p * 3 + 1] - y, positions[p * 3 + 2] - z);
        for (const own of [undefined, group]) {
          const meant = all.filter((p) => own === undefined || own[p] !== without);
          const found = cells.near(x, y, z, own, without);
          if (found < 0) for (const p of meant) expect(far(p)).toBeGreaterThan(length * (1 - 1e-9));
          else {
            expect(meant).toContain(found);
            expect(far(found)).toBeLessThan(length * (1 + 1e-9));
          }
        }
      },
    ),
  );
});
