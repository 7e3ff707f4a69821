import { describe, expect, test } from '@jest/globals';
import { holdOn } from '../../deform/follow/hold.ts';
import { computeNormals } from '../../mesh/normals.ts';
import { recoverQuads, trianglesOfQuads } from '../../mesh/quads.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { grid, rowsFrom } from '../../testing/shapes.ts';
import { influencesOf } from '../../weights/rows.ts';
import type { HeldBody } from './joinBodies.ts';
import { makeCage, type MadeCage } from './makeCage.ts';

const surfaceOf = (positions: Float32Array, triangles: Uint32Array): HeldBody['surface'] => {
  const { offsets, points } = recoverQuads(triangles, positions);
  return {
    ...{ positions, triangles, normals: computeNormals(positions, triangles) },
    neighbours: findNeighbours({ offsets, points }, positions.length / 3),
  };
};

/** A body around an axis: how thick it is at each height, its points all on one joint. */
function turned(radius: (t: number) => number, joint = 0, [x0, z0] = [0, 0], scale = 1): HeldBody {
  const [rings, around] = [24, 20];
  const positions: number[] = [];
  const triangles: number[] = [];
  for (let r = 0; r <= rings; r++)
    for (let a = 0; a < around; a++) {
      const angle = (2 * Math.PI * a) / around;
      const t = r / rings;
      positions.push(x0 + radius(t) * Math.cos(angle), 4 * t, z0 + radius(t) * Math.sin(angle));
    }
  const at = (r: number, a: number): number => r * around + (a % around);
  for (let r = 0; r < rings; r++)
    for (let a = 0; a < around; a++)
      triangles.push(at(r, a), at(r + 1, a), at(r + 1, a + 1), at(r, a), at(r + 1, a + 1), at(r, a + 1));
  for (let a = 1; a + 1 < around; a++)
    triangles.push(0, a, a + 1, at(rings, 0), at(rings, a + 1), at(rings, a));
  const surface = surfaceOf(
    Float32Array.from(positions, (x) => x * scale),
    Uint32Array.from(triangles),
  );
  return { surface, rows: rowsFrom(Array.from({ length: positions.length / 3 }, () => ({ [joint]: 1 }))) };
}

const bottle = (joint?: number, at?: [number, number], scale?: number): HeldBody =>
  turned((t) => 0.15 + (t < 0.6 ? 0.5 : 0.5 * Math.max(0, 1 - 5 * (t - 0.6))), joint, at, scale);

/** What holds on to a cage as a part does that follows it. */
const heldBy = ({ positions, quads }: MadeCage, { surface }: HeldBody) =>
  holdOn(surfaceOf(positions, trianglesOfQuads(quads)), surface.positions);

describe('a cage', () => {
  test.each([12, 60, 200, 700])(
    'of at most %d points has about as many, and all is within',
    async (points) => {
      const body = bottle();
      const cage = await makeCage({ bodies: [body], points });
      const count = cage.positions.length / 3;
      expect(count).toBeLessThanOrEqual(points);
      expect(count).toBeGreaterThan(0.6 * points);
      expect(cage.outside).toBe(0);
      const hold = await heldBy(cage, body);
      expect(hold?.kind).toBe('cage');
      expect(Math.max(...(hold?.heights ?? [0]))).toBeLessThan(0);
    },
  );

  test('lies close: the finer, the closer', async () => {
    const body = bottle();
    const far = async (points: number): Promise<number> => {
      const hold = await heldBy(await makeCage({ bodies: [body], points }), body);
      return -(hold?.heights ?? new Float32Array(1)).reduce((sum, height) => sum + height, 0);
    };
    const [coarse, middle, fine] = [await far(40), await far(150), await far(600)];
    expect(middle).toBeLessThan(coarse);
    expect(fine).toBeLessThan(middle);
  });

  test('is the same on both sides where that is asked', async () => {
    const across = { axis: 0, middle: 0.25 };
    const { positions } = await makeCage({ bodies: [bottle(0, [0.25, 0])], points: 150, across });
    const places = new Set<string>();
    const key = (x: number, y: number, z: number): string => [x, y, z].map((k) => k.toFixed(4)).join(' ');
    for (let i = 0; i < positions.length; i += 3)
      places.add(key(positions[i] - 0.25, positions[i + 1], positions[i + 2]));
    for (let i = 0; i < positions.length; i += 3)
      expect(places).toContain(key(0 - (positions[i] - 0.25) || 0, positions[i + 1], positions[i + 2]));
  });

  test('has at most as many points as asked, however far off the middle it is the same on both sides of', async () => {
    for (const x of [0, 0.3, 3, 40])
      for (const points of [12, 20]) {
        const across = { axis: 0, middle: 0 };
        const { positions } = await makeCage({ bodies: [bottle(0, [x, 0])], points, across });
        expect(positions.length / 3).toBeLessThanOrEqual(points);
      }
  });

  test('is on both sides, where that is asked, of what is on one side only', async () => {
    const body = bottle(0, [3, 0]);
    const cage = await makeCage({ bodies: [body], points: 150, across: { axis: 0, middle: 0 } });
    expect(cage.outside).toBe(0);
    expect((await heldBy(cage, body))?.kind).toBe('cage');
    const least = Math.min(...cage.positions.filter((_, i) => i % 3 === 0));
    expect(least).toBeLessThan(-3);
  });

  test('moves as what is nearest to it, about several bodies too', async () => {
    const bodies = [bottle(3, [-2, 0]), bottle(5, [2, 0])];
    const { positions, rows, outside } = await makeCage({ bodies, points: 200 });
    expect(outside).toBe(0);
    for (let p = 0; p < rows.pointCount; p++) {
      const [{ joint, weight }] = influencesOf(rows, p);
      if (Math.abs(positions[p * 3]) > 1.5)
        expect([joint, weight]).toEqual([positions[p * 3] < 0 ? 3 : 5, 1]);
    }
  });

  test('goes about an open sheet as well, and about very large and very small ones', async () => {
    const { positions, triangles } = grid(10, 10);
    const sheet: HeldBody = {
      surface: surfaceOf(positions, triangles),
      rows: rowsFrom(Array.from({ length: positions.length / 3 }, () => ({ 0: 1 }))),
    };
    expect((await makeCage({ bodies: [sheet], points: 100 })).outside).toBe(0);
    for (const scale of [1e-4, 1e5])
      expect((await makeCage({ bodies: [bottle(0, [0, 0], scale)], points: 150 })).outside).toBe(0);
  });

  test('is refused in a sentence where there is nothing to go about, or with a number that cannot be', async () => {
    const none: HeldBody = {
      surface: surfaceOf(new Float32Array(0), new Uint32Array(0)),
      rows: rowsFrom([]),
    };
    await expect(makeCage({ bodies: [none], points: 100 })).rejects.toThrow(/no surface/);
    const flat = turned(() => 0);
    const point = surfaceOf(flat.surface.positions.fill(1), flat.surface.triangles);
    await expect(makeCage({ bodies: [{ ...flat, surface: point }], points: 100 })).rejects.toThrow(/no size/);
    for (const points of [3, 5000, NaN])
      await expect(makeCage({ bodies: [bottle()], points })).rejects.toThrow(/12 to 1000 points/);
  });
});
