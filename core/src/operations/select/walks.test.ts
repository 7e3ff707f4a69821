import { describe, expect, test } from '@jest/globals';
import { grid, rowsFrom } from '../../testing/shapes.ts';
import { recoverQuads } from '../../mesh/quads.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { influenceMask, jumpMask, QuadWalker, rowDistance, weightRangeMask } from './walks.ts';

/** A sheet of quads, `wide` around if closed into a tube. */
function walkerOn(columns: number, lines: number, drop: readonly number[] = []): QuadWalker {
  const { positions, triangles } = grid(columns, lines);
  const polygons = recoverQuads(triangles, positions);
  const kept = Array.from({ length: polygons.offsets.length - 1 }, (_, i) => i).filter(
    (i) => !drop.includes(i),
  );
  const corners = kept.map((i) => [
    ...polygons.points.subarray(polygons.offsets[i], polygons.offsets[i + 1]),
  ]);
  const offsets = Uint32Array.from([0, ...corners.map((_, i) => corners.slice(0, i + 1).flat().length)]);
  const own = { offsets, points: Uint32Array.from(corners.flat()) };
  return new QuadWalker(own, findNeighbours(own, positions.length / 3));
}

/** Quads around a tube: `around` columns that close. */
function tubeWalker(around: number, rings: number): QuadWalker {
  const corners: number[] = [];
  for (let r = 0; r + 1 < rings; r++)
    for (let a = 0; a < around; a++) {
      const [p, q] = [r * around + a, r * around + ((a + 1) % around)];
      corners.push(p, q, q + around, p + around);
    }
  const own = {
    offsets: Uint32Array.from({ length: corners.length / 4 + 1 }, (_, i) => i * 4),
    points: Uint32Array.from(corners),
  };
  return new QuadWalker(own, findNeighbours(own, around * rings));
}

const COLUMNS = 5;
const at = (x: number, y: number): number => y * (COLUMNS + 1) + x;

describe('walks', () => {
  test('a loop goes straight on to the borders of a sheet, where it stops', () => {
    const { points, stops } = walkerOn(COLUMNS, 4).loop(at(2, 2), at(3, 2));
    expect([...points].sort((a, b) => a - b)).toEqual([0, 1, 2, 3, 4, 5].map((x) => at(x, 2)));
    expect([...stops].sort((a, b) => a - b)).toEqual([at(0, 2), at(5, 2)]);
  });

  test('around a tube a loop closes and stops nowhere; a ring runs along it', () => {
    const walker = tubeWalker(8, 5);
    const loop = walker.loop(2 * 8, 2 * 8 + 1);
    expect([...loop.points].sort((a, b) => a - b)).toEqual([16, 17, 18, 19, 20, 21, 22, 23]);
    expect(loop.stops).toEqual([]);
    const around = walker.ring(8, 16);
    expect(around.points).toHaveLength(16);
    expect(around.stops).toEqual([]);
    const along = walker.ring(16, 17);
    expect([...along.points].sort((a, b) => a - b)).toEqual([0, 1, 8, 9, 16, 17, 24, 25, 32, 33]);
    expect(along.stops.length).toBe(4);
  });

  test('a hole stops a loop before it', () => {
    // The quad between columns 3 and 4, lines 1 and 2, is gone: its corners have no four quads.
    const { points, stops } = walkerOn(COLUMNS, 4, [1 * COLUMNS + 3]).loop(at(1, 2), at(2, 2));
    expect([...points].sort((a, b) => a - b)).toEqual([0, 1, 2, 3].map((x) => at(x, 2)));
    expect(stops).toContain(at(3, 2));
  });

  test('a loop that stopped goes on from its end, the way that is chosen', () => {
    const walker = walkerOn(COLUMNS, 4, [1 * COLUMNS + 3]);
    const stopped = walker.loop(at(1, 2), at(2, 2));
    const turns = walker.turns('loop', stopped);
    expect(turns.get(at(3, 3))).toEqual([at(3, 2), at(3, 3)]);
    expect(turns.has(at(2, 2))).toBe(false);
    const further = walker.goOn('loop', stopped, [at(3, 2), at(3, 3)]);
    expect([...further.points].sort((a, b) => a - b)).toEqual(
      [at(0, 2), at(1, 2), at(2, 2), at(3, 2), at(3, 3), at(3, 4)].sort((a, b) => a - b),
    );
    expect([...further.stops].sort((a, b) => a - b)).toEqual([at(0, 2), at(3, 4)]);
  });

  test('a ring that met a triangle turns about the end of its rung that is chosen', () => {
    // A quad, a triangle on its right edge, and a quad on the triangle's upper side.
    //   5---4
    //   |   |\\   (0 1 2 3), (1 6 2), (2 6 4 5)
    //   3---2-6
    //   0---1/
    const polygons = {
      offsets: Uint32Array.of(0, 4, 7, 11),
      points: Uint32Array.of(0, 1, 2, 3, 1, 6, 2, 2, 6, 4, 5),
    };
    const walker = new QuadWalker(polygons, findNeighbours(polygons, 7));
    const stopped = walker.ring(0, 3);
    expect([...stopped.points].sort((a, b) => a - b)).toEqual([0, 1, 2, 3]);
    const turns = walker.turns('ring', stopped);
    expect([...turns.keys()].sort((a, b) => a - b)).toEqual([1, 2]);
    const turn = turns.get(2);
    const further = walker.goOn('ring', stopped, turn as readonly [number, number]);
    expect([...further.points].sort((a, b) => a - b)).toEqual([0, 1, 2, 3, 4, 5, 6]);
    // The other end keeps its stop.
    expect(further.stops).toEqual(expect.arrayContaining([0, 3, 4, 5]));
  });

  test('along an open border a loop follows it, and the border is found whole', () => {
    const walker = walkerOn(COLUMNS, 4);
    const edge = walker.loop(at(0, 0), at(1, 0));
    expect(edge.stops).toEqual([]);
    expect(edge.points).toHaveLength(2 * (COLUMNS + 4));
    expect(walker.border(at(2, 0)).points).toHaveLength(2 * (COLUMNS + 4));
    expect(walker.border(at(2, 2)).points).toEqual([]);
  });
});

describe('by weights', () => {
  const rows = rowsFrom([{ 0: 1 }, { 0: 0.6, 1: 0.4 }, { 1: 1 }, {}]);

  test('ranges and numbers of influences, ends included', () => {
    expect([...weightRangeMask(Float32Array.of(0, 0.5, 1), 0.5, 1)]).toEqual([0, 1, 1]);
    expect([...influenceMask(rows, 2, 8)]).toEqual([0, 1, 0, 0]);
    expect([...influenceMask(rows, 0, 0)]).toEqual([0, 0, 0, 1]);
  });

  test('jumps are where a neighbour is far', () => {
    expect(rowDistance(rows, 0, 1)).toBeCloseTo(0.4, 6);
    expect(rowDistance(rows, 0, 2)).toBe(1);
    const line = { offsets: Uint32Array.of(0, 1, 3, 4, 4), points: Uint32Array.of(1, 0, 2, 1) };
    expect([...jumpMask(rows, line, 0.5)]).toEqual([0, 1, 1, 0]);
  });
});
