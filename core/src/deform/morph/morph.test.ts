import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { halvesOf, movesOfPoints, type PointMoves, reliefOf } from '../../mesh/morphs.ts';
import { computeNormals } from '../../mesh/normals.ts';
import { grid } from '../../testing/shapes.ts';
import { buildPalette, poseWorld, REST_JOINT, rotationFromAngles } from '../../skeleton/pose.ts';
import { skeletonOf } from '../../testing/testBody.ts';
import { PartMorpher } from './PartMorpher.ts';
import { shareAt, turnAngle } from './turns.ts';

const { positions, triangles } = grid(4, 4);
const pointCount = positions.length / 3;
const part = { positions, triangles, pointCount, normals: computeNormals(positions, triangles) };
const all = Uint32Array.from({ length: pointCount }, (_, p) => p);
const movesBy = (move: (x: number, y: number) => [number, number, number]): PointMoves => ({
  points: all,
  moves: Float32Array.from([...all].flatMap((p) => move(positions[p * 3], positions[p * 3 + 1]))),
});

describe('shapes on a part', () => {
  test('a slope turns every normal by its angle', () => {
    const [rest, normals] = [positions.slice(), part.normals.slice()];
    new PartMorpher(part).apply([{ moves: movesBy((x) => [0, 0, x]), amount: 1 }], rest, normals);
    for (let p = 0; p < pointCount; p++) {
      expect(rest[p * 3 + 2]).toBeCloseTo(positions[p * 3], 6);
      expect(normals[p * 3]).toBeCloseTo(-Math.SQRT1_2, 5);
      expect(normals[p * 3 + 2]).toBeCloseTo(Math.SQRT1_2, 5);
    }
  });

  test('several add up by their amounts and masks; none gives back what was, to the bit', () => {
    const amount = fc.double({ min: -2, max: 2, noNaN: true });
    fc.assert(
      fc.property(amount, amount, fc.double({ min: 0, max: 1, noNaN: true }), (a, b, share) => {
        const [rest, normals] = [positions.slice(), part.normals.slice()];
        const [one, other] = [movesBy((x, y) => [y, 0, x * y]), movesBy((x) => [0, x, 1])];
        const mask = Float32Array.from(all, (p) => (p % 2 === 0 ? 1 : share));
        const morpher = new PartMorpher(part);
        morpher.apply(
          [
            { moves: one, amount: a },
            { moves: other, amount: b, mask },
          ],
          rest,
          normals,
        );
        for (let i = 0; i < rest.length; i++) {
          const wanted = positions[i] + a * one.moves[i] + b * mask[Math.floor(i / 3)] * other.moves[i];
          expect(rest[i]).toBeCloseTo(wanted, 4);
        }
        morpher.apply([], rest, normals);
        expect(rest).toEqual(positions);
        expect(normals).toEqual(part.normals);
      }),
    );
  });

  test('points that nothing moves keep place and normal', () => {
    const [rest, normals] = [positions.slice(), part.normals.slice()];
    const moves = { points: Uint32Array.of(0), moves: Float32Array.of(0, 0, 1) };
    new PartMorpher(part).apply([{ moves, amount: 1 }], rest, normals);
    expect(rest.filter((x, i) => x !== positions[i])).toHaveLength(1);
    // The far corner has no face in common with it.
    expect([...normals.slice(-3)]).toEqual([0, 0, 1]);
    expect(normals[2]).toBeLessThan(1);
  });
});

test('a relief says how far points go, against the farthest', () => {
  const relief = reliefOf({ points: Uint32Array.of(1, 3), moves: Float32Array.of(0, 3, 4, 0, 1, 0) }, 5);
  expect([...relief]).toEqual([0, 1, 0, expect.closeTo(0.2, 6), 0]);
});

test('of vertices on one point the first says how it moves', () => {
  const target = {
    part: 0,
    vertices: Uint32Array.of(1, 2, 4),
    positions: Float32Array.of(1, 0, 0, 2, 0, 0, 3, 0, 0),
  };
  const { points, moves } = movesOfPoints(target, Uint32Array.of(0, 2, 2, 3, 1));
  expect([...points]).toEqual([1, 2]);
  expect([...moves]).toEqual([3, 0, 0, 1, 0, 0]);
});

test('two halves are one everywhere, whole on their own side, and each the other’s mirror image', () => {
  fc.assert(
    fc.property(
      fc.array(fc.double({ min: -2, max: 2, noNaN: true }), { maxLength: 20 }),
      fc.double({ min: 0, max: 2, noNaN: true }),
      (heights, width) => {
        const whole = Float32Array.from(
          heights,
          (height) => Math.round(255 * Math.abs(Math.sin(height))) / 255,
        );
        const masked = halvesOf(Float32Array.from(heights), width, whole);
        heights.forEach((_, i) => {
          const steps = [masked.one, masked.other, whole].map((of) => Math.round(255 * of[i]));
          expect(steps[0] + steps[1]).toBe(steps[2]);
          expect(Math.min(...steps)).toBeGreaterThanOrEqual(0);
        });
        const { one, other } = halvesOf(Float32Array.from(heights), width);
        heights.forEach((height, i) => {
          expect(Math.round(255 * one[i]) + Math.round(255 * other[i])).toBe(255);
          if (height > width / 2 + 1e-6) expect(one[i]).toBe(1);
          if (height < -width / 2 - 1e-6) expect(one[i]).toBe(0);
        });
      },
    ),
  );
});

describe('a joint’s turn', () => {
  const skeleton = skeletonOf([
    ['upper', -1, [1, 0, 0]],
    ['lower', 0, [3, 1, 0]],
  ]);
  // Bound as it rests; the part stands elsewhere than its file's space.
  const binds = Float32Array.from([
    ...[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -1, 0, 0, 1],
    ...[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -3, -1, 0, 1],
    ...[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1],
  ]);
  const paletteOf = (
    upper: [number, number, number],
    lower: [number, number, number],
    scale = 1,
  ): Float32Array => {
    const world = new Float32Array(32);
    const pose = {
      0: { ...REST_JOINT, rotation: rotationFromAngles(upper), scale: [scale, scale, scale] as const },
      1: { ...REST_JOINT, rotation: rotationFromAngles(lower) },
    };
    poseWorld(skeleton, pose, world);
    const palette = new Float32Array(48);
    buildPalette(world, binds, palette);
    return palette;
  };

  test('is told about each axis, whatever the joints above do', () => {
    const angle = fc.double({ min: -175, max: 175, noNaN: true });
    fc.assert(
      fc.property(
        angle,
        angle,
        angle,
        fc.constantFrom(0, 1, 2),
        fc.constantFrom(1, 2.5),
        (a, b, c, axis, scale) => {
          const turned = [0, 0, 0] as [number, number, number];
          turned[axis] = c;
          const of = { joint: 1, axis: 'xyz'[axis] as 'x' };
          expect(turnAngle(paletteOf([a, b, 20], turned, scale), binds, of, 0)).toBeCloseTo(c, 2);
        },
      ),
    );
  });

  test('of one without a parent is told against rest; what is turned about another axis is none', () => {
    expect(turnAngle(paletteOf([40, 0, 0], [0, 0, 0]), binds, { joint: 0, axis: 'x' }, -1)).toBeCloseTo(
      40,
      3,
    );
    expect(turnAngle(paletteOf([0, 0, 0], [0, 50, 0]), binds, { joint: 1, axis: 'x' }, 0)).toBeCloseTo(0, 3);
  });

  test('is on from one angle to another, either way, evenly or gently', () => {
    const range = { joint: 0, axis: 'x', from: 20, to: 60 } as const;
    expect([0, 20, 30, 60, 90].map((angle) => shareAt(range, angle))).toEqual([0, 0, 0.25, 1, 1]);
    const back = { ...range, from: 0, to: -90 };
    expect([45, 0, -45, -90].map((angle) => shareAt(back, angle))).toEqual([0, 0, 0.5, 1].map((x) => x + 0));
    expect(shareAt({ ...range, isSmooth: true }, 30)).toBeCloseTo(0.15625, 6);
    expect([59, 60].map((angle) => shareAt({ ...range, from: 60 }, angle))).toEqual([0, 1]);
  });
});
