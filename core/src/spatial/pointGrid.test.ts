import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { type PointsAround, PointGrid } from './pointGrid.ts';

const coordinate = fc.double({ min: -2, max: 2, noNaN: true });
const place = fc.tuple(coordinate, coordinate, coordinate);
const room = (count: number): PointsAround => ({
  points: new Uint32Array(count),
  squares: new Float64Array(count),
  count: 0,
});

test('visits every point within the length, each once, also where cells share a slot', () => {
  fc.assert(
    fc.property(
      fc.array(place, { minLength: 1, maxLength: 60 }),
      place,
      fc.double({ min: 0.05, max: 3, noNaN: true }),
      fc.double({ min: 0.05, max: 3, noNaN: true }),
      (places, [x, y, z], size, length) => {
        const positions = Float32Array.from(places.flat());
        const listed = Uint32Array.from(places.keys()).filter((p) => p % 4 !== 1);
        const out = room(listed.length);
        new PointGrid(positions, listed, size).within(x, y, z, length, out);
        const square = (p: number): number =>
          (positions[p * 3] - x) ** 2 + (positions[p * 3 + 1] - y) ** 2 + (positions[p * 3 + 2] - z) ** 2;
        const found = out.points.slice(0, out.count);
        expect(found.every((p, i) => out.squares[i] === square(p))).toBe(true);
        expect(found.sort()).toEqual(listed.filter((p) => square(p) <= length * length));
      },
    ),
  );
});

test('comes to an end where cells are too small for the next one to be another', () => {
  const out = room(1);
  new PointGrid(Float32Array.of(1e9, 0, 0), Uint32Array.of(0), 1e-30).within(1e9, 0, 0, 1, out);
  expect(out.count).toBeLessThanOrEqual(1);
});
