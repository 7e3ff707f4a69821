import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { createPlainMemory } from '../memory/kernelMemory.ts';
import { groupMembers, membersOf } from './groups.ts';
import { FaceCells, piercingEdges } from './piercing.ts';
import { PointTree } from './pointTree.ts';
import { cellAt, fillSolid, isInside, nearestSolidCell } from './solid.ts';
import { readSoup } from './soup.ts';

const memory = createPlainMemory();
const coordinate = fc.double({ min: -10, max: 10, noNaN: true });

/** A closed box of 12 triangles from a corner to the opposite one. */
function box(
  from: readonly number[],
  to: readonly number[],
): { positions: Float32Array; triangles: Uint32Array } {
  const positions: number[] = [];
  for (let i = 0; i < 8; i++)
    positions.push(i & 1 ? to[0] : from[0], i & 2 ? to[1] : from[1], i & 4 ? to[2] : from[2]);
  const quads = [
    [0, 2, 3, 1],
    [4, 5, 7, 6],
    [0, 1, 5, 4],
    [2, 6, 7, 3],
    [0, 4, 6, 2],
    [1, 3, 7, 5],
  ];
  const triangles = quads.flatMap(([a, b, c, d]) => [a, b, c, a, c, d]);
  return { positions: Float32Array.from(positions), triangles: Uint32Array.from(triangles) };
}

describe('the nearest of many points', () => {
  const clouds = fc.array(fc.tuple(coordinate, coordinate, coordinate), { minLength: 1, maxLength: 200 });
  const nearestOf = (
    positions: Float32Array,
    place: readonly number[],
    allowed: (p: number) => boolean,
  ): number => {
    let [best, least] = [-1, Infinity];
    for (let p = 0; p < positions.length / 3; p++) {
      const far = [0, 1, 2].reduce((sum, k) => sum + (positions[p * 3 + k] - place[k]) ** 2, 0);
      if (allowed(p) && far < least) [best, least] = [p, far];
    }
    return best;
  };

  test('is the one that looking at all of them finds, also among some only', () => {
    fc.assert(
      fc.property(clouds, coordinate, coordinate, coordinate, (cloud, x, y, z) => {
        const positions = Float32Array.from(cloud.flat());
        const tree = new PointTree(
          positions,
          Uint32Array.from(cloud, (_, p) => p),
        );
        expect(tree.nearest(x, y, z)).toBe(nearestOf(positions, [x, y, z], () => true));
        const even = (p: number): boolean => p % 2 === 0;
        expect(tree.nearest(x, y, z, Infinity, even)).toBe(nearestOf(positions, [x, y, z], even));
      }),
    );
  });

  test('none that is further away than asked for; none among no points', () => {
    const tree = new PointTree(Float32Array.of(0, 0, 0, 5, 0, 0), Uint32Array.of(0, 1));
    expect(tree.nearest(1, 0, 0, 0.5)).toBe(-1);
    expect(tree.nearest(1, 0, 0, 1.5)).toBe(0);
    expect(new PointTree(new Float32Array(0), new Uint32Array(0)).nearest(0, 0, 0)).toBe(-1);
  });

  test('many points in one place do not make it slow or wrong', () => {
    const positions = new Float32Array(3 * 5000);
    positions.set([1, 1, 1], 3 * 4999);
    const tree = new PointTree(
      positions,
      Uint32Array.from({ length: 5000 }, (_, p) => p),
    );
    expect(tree.nearest(1, 1, 0.9)).toBe(4999);
    expect(tree.nearest(-1, 0, 0)).toBe(0);
  });
});

test('groups hold each thing once, under its key; keys below zero are left out', () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: -1, max: 6 }), { maxLength: 80 }), (keys) => {
      const groups = groupMembers(Int32Array.from(keys), 7, memory);
      const found = Array.from({ length: 7 }, (_, key) => [...membersOf(groups, key)]);
      found.forEach((members, key) => {
        expect(members.every((i) => keys[i] === key)).toBe(true);
        expect(new Set(members).size).toBe(members.length);
      });
      expect(found.flat()).toHaveLength(keys.filter((key) => key >= 0).length);
    }),
  );
});

describe('a soup of triangles', () => {
  test('a box has its volume, its surface and its bounds', () => {
    const { positions, triangles } = box([-1, 0, 2], [1, 3, 6]);
    const soup = readSoup(positions, triangles, memory);
    expect(Math.abs(soup.volume)).toBeCloseTo(2 * 3 * 4, 5);
    expect(soup.area).toBeCloseTo(2 * (2 * 3 + 3 * 4 + 2 * 4), 5);
    expect([soup.least, soup.most]).toEqual([
      [-1, 0, 2],
      [1, 3, 6],
    ]);
    expect(soup.longest).toBeCloseTo(4, 6);
  });

  test('what has no size says so', () => {
    const flat = readSoup(new Float32Array(9), Uint32Array.of(0, 1, 2), memory);
    expect(flat.longest > 0).toBe(false);
  });
});

describe('the inside of a solid', () => {
  const solidOf = async (parts: ReturnType<typeof box>[], cells = 8000) => {
    const positions = Float32Array.from(parts.flatMap((part) => [...part.positions]));
    const triangles = Uint32Array.from(parts.flatMap((part, i) => [...part.triangles].map((p) => p + i * 8)));
    return fillSolid(positions, triangles, readSoup(positions, triangles, memory), cells);
  };

  test('of a box: cells fill its volume; what is well inside is inside, what is outside is not', async () => {
    const solid = await solidOf([box([-1, -1, -1], [1, 1, 1])]);
    expect(isInside(solid, 0, 0, 0)).toBe(true);
    expect(isInside(solid, 0.8, -0.8, 0.8)).toBe(true);
    expect(isInside(solid, 1.3, 0, 0)).toBe(false);
    expect(cellAt(solid, 50, 0, 0)).toBe(-1);
    const share = (solid.solidCount * solid.size ** 3) / 8;
    expect(share).toBeGreaterThan(0.9);
    expect(share).toBeLessThan(1.6);
  });

  test('boxes that lie in one another are one solid, not a hollow', async () => {
    const solid = await solidOf([box([-2, -1, -1], [1, 1, 1]), box([-1, -1, -1], [2, 1, 1])]);
    for (const x of [-1.5, 0, 1.5]) expect(isInside(solid, x, 0, 0)).toBe(true);
  });

  test('a box that lacks a face is still filled', async () => {
    const open = box([-1, -1, -1], [1, 1, 1]);
    const solid = await solidOf([{ ...open, triangles: open.triangles.subarray(6) }]);
    expect(isInside(solid, 0, 0, 0)).toBe(true);
    expect(isInside(solid, 0, 0, -1.6)).toBe(false);
  });

  test('in other units it is as fine, and the same places are inside', async () => {
    const small = await solidOf([box([-1e-3, -1e-3, -1e-3], [1e-3, 1e-3, 1e-3])]);
    const large = await solidOf([box([-1e3, -1e3, -1e3], [1e3, 1e3, 1e3])]);
    expect(large.solidCount).toBe(small.solidCount);
    expect(large.size / small.size).toBeCloseTo(1e6, -2);
    expect(isInside(small, 5e-4, 0, 0)).toBe(true);
    expect(isInside(large, 500, 0, 0)).toBe(true);
  });

  test('the nearest solid cell of a place beside it is at its edge', async () => {
    const solid = await solidOf([box([-1, -1, -1], [1, 1, 1])]);
    const cell = nearestSolidCell(solid, 1.05, 0, 0, 4);
    expect(cell).toBeGreaterThanOrEqual(0);
    expect(solid.solid[cell]).not.toBe(0);
    expect(nearestSolidCell(solid, 90, 0, 0, 4)).toBe(-1);
  });
});

describe('edges that run through faces', () => {
  const triangle = Float32Array.of(0, 0, 0, 2, 0, 0, 0, 2, 0);
  const faces = Uint32Array.of(0, 1, 2);
  const runsThrough = (from: readonly number[], to: readonly number[]): boolean => {
    const cells = new FaceCells(triangle, faces, Uint32Array.of(0));
    const ends = Float32Array.from([...from, ...to]);
    return (
      piercingEdges(ends, Uint32Array.of(0, 1), Uint32Array.of(0), cells, triangle, faces, false).length > 0
    );
  };

  test('through the middle, and not beside it, short of it or along it', () => {
    expect(runsThrough([0.5, 0.5, -1], [0.5, 0.5, 1])).toBe(true);
    expect(runsThrough([0.5, 0.5, 1], [0.5, 0.5, -1])).toBe(true);
    expect(runsThrough([1.5, 1.5, -1], [1.5, 1.5, 1])).toBe(false);
    expect(runsThrough([0.5, 0.5, 0.1], [0.5, 0.5, 1])).toBe(false);
    expect(runsThrough([0.1, 0.1, 0.5], [0.9, 0.9, 0.5])).toBe(false);
  });

  test('a place inside the triangle, by its shares of the corners, is always met', () => {
    const share = fc.double({ min: 0.02, max: 0.96, noNaN: true });
    fc.assert(
      fc.property(share, share, coordinate, coordinate, (u, v, dx, dy) => {
        fc.pre(u + v < 0.97);
        const [x, y] = [2 * u, 2 * v];
        expect(runsThrough([x - dx, y - dy, -1], [x + dx, y + dy, 1])).toBe(true);
      }),
    );
  });

  test('of one mesh: an edge does not run through the faces that it belongs to', () => {
    const { positions, triangles } = box([0, 0, 0], [1, 1, 1]);
    const edges = Uint32Array.of(0, 1, 0, 7, 3, 4);
    const cells = new FaceCells(
      positions,
      triangles,
      Uint32Array.from({ length: 12 }, (_, t) => t),
    );
    // The sides of a box meet faces only in their own corners; so do its diagonals, from inside.
    expect(
      piercingEdges(positions, edges, Uint32Array.of(0, 1, 2), cells, positions, triangles, true),
    ).toEqual([]);
  });
});
