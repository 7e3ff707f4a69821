import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createKernelMemory, createPlainMemory } from '../memory/index.ts';
import { closestOnTriangle } from './closestOnTriangle.ts';
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

/** A place from numbers of its own, between -1 and 1. */
const noiseAt = (i: number) => [0, 1, 2].map((k) => Math.sin((i + 1) * [12.9898, 78.233, 37.719][k]));

/** Triangles of a size about places, none welded. */
const scatter = (count: number, placeOf: (i: number) => number[], size: number): number[] =>
  Array.from({ length: count * 3 }, (_, corner) => {
    const [place, off] = [placeOf(Math.floor(corner / 3)), noiseAt(corner + 9e3)];
    return place.map((x, k) => x + size * off[k]);
  }).flat();

const onBall = (i: number): number[] => {
  const place = noiseAt(i);
  return place.map((x) => x / Math.hypot(...place));
};

const BODIES: [string, number[]][] = [
  ['a ball', scatter(1500, onBall, 0.02)],
  ['one that lies far off', [...scatter(900, onBall, 0.02), ...scatter(1, () => [1e6, 2e6, 0], 1)]],
  [
    'clusters in clusters',
    scatter(900, (i) => noiseAt(i % 7).map((x, k) => 8 ** -(i % 9) * (x + noiseAt(i)[k])), 1e-4),
  ],
  ['all in one place', scatter(300, () => [0.1, 0.2, 0.3], 0)],
  ['needles', scatter(600, onBall, 0.3).map((x, i) => (i % 9 > 5 ? x * 1e-4 : x))],
];

const bodies = fc.constantFrom(...BODIES).map(([, body]) => Float32Array.from(body));

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
    fc.property(fc.oneof(points, bodies), fc.constantFrom(1, 4, 7, 39), (positions, step) => {
      const triangles = trianglesOf(positions, step);
      const [plain, compiled] = [createPlainMemory(), memory].map((of) => layTree(of, positions, triangles));
      for (const work of [plain, compiled]) {
        work.positions.set(positions);
        work.triangles.set(triangles);
      }
      growTree(plain);
      spatialKernels(memory).growTree(compiled);
      for (const own of ['order', 'cells', 'corners', 'quarters', 'boxes'] as const)
        expect(compiled[own]).toEqual(plain[own]);
    }),
    { numRuns: 40 },
  );
});

test.each(BODIES)('as near as any of %s', async (_name, body) => {
  const positions = Float32Array.from(body);
  const triangles = Uint32Array.from({ length: body.length / 3 }, (_, i) => i);
  // From the middle all of a ball is about as far: more than is listed.
  const places = Float32Array.from([
    ...[0, 0, 0, 1e-6, 0, 0],
    ...Array.from({ length: 80 }, (_, i) => noiseAt(i).map((x) => x * (i % 3))).flat(),
  ]);
  const { distances } = await nearestPlaces(positions, triangles, places);
  const shares = new Float64Array(3);
  for (let p = 0; p < distances.length; p++) {
    const [x, y, z] = places.subarray(p * 3, p * 3 + 3);
    let least = Infinity;
    for (let corner = 0; corner < positions.length; corner += 9)
      least = Math.min(least, closestOnTriangle(positions, corner, 1, x, y, z, shares));
    expect(Math.abs(distances[p] - Math.sqrt(least))).toBeLessThan(2e-6 * (1 + Math.sqrt(least)));
  }
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
