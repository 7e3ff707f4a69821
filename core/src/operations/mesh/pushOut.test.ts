import { describe, expect, test } from '@jest/globals';
import { holdOn } from '../../deform/follow/hold.ts';
import { computeNormals } from '../../mesh/normals.ts';
import { recoverQuads } from '../../mesh/quads.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { grid } from '../../testing/shapes.ts';
import { pushOut } from './pushOut.ts';

const surfaceOf = ({ positions, triangles }: ReturnType<typeof grid>) => {
  const { offsets, points } = recoverQuads(triangles, positions);
  return {
    ...{ positions, triangles, normals: computeNormals(positions, triangles) },
    neighbours: findNeighbours({ offsets, points }, positions.length / 3),
  };
};
const floor = surfaceOf(grid(8, 8));
/** Where the part stands: twice as large in the scene as in its own space. */
const inverseBinds = Float32Array.of(2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 1);

/** A sheet over the floor that dips under it in the middle. */
async function sheet(depth: number) {
  const own = grid(8, 8);
  const positions = own.positions.map((x, i) => {
    if (i % 3 < 2) return x;
    const p = Math.floor(i / 3);
    const far = Math.hypot((p % 9) - 4, Math.floor(p / 9) - 4);
    return far < 2 ? -depth : 0.5;
  });
  const surface = surfaceOf({ positions, triangles: own.triangles });
  const heights = (await holdOn(floor, positions))?.heights ?? new Float32Array(0);
  return { part: { inverseBinds }, positions, neighbours: surface.neighbours, heights };
}

describe('pushing out', () => {
  test('what lies under the surface comes to stand off it, in the part’s own lengths; what lies about goes along', async () => {
    const dipped = await sheet(0.3);
    const moves = pushOut(dipped, floor, { distance: 0.1 });
    const middle = 4 * 9 + 4;
    expect(moves.get(middle)?.[2]).toBeCloseTo(0.2, 5);
    for (const [p, [x, y, z]] of moves) {
      expect(dipped.positions[p * 3 + 2] + 2 * z).toBeGreaterThanOrEqual(0.1 - 1e-6);
      expect(Math.hypot(x, y)).toBeLessThan(1e-6);
    }
    const beside = moves.get(4 * 9 + 6)?.[2] ?? 0;
    expect(beside).toBeGreaterThan(0);
    expect(beside).toBeLessThan(0.2);
  });

  test('nothing is moved where all stands off far enough; inside, it goes the other way', async () => {
    expect(pushOut(await sheet(-0.4), floor, { distance: 0.1 }).size).toBe(0);
    const moves = pushOut(await sheet(0.3), floor, { distance: 0.1, inside: true });
    const corner = moves.get(0)?.[2] ?? 0;
    expect(0.5 + 2 * corner).toBeCloseTo(-0.1, 5);
  });
});
