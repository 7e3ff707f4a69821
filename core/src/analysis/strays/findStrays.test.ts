import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { checkInput } from '../checkUp/checkUp.ts';
import { partOf, skeletonOf, tube } from '../../testing/testBody.ts';
import type { Character } from '../../document/character.ts';
import { noSourceWeights } from '../../formats/gltf/readWeights.ts';
import { apply } from '../../weights/delta.ts';
import { OTHERS } from '../../weights/influence.ts';
import { createRows, rowSum, weightOf, type WeightRows } from '../../weights/rows.ts';
import { findStrays, stepsBetween } from './findStrays.ts';
import { removeStrays } from '../../operations/repair/removeStrays.ts';

const PLACES = [-8, -4, 0, 4, 8, 12].map((x) => [x, 0, 0] as const);
const SKELETON = skeletonOf(PLACES.map((place, i) => [`link_${i}`, i - 1, place]));
const AROUND = 10;
const RINGS = 81;

/** A long tube about a chain of six joints, each point on the joint whose bone it lies about, blended at the borders. */
function snake(): Character {
  const { positions, triangles } = tube(-8, 16, 0, 0, { around: AROUND, rings: RINGS, radius: 1 });
  const part = partOf('snake', positions, triangles, PLACES);
  const rows = createRows(part.pointCount);
  for (let p = 0; p < part.pointCount; p++) {
    const at = (positions[p * 3] + 8) / 4;
    const own = Math.max(0, Math.min(5, Math.floor(at)));
    const next = Math.min(5, own + 1);
    const share = own === next ? 0 : Math.max(0, at - own - 0.75) * 2;
    rows.joints[p * 8] = share > 0.5 ? next : own;
    rows.values[p * 8] = Math.fround(Math.max(share, 1 - share));
    if (share === 0) continue;
    rows.joints[p * 8 + 1] = share > 0.5 ? own : next;
    rows.values[p * 8 + 1] = Math.fround(1 - rows.values[p * 8]);
  }
  return {
    parts: [part],
    skeleton: SKELETON,
    rows: [rows],
    sourceWeights: [noSourceWeights(part.pointCount)],
    clips: [],
    morphs: [],
    plainNodes: [],
    materialCount: 0,
    notes: [],
  };
}

const copyOf = (rows: WeightRows): WeightRows => ({
  ...rows,
  joints: rows.joints.slice(),
  values: rows.values.slice(),
});
const findIn = (character: Character, rows: WeightRows) =>
  findStrays(checkInput(character, { rows: [rows] }));

/** Gives a block of points some weight of a joint. */
function plant(rows: WeightRows, ring: number, width: number, joint: number, amount: number): number[] {
  const points: number[] = [];
  for (let r = ring; r < ring + 3; r++) for (let k = 0; k < width; k++) points.push(r * AROUND + k);
  for (const p of points) {
    const row: [number, number][] = [[joint, amount]];
    for (let k = p * 8; rows.values[k] > 0; k++) row.push([rows.joints[k], rows.values[k] * (1 - amount)]);
    row
      .filter(([, weight]) => weight > 0)
      .sort((a, b) => b[1] - a[1])
      .forEach(([j, weight], k) => {
        rows.joints[p * 8 + k] = j;
        rows.values[p * 8 + k] = weight;
      });
  }
  return points;
}

const locksOf = (...locked: number[]): Uint8Array =>
  Uint8Array.from(SKELETON.joints, (_, joint) => Number(locked.includes(joint)));

describe('strays', () => {
  test('a well painted snake has none', () => {
    const character = snake();
    expect(findIn(character, character.rows[0])).toEqual([]);
  });

  test('steps along the skeleton', () => {
    const steps = stepsBetween(SKELETON);
    expect([...steps.subarray(0, 6)]).toEqual([0, 1, 2, 3, 4, 5]);
    expect(steps[5 * 6]).toBe(5);
  });

  test('patches planted at random are found point by point; removing them gives the weights back, and none is left', () => {
    const character = snake();
    fc.assert(
      fc.property(
        fc.integer({ min: 4, max: 20 }),
        fc.integer({ min: 1, max: 6 }),
        fc.integer({ min: 4, max: 5 }),
        fc.double({ min: 0.02, max: 0.99, noNaN: true }),
        (ring, width, joint, amount) => {
          const rows = copyOf(character.rows[0]);
          const planted = plant(rows, ring, width, joint, amount);
          const strays = findIn(character, rows);
          expect(strays).toHaveLength(1);
          expect([...strays[0].points]).toEqual(planted.sort((a, b) => a - b));
          const { change, held } = removeStrays(character.parts, [rows], strays, {
            receiver: OTHERS,
            locks: locksOf(),
            limit: 8,
          });
          expect(held).toBe(0);
          apply([rows], change);
          expect(findIn(character, rows)).toEqual([]);
          for (const p of planted) {
            expect(rowSum(rows, p)).toBeCloseTo(1, 6);
            for (let j = 0; j < 6; j++)
              expect(weightOf(rows, p, j)).toBeCloseTo(weightOf(character.rows[0], p, j), 3);
          }
        },
      ),
      { numRuns: 40 },
    );
  });

  test('whole weight is healed from the surface around', () => {
    const character = snake();
    const rows = copyOf(character.rows[0]);
    // In the middle of the second link, where all around follow it alone.
    const planted = plant(rows, 18, 4, 5, 1);
    const strays = findIn(character, rows);
    expect(strays.map(({ kind }) => kind)).toEqual(['apart']);
    apply(
      [rows],
      removeStrays(character.parts, [rows], strays, { receiver: OTHERS, locks: locksOf(), limit: 8 }).change,
    );
    for (const p of planted) expect(weightOf(rows, p, 1)).toBeCloseTo(1, 5);
  });

  test('locked joints keep theirs; the receiver gets what is freed', () => {
    const character = snake();
    const rows = copyOf(character.rows[0]);
    const planted = plant(rows, 6, 3, 5, 0.4);
    const strays = findIn(character, rows);
    const locked = { receiver: OTHERS, locks: locksOf(5), limit: 8 };
    expect(removeStrays(character.parts, [rows], strays, locked)).toEqual({
      change: [],
      held: planted.length,
    });
    const toJoint = { receiver: { kind: 'joint', joint: 2 } as const, locks: locksOf(), limit: 8 };
    apply([rows], removeStrays(character.parts, [rows], strays, toJoint).change);
    for (const p of planted) {
      expect(weightOf(rows, p, 2)).toBeCloseTo(0.4, 5);
      expect(weightOf(rows, p, 5)).toBe(0);
    }
  });

  test('kinds: a joint whose deforming is off, leftovers, single points', () => {
    const character = snake();
    const kindOf = (nonDeforming: number[], width: number, amount: number): (string | undefined)[] => {
      const rows = copyOf(character.rows[0]);
      plant(rows, 6, width, 5, amount);
      return findStrays(checkInput(character, { rows: [rows], nonDeforming: new Set(nonDeforming) })).map(
        ({ kind }) => kind,
      );
    };
    expect(kindOf([], 3, 0.01)).toEqual(['tiny']);
    expect(kindOf([], 3, 0.3)).toEqual(['apart']);
    expect(kindOf([5], 3, 0.3)).toEqual(['root', 'root']);
    const rows = copyOf(character.rows[0]);
    const first = 60;
    rows.joints.set([0, 5], first * 8);
    rows.values.set([0.75, 0.25], first * 8);
    expect(findIn(character, rows).map(({ kind, points }) => [kind, ...points])).toEqual([['alone', first]]);
  });

  test('a single point on a neighbouring joint is a spike where all around it agree', () => {
    const character = snake();
    const rows = copyOf(character.rows[0]);
    // In the middle of the second link, on the third.
    const spike = 20 * AROUND + 3;
    rows.joints.set([2, 1], spike * 8);
    rows.values.set([0.75, 0.25], spike * 8);
    expect(findIn(character, rows).map(({ kind, joint, points }) => [kind, joint, ...points])).toEqual([
      ['alone', 2, spike],
    ]);
    rows.values.set([0.3], spike * 8);
    rows.joints.set([1, 2], spike * 8);
    rows.values.set([0.7, 0.3], spike * 8);
    expect(findIn(character, rows)).toEqual([]);
  });
});
