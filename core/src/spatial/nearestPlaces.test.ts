import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createKernelMemory, createPlainMemory } from '../memory/index.ts';
import { nearestPlaces } from './nearestPlaces.ts';
import { spatialKernels } from './spatialKernels.ts';
import { growTree, layTree } from './treeLoops.ts';
import { createSurfaceHit, TriangleTree } from './triangleTree.ts';

// Coarse numbers: many triangles touch, lie in one plane, or have no area.
const number = fc.oneof(fc.float({ min: -4, max: 4, noNaN: true }), fc.integer({ min: -3, max: 3 }));
const place = fc.array(number, { minLength: 3, maxLength: 3 });
const points = fc.array(place, { minLength: 3, maxLength: 90 }).map((list) => Float32Array.from(list.flat()));
const trianglesOf = (positions: Float32Array, step: number): Uint32Array =>
  Uint32Array.from({ length: positions.length }, (_, i) => (i * step) % (positions.length / 3));

test('finds for each place what a search of its own finds', async () => {
  await fc.assert(
    fc.asyncProperty(
      points,
      fc.nat(40),
      fc.array(place, { maxLength: 20 }),
      async (positions, step, list) => {
        const triangles = trianglesOf(positions, step);
        const places = Float32Array.from(list.flat());
        const found = await nearestPlaces(positions, triangles, places);
        const tree = new TriangleTree(positions, triangles);
        const hit = createSurfaceHit();
        for (let p = 0; p < list.length; p++) {
          const [x, y, z] = places.subarray(p * 3, p * 3 + 3);
          tree.nearest(x, y, z, Infinity, hit);
          expect(found.distances[p]).toBeCloseTo(hit.distance, 5);
          const at = [0, 1, 2].map((k) =>
            [0, 1, 2].reduce(
              (sum, c) =>
                sum + found.shares[p * 3 + c] * positions[triangles[found.triangles[p] * 3 + c] * 3 + k],
              0,
            ),
          );
          expect(Math.hypot(at[0] - x, at[1] - y, at[2] - z)).toBeCloseTo(hit.distance, 4);
        }
      },
    ),
  );
});

test('the compiled tree is the plain one', async () => {
  const memory = await createKernelMemory(1 << 24);
  fc.assert(
    fc.property(points, fc.nat(40), (positions, step) => {
      const triangles = trianglesOf(positions, step);
      const [plain, compiled] = [createPlainMemory(), memory].map((of) => layTree(of, positions, triangles));
      for (const work of [plain, compiled]) {
        work.positions.set(positions);
        work.triangles.set(triangles);
      }
      growTree(plain);
      spatialKernels(memory).growTree(compiled);
      for (const own of ['order', 'lower', 'counts', 'corners', 'boxes'] as const)
        expect(compiled[own]).toEqual(plain[own]);
    }),
    { numRuns: 60 },
  );
});

test('on no triangles nothing is found, and a place that is no number finds nothing', async () => {
  const none = await nearestPlaces(new Float32Array(9), new Uint32Array(0), Float32Array.of(1, 2, 3));
  expect([...none.triangles]).toEqual([-1]);
  const flat = Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0);
  const { triangles } = await nearestPlaces(
    flat,
    Uint32Array.of(0, 1, 2),
    Float32Array.of(NaN, 0, 0, 0.2, 0.2, 1),
  );
  expect([...triangles]).toEqual([-1, 0]);
});
