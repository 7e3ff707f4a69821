import { describe, expect, test } from '@jest/globals';
import { partOf } from '../../testing/testBody.ts';
import { computeNormals } from '../../mesh/normals.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { grid } from '../../testing/shapes.ts';
import { createBendMesh, type BendMesh } from '../bends/bendRegion.ts';
import { CrossingFinder } from './crossings.ts';

function meshOf(positions: number[], triangles: number[]): BendMesh {
  const part = partOf('', positions, triangles, []);
  const normals = computeNormals(part.positions, part.triangles);
  const polygons = { offsets: part.polygonOffsets, points: part.polygonPoints };
  return createBendMesh(part.triangles, findNeighbours(polygons, part.pointCount), part.positions, normals);
}

/** A sheet in the plane z = 0 that looks up, and a finely divided block above it. */
function sheetAndBlock(): [BendMesh, BendMesh] {
  const sheet = grid(20, 20);
  const block = grid(6, 6);
  const positions: number[] = [];
  const triangles: number[] = [];
  // Six faces out of grids, each turned to look outward; corners are not joined, which nothing here needs.
  const faces: [number, number, number, boolean][] = [
    [0, 1, 2, false],
    [1, 2, 0, false],
    [2, 0, 1, false],
    [0, 1, 2, true],
    [1, 2, 0, true],
    [2, 0, 1, true],
  ];
  for (const [u, v, w, far] of faces) {
    const first = positions.length / 3;
    for (let p = 0; p < block.positions.length; p += 3) {
      const place = [0, 0, 0];
      place[u] = 7.2 + block.positions[p];
      place[v] = 7.2 + block.positions[p + 1];
      place[w] = 7.2 + (far ? 6 : 0);
      // It stands half a unit above the sheet at rest.
      positions.push(place[0], place[1], place[2] - 6.7);
    }
    for (let t = 0; t < block.triangles.length; t += 3) {
      const [a, b, c] = block.triangles.subarray(t, t + 3);
      triangles.push(...(far ? [a, b, c] : [a, c, b]).map((p) => p + first));
    }
  }
  return [meshOf([...sheet.positions], [...sheet.triangles]), meshOf(positions, triangles)];
}

const lowered = ({ restPositions }: BendMesh, by: number): Float32Array =>
  restPositions.map((x, i) => (i % 3 === 2 ? x - by : x));

describe('crossings of two parts', () => {
  const [sheet, block] = sheetAndBlock();
  const finder = new CrossingFinder(sheet, block);

  test('none at rest, none when both move as one', () => {
    expect(finder.find([sheet.restPositions, block.restPositions])).toMatchObject({ places: 0, depth: 0 });
    expect(finder.find([lowered(sheet, 3), lowered(block, 3)])).toMatchObject({ places: 0, depth: 0 });
  });

  test.each([0.6, 1, 2.25])(
    'a block lowered through a sheet by %f more than its gap lies that deep',
    (depth) => {
      const found = finder.find([sheet.restPositions, lowered(block, 0.5 + depth)]);
      expect(found.places).toBeGreaterThan(10);
      expect(found.depth).toBeCloseTo(depth, 4);
      const below = Array.from(found.points[1]).every((p) => block.restPositions[p * 3 + 2] < 0.5 + depth);
      expect(below && found.points[1].length > 20).toBe(true);
    },
  );

  test('what lies beyond the rim of an open sheet is on neither side', () => {
    // A pillar that stands beside the sheet, and is pushed through its rim.
    const pillar = meshOf(
      [...block.restPositions].map((x, i) => (i % 3 === 0 ? x + 20 : x)),
      [...block.triangles],
    );
    const beside = new CrossingFinder(sheet, pillar);
    const pushed = pillar.restPositions.map((x, i) => (i % 3 === 0 ? x - 8.5 : i % 3 === 2 ? x - 2.3 : x));
    const found = beside.find([sheet.restPositions, pushed]);
    expect(found.places).toBeGreaterThan(0);
    // Only what is over the sheet counts: it reaches to x = 20.
    for (const p of found.points[1]) expect(pushed[p * 3]).toBeLessThanOrEqual(20.001);
    expect(found.depth).toBeLessThan(2);
  });

  test('what crosses at rest already does not count', () => {
    const sunk = lowered(block, 1.5);
    const other = new CrossingFinder(sheet, { ...block, restPositions: sunk });
    expect(other.find([sheet.restPositions, sunk]).places).toBe(0);
  });
});
