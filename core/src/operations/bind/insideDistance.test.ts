import { describe, expect, test } from '@jest/globals';
import { createPlainMemory } from '../../memory/kernelMemory.ts';
import { FACTOR_STEPS, type Bones } from '../../skeleton/bones.ts';
import { fillSolid, type Solid } from '../../spatial/solid.ts';
import { readSoup } from '../../spatial/soup.ts';
import { readInside, spreadInside } from './insideDistance.ts';

const memory = createPlainMemory();

/** Closed boxes, each from a corner to the opposite one, as one soup. */
async function solidOf(boxes: readonly (readonly [number[], number[]])[], cells = 12_000): Promise<Solid> {
  const positions: number[] = [];
  const triangles: number[] = [];
  for (const [from, to] of boxes) {
    const first = positions.length / 3;
    for (let i = 0; i < 8; i++)
      positions.push(i & 1 ? to[0] : from[0], i & 2 ? to[1] : from[1], i & 4 ? to[2] : from[2]);
    for (const [a, b, c, d] of [
      [0, 2, 3, 1],
      [4, 5, 7, 6],
      [0, 1, 5, 4],
      [2, 6, 7, 3],
      [0, 4, 6, 2],
      [1, 3, 7, 5],
    ])
      triangles.push(...[a, b, c, a, c, d].map((p) => p + first));
  }
  const [places, corners] = [Float32Array.from(positions), Uint32Array.from(triangles)];
  return fillSolid(places, corners, readSoup(places, corners, memory), cells);
}

/** Bones of the joints 0, 1, … between places; every length counts once. */
const bonesOf = (...ends: (readonly [readonly number[], readonly number[]])[]): Bones => ({
  count: ends.length,
  joints: Uint16Array.from(ends, (_, joint) => joint),
  ends: Float32Array.from(ends.flatMap(([from, to]) => [...from, ...to])),
  factors: new Float32Array(ends.length * FACTOR_STEPS).fill(1),
});

/** How far each joint is from a place, through the inside; Infinity for one that does not get there. */
function distancesAt(solid: Solid, bones: Bones, place: readonly number[], width = 4): number[] {
  const inside = spreadInside(solid, bones, width, () => undefined);
  const reach = readInside(inside, bones, Float32Array.from(place), memory);
  const found = new Array<number>(bones.count).fill(Infinity);
  for (let k = 0; k < width; k++)
    if (reach.distances[k] !== Infinity) found[reach.joints[k]] = reach.distances[k];
  return found;
}

describe('distances through the inside', () => {
  test('in a box they are straight ones, to the nearest place on the bone', async () => {
    const solid = await solidOf([
      [
        [-2, -1, -1],
        [2, 1, 1],
      ],
    ]);
    const bones = bonesOf(
      [
        [-1.5, 0, 0],
        [0, 0, 0],
      ],
      [
        [1, 0, 0],
        [1.5, 0, 0],
      ],
    );
    const [one, other] = distancesAt(solid, bones, [0.4, 0.3, 0]);
    expect(one).toBeCloseTo(Math.hypot(0.4, 0.3), 1);
    expect(other).toBeCloseTo(Math.hypot(0.6, 0.3), 1);
    expect(distancesAt(solid, bones, [-0.7, 0.5, 0])[0]).toBeCloseTo(0.5, 1);
  });

  test('about a corner they go round it, not through the air', async () => {
    // Two legs that hang from one hip: a path from foot to foot leads over the hip.
    const solid = await solidOf([
      [
        [-1, 0, -0.25],
        [-0.5, 3, 0.25],
      ],
      [
        [0.5, 0, -0.25],
        [1, 3, 0.25],
      ],
      [
        [-1, 2.5, -0.25],
        [1, 3, 0.25],
      ],
    ]);
    const bones = bonesOf([
      [-0.75, 0.2, 0],
      [-0.75, 0.4, 0],
    ]);
    const [across] = distancesAt(solid, bones, [0.75, 0.2, 0]);
    // Up, over and down again, cutting the corners: at least this, and not much more.
    const least = 2 * Math.hypot(2.1, 0.25) + 1;
    expect(across).toBeGreaterThan(least - 0.1);
    expect(across).toBeLessThan(least * 1.15);
  });

  test('a body apart is never reached', async () => {
    const solid = await solidOf([
      [
        [-2, -0.5, -0.5],
        [-1, 0.5, 0.5],
      ],
      [
        [1, -0.5, -0.5],
        [2, 0.5, 0.5],
      ],
    ]);
    const bones = bonesOf(
      [
        [-1.8, 0, 0],
        [-1.2, 0, 0],
      ],
      [
        [1.2, 0, 0],
        [1.8, 0, 0],
      ],
    );
    expect(distancesAt(solid, bones, [-1.5, 0.2, 0])[1]).toBe(Infinity);
    expect(distancesAt(solid, bones, [1.5, 0.2, 0])[0]).toBe(Infinity);
  });

  test('a bone that counts twice is twice as far', async () => {
    const solid = await solidOf([
      [
        [-2, -1, -1],
        [2, 1, 1],
      ],
    ]);
    const bones = bonesOf([
      [-1, 0, 0],
      [0, 0, 0],
    ]);
    const [once] = distancesAt(solid, bones, [0.8, 0, 0]);
    const [twice] = distancesAt(solid, { ...bones, factors: bones.factors.map(() => 2) }, [0.8, 0, 0]);
    expect(twice / once).toBeCloseTo(2, 1);
  });

  test('only the nearest joints are kept, and no nearer one is lost', async () => {
    const solid = await solidOf([
      [
        [-3, -1, -1],
        [3, 1, 1],
      ],
    ]);
    const at = [-2.5, -1.5, -0.5, 0.5, 1.5, 2.5];
    const bones = bonesOf(
      ...at.map(
        (x) =>
          [
            [x, 0, 0],
            [x + 0.2, 0, 0],
          ] as const,
      ),
    );
    const found = distancesAt(solid, bones, [-2.4, 0.3, 0], 3);
    expect(found.map((far) => far < Infinity)).toEqual([true, true, true, false, false, false]);
    expect(found[0]).toBeLessThan(found[1]);
    expect(found[1]).toBeLessThan(found[2]);
  });

  test('the units of the file do not matter', async () => {
    const box = (s: number) =>
      solidOf([
        [
          [-2 * s, -s, -s],
          [2 * s, s, s],
        ],
      ]);
    const bones = (s: number) =>
      bonesOf([
        [-s, 0, 0],
        [0, 0, 0],
      ]);
    const [small] = distancesAt(await box(1e-3), bones(1e-3), [8e-4, 0, 0]);
    const [large] = distancesAt(await box(1e3), bones(1e3), [800, 0, 0]);
    expect(large / small / 1e6).toBeCloseTo(1, 3);
  });

  test('it tells how far it is, and can be ended', async () => {
    const solid = await solidOf([
      [
        [-2, -1, -1],
        [2, 1, 1],
      ],
    ]);
    const bones = bonesOf([
      [-1, 0, 0],
      [0, 0, 0],
    ]);
    const told: number[] = [];
    spreadInside(solid, bones, 2, (share) => told.push(share));
    for (let i = 1; i < told.length; i++) expect(told[i]).toBeGreaterThanOrEqual(told[i - 1]);
    expect(told.every((share) => share >= 0 && share <= 1)).toBe(true);
    expect(() =>
      spreadInside(solid, bones, 2, () => {
        throw new Error('Stopped.');
      }),
    ).toThrow('Stopped.');
  });
});
