import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { measureCost } from '../../analysis/costs/index.ts';
import { PointMovement } from '../../deform/PointMovement.ts';
import { PosedPalettes } from '../../deform/PosedPalettes.ts';
import { CoreError } from '../../errors.ts';
import { rotationFromAngles, type Pose } from '../../skeleton/pose.ts';
import { boundedShares, createSharesWorkspace, quadratic } from '../../solve/boundedShares.ts';
import { rowsFrom } from '../../testing/shapes.ts';
import { partOf, skeletonOf, tube } from '../../testing/testBody.ts';
import {
  copyRows,
  influenceCount,
  influencesOf,
  rowSum,
  weightOf,
  type WeightRows,
} from '../../weights/rows.ts';
import { copyRow } from '../../weights/delta.ts';
import { dropJoints, type JointDrop, limitInfluences } from './index.ts';

type Place = [number, number, number];
const PLACES: Place[] = [0, 1, 2, 3, 4, 5].map((x): Place => [x, 0, 0]);
const SKELETON = skeletonOf(PLACES.map((place, i) => [`link_${i}`, i - 1, place] as const));
const turn = (joint: number, angles: Place): Pose => ({
  [joint]: { rotation: rotationFromAngles(angles), translation: [0, 0, 0], scale: [1, 1, 1] },
});
const POSES = [1, 2, 3, 4, 5].flatMap((joint) => [
  turn(joint, [0, 0, 60]),
  turn(joint, [0, 45, 0]),
  turn(joint, [30, 0, -40]),
]);
const POSED = new PosedPalettes(SKELETON, POSES);
const NO_LOCKS = new Uint8Array(PLACES.length);

/** A tube along a chain of six, each point on all joints by how near they are. */
function limb(softness = 0.8): { part: ReturnType<typeof partOf>; rows: WeightRows } {
  const { positions, triangles } = tube(-0.5, 5.5, 0, 0, { rings: 24, around: 8 });
  const part = partOf('limb', positions, triangles, PLACES);
  const rows = rowsFrom(
    Array.from({ length: part.pointCount }, (_, p) => {
      const near = PLACES.map(([x]) => Math.exp(-(((positions[p * 3] - x) / softness) ** 2)));
      const kept = near.map((one) => (one > 1e-4 ? one : 0));
      const sum = kept.reduce((total, one) => total + one, 0);
      return Object.fromEntries(
        kept.map((one, joint) => [joint, one / sum]).filter(([, weight]) => weight > 0),
      );
    }),
  );
  return { part, rows };
}
const all = (count: number): Uint32Array => Uint32Array.from({ length: count }, (_, p) => p);

describe('shares within bounds', () => {
  test('two vectors: the share that lies nearest to nothing, by hand', () => {
    // a = (1, 0), b = (−3, 0): three quarters of a and a quarter of b meet at nothing.
    const gram = Float64Array.of(1, -3, -3, 9);
    const shares = Float64Array.of(0.5, 0.5);
    boundedShares(gram, 2, [0, 1], 2, 1, shares, createSharesWorkspace(4));
    expect(shares[0]).toBeCloseTo(0.75, 4);
    expect(shares[1]).toBeCloseTo(0.25, 4);
  });

  test('two that pull alike: the nearer one gets all, none falls below nothing', () => {
    const gram = Float64Array.of(1, 3, 3, 9);
    const shares = Float64Array.of(0.2, 0.8);
    expect(boundedShares(gram, 2, [0, 1], 2, 1, shares, createSharesWorkspace(4))).toBeCloseTo(1, 4);
    expect([...shares]).toEqual([1, 0]);
  });

  test('vectors so short that their products lose their digits: shares still sum to one', () => {
    const gram = Float64Array.from({ length: 9 }, (_, i) => (i === 8 ? 2e-317 : 0));
    const shares = Float64Array.of(1 / 3, 1 / 3, 1 / 3);
    boundedShares(gram, 3, [0, 1, 2], 3, 1, shares, createSharesWorkspace(3));
    expect(shares.reduce((sum, x) => sum + x, 0)).toBeCloseTo(1, 9);
  });

  test('against all mixtures on a grid: none is better', () => {
    const number = fc.double({ min: -1, max: 1, noNaN: true });
    const vectors = fc.array(fc.tuple(number, number, number), { minLength: 3, maxLength: 3 });
    fc.assert(
      fc.property(vectors, (v) => {
        const gram = Float64Array.from({ length: 9 }, (_, i) =>
          v[Math.floor(i / 3)].reduce((sum, x, k) => sum + x * v[i % 3][k], 0),
        );
        const shares = Float64Array.of(1 / 3, 1 / 3, 1 / 3);
        const found = boundedShares(gram, 3, [0, 1, 2], 3, 1, shares, createSharesWorkspace(4));
        let least = Infinity;
        for (let i = 0; i <= 20; i++)
          for (let j = 0; i + j <= 20; j++)
            least = Math.min(least, quadratic(gram, 3, [i / 20, j / 20, 1 - (i + j) / 20]));
        expect(shares.reduce((sum, x) => sum + x, 0)).toBeCloseTo(1, 9);
        expect(Math.min(...shares)).toBeGreaterThanOrEqual(0);
        expect(found).toBeLessThanOrEqual(least + 2e-3);
      }),
    );
  });
});

describe('fewer influences', () => {
  const apply = (rows: WeightRows, found: ReturnType<typeof limitInfluences>): WeightRows => {
    const after = copyRows(rows);
    found.points.forEach((point, i) => copyRow(found.rows, i, after, point));
    return after;
  };

  test('sums stay one, the limit is met, and what is told is what is measured', () => {
    const { part, rows } = limb();
    const found = limitInfluences({ ...part, rows }, POSED, all(part.pointCount), {
      limit: 2,
      locks: NO_LOCKS,
    });
    const after = apply(rows, found);
    expect(found.points.length).toBeGreaterThan(20);
    for (let p = 0; p < part.pointCount; p++) {
      expect(influenceCount(after, p)).toBeLessThanOrEqual(2);
      expect(Math.abs(rowSum(after, p) - 1)).toBeLessThan(1e-6);
    }
    const told = Math.max(...found.costs);
    const { greatest, worst, byPoint } = measureCost([part], [rows], [after], POSED);
    expect(Math.abs(greatest - told)).toBeLessThan(0.01 * told);
    expect(byPoint[0][worst?.point ?? -1]).toBeCloseTo(greatest, 6);
  });

  test('no point moves farther than by dropping the smallest, and some less', () => {
    const { part, rows } = limb();
    const found = limitInfluences({ ...part, rows }, POSED, all(part.pointCount), {
      limit: 3,
      locks: NO_LOCKS,
    });
    found.costs.forEach((cost, i) => expect(cost).toBeLessThanOrEqual(found.plainCosts[i]));
    const [own, plain] = [found.costs, found.plainCosts].map((costs) => costs.reduce((sum, x) => sum + x, 0));
    expect(own).toBeLessThan(plain);
  });

  test('at the point that moves farthest, no choice of joints and no weights for them do better', () => {
    const { part, rows } = limb(1.1);
    const limit = 3;
    const found = limitInfluences({ ...part, rows }, POSED, all(part.pointCount), { limit, locks: NO_LOCKS });
    const most = found.costs.indexOf(Math.max(...found.costs));
    const own = influencesOf(rows, found.points[most]);
    const movement = new PointMovement(POSED, part.positions, part.inverseBinds);
    const [joints, weights] = [own.map(({ joint }) => joint), own.map(({ weight }) => weight)];
    movement.look(found.points[most], joints, weights, own.length);
    const squares = new Float64Array(POSED.count);
    let least = Infinity;
    for (let a = 0; a < own.length; a++)
      for (let b = a + 1; b < own.length; b++)
        for (let c = b + 1; c < own.length; c++)
          for (let i = 0; i <= 40; i++)
            for (let j = 0; i + j <= 40; j++) {
              const shares = new Float64Array(own.length);
              [shares[a], shares[b], shares[c]] = [i / 40, j / 40, 1 - (i + j) / 40];
              least = Math.min(least, Math.sqrt(movement.squares(shares, squares)));
            }
    expect(found.costs[most]).toBeLessThanOrEqual(1.001 * least);
  });

  test('the plain cost is that of the largest weights in proportion', () => {
    const { part, rows } = limb();
    const found = limitInfluences({ ...part, rows }, POSED, all(part.pointCount), {
      limit: 1,
      locks: NO_LOCKS,
    });
    const plain = copyRows(rows);
    for (const point of found.points) {
      const largest = rows.joints[point * rows.stride];
      plain.values.fill(0, point * rows.stride, (point + 1) * rows.stride);
      plain.joints.fill(0, point * rows.stride, (point + 1) * rows.stride);
      plain.joints[point * rows.stride] = largest;
      plain.values[point * rows.stride] = 1;
    }
    const { byPoint } = measureCost([part], [rows], [plain], POSED);
    found.points.forEach((point, i) => expect(found.plainCosts[i]).toBeCloseTo(byPoint[0][point], 5));
  });

  test('locked joints keep their weight to the bit, and hold points above the limit', () => {
    const { part, rows } = limb();
    const locks = Uint8Array.of(0, 0, 1, 1, 0, 0);
    const found = limitInfluences({ ...part, rows }, POSED, all(part.pointCount), { limit: 2, locks });
    found.points.forEach((point, i) => {
      for (const joint of [2, 3]) expect(weightOf(found.rows, i, joint)).toBe(weightOf(rows, point, joint));
    });
    for (const point of found.held)
      expect(weightOf(rows, point, 2) > 0 && weightOf(rows, point, 3) > 0).toBe(true);
    expect(found.held.length).toBeGreaterThan(0);
  });

  test('nothing is over a limit that all keep; nothing that does not move costs nothing', () => {
    const { part, rows } = limb();
    const none = limitInfluences({ ...part, rows }, POSED, all(part.pointCount), {
      limit: 8,
      locks: NO_LOCKS,
    });
    expect(none.points).toHaveLength(0);
    const still = new PosedPalettes(SKELETON, [{}]);
    const found = limitInfluences({ ...part, rows }, still, all(part.pointCount), {
      limit: 1,
      locks: NO_LOCKS,
    });
    expect(Math.max(...found.costs)).toBeLessThan(1e-5);
    expect(measureCost([part], [rows], [rows], POSED)).toMatchObject({ greatest: 0, rms: 0, changed: 0 });
  });

  test('a limit that is none is refused', () => {
    const { part, rows } = limb();
    const limit = (n: number) => () =>
      limitInfluences({ ...part, rows }, POSED, all(1), { limit: n, locks: NO_LOCKS });
    expect(limit(0)).toThrow(CoreError);
    expect(limit(1.5)).toThrow(/whole number from 1/);
  });
});

/** Rows of the one part after joints went. */
function without(rows: WeightRows, drops: readonly JointDrop[]): WeightRows {
  const after = copyRows(rows);
  for (const drop of drops)
    for (const { points, rows: own } of drop.rows)
      points.forEach((point, i) => copyRow(own, i, after, point));
  return after;
}

describe('fewer joints', () => {
  test('the one that does what its neighbours do goes first, and costs nothing', () => {
    const { part, rows } = limb(0.5);
    // The last link never turns on its own.
    const posed = new PosedPalettes(
      SKELETON,
      POSES.filter((pose) => !('5' in pose)),
    );
    const drops = dropJoints(SKELETON, [{ ...part, rows }], posed, {
      locks: NO_LOCKS,
      mayGo: () => true,
      limit: 4,
    });
    expect(drops[0]).toMatchObject({ joint: 5, receiver: 4 });
    expect(drops[0].cost).toBeLessThan(1e-4);
    expect(drops[1].cost).toBeGreaterThan(0.01);
  });

  test('what is told is what is measured, and no weight is left on those that went', () => {
    const { part, rows } = limb();
    const drops = dropJoints(SKELETON, [{ ...part, rows }], POSED, {
      locks: NO_LOCKS,
      mayGo: (joint) => joint !== 0,
      limit: 3,
    });
    const after = without(rows, drops);
    const gone = drops.map(({ joint }) => joint);
    expect(gone).toHaveLength(3);
    expect(gone).not.toContain(0);
    for (let p = 0; p < part.pointCount; p++) {
      for (const joint of gone) expect(weightOf(after, p, joint)).toBe(0);
      expect(Math.abs(rowSum(after, p) - 1)).toBeLessThan(1e-6);
      expect(influenceCount(after, p)).toBeLessThanOrEqual(influenceCount(rows, p));
    }
    const { greatest } = measureCost([part], [rows], [after], POSED);
    expect(Math.abs(greatest - drops[2].cost)).toBeLessThan(0.01 * greatest);
    expect(drops.map(({ cost }) => cost)).toEqual([...drops.map(({ cost }) => cost)].sort((a, b) => a - b));
  });

  test('locked joints take and lose nothing: the last that is not locked has nobody to give to, and stays', () => {
    const { part, rows } = limb();
    const locks = Uint8Array.of(0, 1, 0, 0, 0, 0);
    const drops = dropJoints(SKELETON, [{ ...part, rows }], POSED, { locks, mayGo: () => true, limit: 1 });
    expect(drops.map(({ joint }) => joint)).not.toContain(1);
    expect(drops).toHaveLength(4);
    const after = without(rows, drops);
    for (let p = 0; p < part.pointCount; p++) {
      expect(weightOf(after, p, 1)).toBeCloseTo(weightOf(rows, p, 1), 6);
      expect(rowSum(after, p)).toBeCloseTo(1, 6);
    }
  });
});
