import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createSurfaceHit, TriangleTree } from './triangleTree.ts';

const number = fc.float({ min: -4, max: 4, noNaN: true });
const soup = fc
  .array(fc.array(number, { minLength: 9, maxLength: 9 }), { minLength: 1, maxLength: 60 })
  .map((list) => Float32Array.from(list.flat()));
const place = fc.tuple(number, number, number);

/** The nearest place on a triangle by trying many: no nearer than the true one, and not much farther. */
function tried(positions: Float32Array, [x, y, z]: readonly number[]): number {
  let least = Infinity;
  for (let t = 0; t < positions.length; t += 9)
    for (let i = 0; i <= 24; i++)
      for (let k = 0; i + k <= 24; k++) {
        const [v, w] = [i / 24, k / 24];
        const at = [0, 1, 2].map(
          (c) => (1 - v - w) * positions[t + c] + v * positions[t + 3 + c] + w * positions[t + 6 + c],
        );
        least = Math.min(least, Math.hypot(at[0] - x, at[1] - y, at[2] - z));
      }
  return least;
}

test('of a triangle without area the nearest place is that on its longest side', () => {
  // The second and the third corner are one but for less than rounding.
  const positions = Float32Array.of(0, 0, 0.01158799696713686, 0, 0, 0, 0, 0, 8.673618413859801e-19);
  const hit = createSurfaceHit();
  new TriangleTree(positions, Uint32Array.of(0, 1, 2)).nearest(0, 0, 0.004154079593718052, Infinity, hit);
  expect(hit.distance).toBeLessThan(1e-6);
});

test('the nearest place is no farther than any that is tried, and lies where its shares say', () => {
  fc.assert(
    fc.property(soup, place, (positions, [x, y, z]) => {
      const triangles = Uint32Array.from({ length: positions.length / 3 }, (_, i) => i);
      const hit = createSurfaceHit();
      new TriangleTree(positions, triangles).nearest(x, y, z, Infinity, hit);
      expect(hit.triangle).toBeGreaterThanOrEqual(0);
      expect(hit.distance).toBeLessThanOrEqual(tried(positions, [x, y, z]) + 1e-4);
      const shares = [hit.u, hit.v, hit.w];
      expect(shares.reduce((sum, share) => sum + share, 0)).toBeCloseTo(1, 5);
      for (const share of shares) expect(share).toBeGreaterThan(-1e-6);
      const at = [0, 1, 2].map((c) =>
        shares.reduce((sum, share, corner) => sum + share * positions[hit.triangle * 9 + corner * 3 + c], 0),
      );
      expect(Math.hypot(at[0] - x, at[1] - y, at[2] - z)).toBeCloseTo(hit.distance, 3);
    }),
  );
});

test('nothing is found beyond the length that is asked for, on no triangles, or where nothing fits', () => {
  const positions = Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0);
  const tree = new TriangleTree(positions, Uint32Array.of(0, 1, 2));
  const hit = createSurfaceHit();
  tree.nearest(0.2, 0.2, 1, 0.9, hit);
  expect(hit.triangle).toBe(-1);
  tree.nearest(0.2, 0.2, 1, 1.1, hit);
  expect(hit).toMatchObject({ triangle: 0, distance: 1 });
  tree.nearest(0.2, 0.2, 1, 1.1, hit, () => false);
  expect(hit.triangle).toBe(-1);
  new TriangleTree(positions, new Uint32Array(0)).nearest(0, 0, 0, 1, hit);
  expect(hit.triangle).toBe(-1);
});
