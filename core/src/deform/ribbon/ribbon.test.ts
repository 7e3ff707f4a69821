import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { buildPalette, poseWorld, type Pose, turned, REST_JOINT } from '../../skeleton/pose.ts';
import { partOf, skeletonOf, tube } from '../../testing/testBody.ts';
import { layRibbon } from './layRibbon.ts';
import type { Ribbon } from './Ribbon.ts';
import { RibbonPoser } from './RibbonPoser.ts';

const PLACES = [0, 1, 2, 3, 4].map((x) => [x, 0, 0] as const);
const skeleton = skeletonOf(PLACES.map((place, i) => [`tail ${i}`, i - 1, place]));
const { positions, triangles } = tube(0, 5, 0, 0, { radius: 0.3, around: 8, rings: 21, capped: false });
const part = partOf('tail', positions, triangles, PLACES);
const RIBBON: Ribbon = {
  joints: [0, 1, 2, 3, 4],
  controls: 6,
  isStartHeld: true,
  isEndHeld: false,
  sharesTwist: true,
  keepsVolume: false,
};

const bend = (degrees: number, axis: 'x' | 'y' | 'z' = 'z'): Pose =>
  Object.fromEntries([0, 1, 2, 3, 4].map((joint) => [joint, turned(REST_JOINT, axis, degrees)]));

/** Where the ribbon puts a point, and how it faces. */
function posed(pose: Pose, some: Partial<Ribbon> = {}, inverseBinds = part.inverseBinds) {
  const own = { ...part, inverseBinds };
  const poser = new RibbonPoser(layRibbon(own, skeleton, { ...RIBBON, ...some }, { width: 1, fall: 0.5 }));
  const world = new Float32Array(skeleton.joints.length * 16);
  poseWorld(skeleton, pose, world);
  const palette = new Float32Array(inverseBinds.length);
  buildPalette(world, inverseBinds, palette);
  poser.pose(palette);
  const out = new Float64Array(6);
  return {
    poser,
    at: (p: number): number[] => {
      poser.place(p, part.positions, part.positions, out);
      return [...out];
    },
  };
}
const middle = ({ at }: ReturnType<typeof posed>, ring: number): number[] =>
  [0, 1, 2].map(
    (k) => Array.from({ length: 8 }, (_, a) => at(ring * 8 + a)[k]).reduce((sum, x) => sum + x, 0) / 8,
  );
const far = (a: readonly number[], b: readonly number[]): number =>
  Math.hypot(...[0, 1, 2].map((k) => a[k] - b[k]));

describe('a ribbon', () => {
  test('at rest leaves all where it is, however many controls and whatever is held', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 3, max: 20 }),
        fc.boolean(),
        fc.boolean(),
        fc.boolean(),
        (controls, isEndHeld, sharesTwist, keepsVolume) => {
          const { at, poser } = posed({}, { controls, isEndHeld, sharesTwist, keepsVolume });
          for (let p = 0; p < part.pointCount; p += 7)
            expect(far(at(p), [...part.positions.subarray(p * 3, p * 3 + 3)])).toBeLessThan(1e-5);
          expect(poser.state.stretch).toBeCloseTo(1, 6);
        },
      ),
      { numRuns: 20 },
    );
  });

  test('over a quarter circle keeps equal spacing', () => {
    const bent = posed(bend(22.5), { controls: 6 });
    const rings = Array.from({ length: 20 }, (_, r) => middle(bent, r));
    const steps = rings.slice(1).map((to, i) => far(rings[i], to));
    const mean = steps.reduce((sum, x) => sum + x, 0) / steps.length;
    for (const step of steps) expect(Math.abs(step / mean - 1)).toBeLessThan(0.02);
    // It goes all the way round.
    expect(rings[19][1]).toBeGreaterThan(2);
    // A quarter of a circle and a half at its ends, over a length of about five.
    const bends = bent.poser.state.bends.subarray(12, 40);
    for (const x of bends) expect(Math.abs(x - Math.PI / 8)).toBeLessThan(0.2);
  });

  test('a whole turn and a move carry it as they are', () => {
    const pose: Pose = { 0: { ...turned(REST_JOINT, 'y', 70), translation: [1, 2, 3] } };
    const { at } = posed(pose, { isEndHeld: true });
    const [c, s] = [Math.cos((70 * Math.PI) / 180), Math.sin((70 * Math.PI) / 180)];
    for (let p = 0; p < part.pointCount; p += 5) {
      const [x, y, z] = part.positions.subarray(p * 3);
      expect(far(at(p), [c * x + s * z + 1, y + 2, c * z - s * x + 3])).toBeLessThan(1e-4);
    }
  });

  test('twist is shared evenly between its ends, or as the joints have it', () => {
    const pose: Pose = { 4: turned(REST_JOINT, 'x', 80) };
    const roll = (ring: number, sharesTwist: boolean): number => {
      const { at } = posed(pose, { sharesTwist });
      const [, y, z] = at(ring * 8);
      const [, y0, z0] = part.positions.subarray(ring * 24);
      return ((Math.atan2(z, y) - Math.atan2(z0, y0)) * 180) / Math.PI;
    };
    expect(roll(8, true)).toBeCloseTo(80 * (8 / 20), 0);
    expect(Math.abs(roll(8, false))).toBeLessThan(1);
    expect(Math.abs(roll(20, true))).toBeCloseTo(80, 0);
  });

  test('stretched it is longer everywhere alike, and thinner where its volume is kept', () => {
    const pose: Pose = { 2: { ...REST_JOINT, translation: [1, 0, 0] } };
    const { at, poser } = posed(pose, { keepsVolume: true });
    expect(poser.state.stretch).toBeCloseTo(6 / 5, 4);
    const rings = [2, 10, 18].map((r) => middle({ at, poser }, r)[0]);
    expect(rings[1] - rings[0]).toBeCloseTo(rings[2] - rings[1], 3);
    const [, y, z] = at(10 * 8);
    expect(Math.hypot(y, z)).toBeCloseTo(0.3 / Math.sqrt(6 / 5), 3);
  });

  test('a part in other lengths, that stands elsewhere, does the same in the scene', () => {
    // The part's own space is a hundredth of the scene's, upside down.
    const m = [0.01, 0, 0, 0, 0, -0.01, 0, 0, 0, 0, -0.01, 0, 0.5, 1, 0, 1];
    const small = new Float32Array(part.inverseBinds.length);
    PLACES.forEach(([x, y, z], j) =>
      small.set([...m.slice(0, 12), m[12] - x, m[13] - y, m[14] - z, 1], j * 16),
    );
    small.set(m, PLACES.length * 16);
    const laid = layRibbon({ ...part, inverseBinds: small }, skeleton, RIBBON, { width: 1, fall: 0.5 });
    expect(laid.scale).toBeCloseTo(0.01, 6);
    const { at, poser } = posed({}, {}, small);
    for (let p = 0; p < part.pointCount; p += 9) {
      const [x, y, z] = part.positions.subarray(p * 3);
      expect(far(at(p), [0.01 * x + 0.5, 1 - 0.01 * y, -0.01 * z])).toBeLessThan(1e-5);
    }
    expect(poser.state.stretch).toBeCloseTo(1, 5);
  });

  test('it holds what is within its width, lets go beyond and behind its start, and keeps to a mask', () => {
    const wide = partOf('wide', [2, 0.2, 0, 2, 0.6, 0, 2, 0.9, 0, -2, 0, 0, 6, 0, 0], [0, 1, 2], PLACES);
    const hold = { width: 0.5, fall: 0.5 };
    const { amounts, shares } = layRibbon(wide, skeleton, RIBBON, hold);
    expect(amounts[0]).toBe(1);
    expect(amounts[1]).toBeGreaterThan(0);
    expect(amounts[1]).toBeLessThan(1);
    expect(amounts[2]).toBe(0);
    expect(amounts[3]).toBe(0);
    expect(shares[0]).toBeCloseTo(2 / 5, 2);
    expect(amounts[4]).toBe(0);
    const masked = layRibbon(wide, skeleton, RIBBON, { ...hold, mask: Float32Array.of(0.5, 0, 1, 1, 1) });
    expect([...masked.amounts.subarray(0, 2)]).toEqual([0.5, 0]);
  });
});
