import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { grid } from '../testing/shapes.ts';
import { findHardEdges } from './hardEdges.ts';
import { recoverQuads } from './quads.ts';
import { refine, refineSurface, subdivide, subdivideOnce } from './subdivision.ts';

const polygonsOf = (lists: readonly (readonly number[])[]) => ({
  offsets: Uint32Array.from([0, ...lists.map((_, i) => lists.slice(0, i + 1).flat().length)]),
  points: Uint32Array.from(lists.flat()),
});

/** Corners of a cube by bits: x, y, z. */
const CUBE = Float32Array.from({ length: 24 }, (_, i) => ((Math.floor(i / 3) >> (i % 3)) & 1) - 0.5);
const SIDES = polygonsOf([
  [0, 2, 3, 1],
  [4, 5, 7, 6],
  [0, 1, 5, 4],
  [2, 6, 7, 3],
  [0, 4, 6, 2],
  [1, 3, 7, 5],
]);

describe('creases', () => {
  const placed = (creases: readonly number[], levels: number): { places: Float32Array; count: number } => {
    const steps = subdivide(SIDES, 8, levels, Uint32Array.from(creases));
    let now = CUBE;
    for (const step of steps) {
      const next = new Float32Array(step.pointCount * 3);
      refine(step, now, 3, next);
      now = next;
    }
    return { places: now, count: now.length / 3 };
  };
  const ALL = Array.from({ length: 8 }, (_, a) =>
    [1, 2, 4].flatMap((bit) => (a & bit ? [] : [a, a | bit])),
  ).flat();

  test('along all edges of a cube: it stays a cube', () => {
    const { places, count } = placed(ALL, 2);
    for (let p = 0; p < count; p++)
      expect(Math.max(...[0, 1, 2].map((k) => Math.abs(places[p * 3 + k])))).toBeCloseTo(0.5, 6);
  });

  test('about one side: the side stays flat, its rim is a spline, and the rest is smooth', () => {
    // The side at z = −½ has corners 0 to 3.
    const { places, count } = placed([0, 1, 1, 3, 3, 2, 2, 0], 2);
    const flat = Array.from({ length: count }, (_, p) => p).filter((p) => places[p * 3 + 2] < -0.5 + 1e-6);
    expect(flat.length).toBeGreaterThanOrEqual(25);
    const highest = Math.max(...Array.from({ length: count }, (_, p) => places[p * 3 + 2]));
    expect(highest).toBeLessThan(0.45);
  });

  test('one that ends in the surface leaves its end smooth', () => {
    const { places } = placed([0, 1], 1);
    // Its ends lie where a smooth cube has its corners.
    for (const p of [0, 1])
      for (let k = 0; k < 3; k++) expect(Math.abs(places[p * 3 + k])).toBeCloseTo(5 / 18, 6);
  });
});

describe('hard edges', () => {
  test('lie where normals break at both ends; not where they do at one, nor where only texture seams are', () => {
    // Two quads that meet at an edge from 1 to 2, each with vertices of its own.
    const vertexPoint = Uint32Array.of(0, 1, 2, 3, 1, 4, 5, 2);
    const corners = Uint32Array.of(0, 1, 2, 0, 2, 3, 4, 5, 6, 4, 6, 7);
    const normals = (other: readonly number[], atOne = other): Float32Array =>
      Float32Array.from([...[0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1], ...other, ...other, ...other, ...atOne]);
    expect(findHardEdges(corners, vertexPoint, normals([1, 0, 0]), 6)).toEqual(Uint32Array.of(1, 2));
    expect(findHardEdges(corners, vertexPoint, normals([1, 0, 0], [0, 0, 1]), 6)).toBeUndefined();
    expect(findHardEdges(corners, vertexPoint, normals([0, 0, 1]), 6)).toBeUndefined();
  });

  test('are none where nearly all are: what is drawn in facets', () => {
    const vertexPoint = Uint32Array.of(0, 1, 2, 0, 2, 1);
    const normals = Float32Array.of(0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, -1, 0, 0, -1, 0, 0, -1);
    expect(findHardEdges(Uint32Array.of(0, 1, 2, 3, 4, 5), vertexPoint, normals, 3)).toBeUndefined();
  });
});

describe('a cube', () => {
  const step = subdivideOnce(SIDES, 8);
  const places = new Float32Array(step.pointCount * 3);
  refine(step, CUBE, 3, places);
  const sizes = (from: number, to: number): number[][] =>
    Array.from({ length: to - from }, (_, i) =>
      [...places.subarray((from + i) * 3, (from + i) * 3 + 3)].map(Math.abs).sort((a, b) => a - b),
    );

  test('gets a point an edge and a side, where the rules put them', () => {
    expect(step.pointCount).toBe(8 + 12 + 6);
    for (const place of sizes(0, 8)) for (const x of place) expect(x).toBeCloseTo(5 / 18, 6);
    for (const place of sizes(8, 20))
      expect(place).toEqual([0, 0.375, 0.375].map((x) => expect.closeTo(x, 6)));
    for (const place of sizes(20, 26)) expect(place).toEqual([0, 0, 0.5].map((x) => expect.closeTo(x, 6)));
  });

  test('is closed and faces out: four quads a side, each edge once either way', () => {
    expect(step.quads).toHaveLength(24 * 4);
    expect([...step.polygonOf].filter((f) => f === 3)).toHaveLength(4);
    const ways = new Set<string>();
    for (let q = 0; q < step.quads.length; q += 4)
      for (let k = 0; k < 4; k++) {
        const [a, b] = [step.quads[q + k], step.quads[q + ((k + 1) % 4)]];
        expect(ways.has(`${a}>${b}`)).toBe(false);
        ways.add(`${a}>${b}`);
      }
    for (const way of ways) expect(ways.has(way.split('>').reverse().join('>'))).toBe(true);
  });

  test('goes on toward the same smooth surface', () => {
    const steps = subdivide(SIDES, 8, 3);
    let now = CUBE;
    for (const each of steps) {
      const next = new Float32Array(each.pointCount * 3);
      refine(each, now, 3, next);
      now = next;
    }
    const far = Array.from({ length: now.length / 3 }, (_, p) =>
      Math.hypot(...now.subarray(p * 3, p * 3 + 3)),
    );
    expect(Math.max(...far) / Math.min(...far)).toBeLessThan(1.15);
  });
});

test('shares sum to one, whatever the mesh; a flat sheet stays flat, and its border on its border', () => {
  const size = fc.integer({ min: 1, max: 6 });
  fc.assert(
    fc.property(size, size, fc.integer({ min: 1, max: 2 }), (columns, lines, levels) => {
      const { positions, triangles } = grid(columns, lines);
      const steps = subdivide(recoverQuads(triangles, positions), positions.length / 3, levels);
      let now: Float32Array = positions;
      for (const step of steps) {
        const next = new Float32Array(step.pointCount * 3);
        refine(step, now, 3, next);
        for (let p = 0; p < step.pointCount; p++) {
          let sum = 0;
          for (let k = step.offsets[p]; k < step.offsets[p + 1]; k++) sum += step.shares[k];
          expect(sum).toBeCloseTo(1, 5);
        }
        now = next;
      }
      for (let i = 2; i < now.length; i += 3) expect(now[i]).toBe(0);
      const xs = [...now].filter((_, i) => i % 3 === 0);
      expect(Math.min(...xs)).toBeGreaterThanOrEqual(Math.min(...positions) - 1e-6);
    }),
    { numRuns: 20 },
  );
});

test('places and normals at once are what they are one after the other', () => {
  const { positions, triangles } = grid(3, 2);
  const normals = positions.map((x, i) => Math.sin(x + i));
  const [step] = subdivide(recoverQuads(triangles, positions), positions.length / 3, 1);
  const make = (): Float32Array => new Float32Array(step.pointCount * 3);
  const [places, facing, both, bothFacing] = [make(), make(), make(), make()];
  refine(step, positions, 3, places);
  refine(step, normals, 3, facing);
  refineSurface(step, positions, normals, both, bothFacing);
  expect(both).toEqual(places);
  expect(bothFacing).toEqual(facing);
});

test('triangles, loose points and edges of three polygons are taken as they come', () => {
  const step = subdivideOnce(
    polygonsOf([
      [0, 1, 2],
      [1, 0, 3],
      [0, 1, 4],
    ]),
    6,
  );
  const column = new Float32Array(step.pointCount);
  refine(step, [1, 1, 1, 1, 1, 7], 1, column);
  expect(column[5]).toBe(7);
  expect([...column].filter((_, p) => p !== 5).every((x) => Math.abs(x - 1) < 1e-6)).toBe(true);
});
