import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { blendBorders, borderBand } from '../paint/blendBorders.ts';
import { createPaintWorkspace } from '../paint/stroke.ts';
import { maskOf } from '../../mesh/masks.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { apply, copyRow, invert } from '../../weights/delta.ts';
import { createRows, rowSum, weightOf, type WeightRows } from '../../weights/rows.ts';
import { bonesOf, distanceToBones, fitReaches, reachAt, ReachWork } from './reachCapsules.ts';
import { boundPositions } from '../../document/space/boundSpace.ts';
import type { JointReach } from '../../document/settings.ts';
import { rewritePoints } from '../../weights/rewritePoints.ts';
import { chainOf, DEFAULT_CHAIN, spreadChain, type ChainSettings } from './spreadChain.ts';
import { partOf, skeletonOf, tube } from '../../testing/testBody.ts';
import { tieToJoint } from './tie.ts';
import { createPlainMemory } from '../../memory/kernelMemory.ts';

const RINGS = 41;
const AROUND = 8;
/** A tube along x from 0 to 8, about four joints at 0, 2, 4 and 6. */
const skeleton = skeletonOf([
  ['a', -1, [0, 0, 0]],
  ['b', 0, [2, 0, 0]],
  ['c', 1, [4, 0, 0]],
  ['d', 2, [6, 0, 0]],
]);
const places = Float32Array.from([0, 0, 0, 2, 0, 0, 4, 0, 0, 6, 0, 0]);
const { positions, triangles } = tube(0, 8, 0, 0, {
  radius: 0.5,
  around: AROUND,
  rings: RINGS,
  capped: false,
});
const part = partOf('tube', positions, triangles, []);
const neighbours = findNeighbours(
  { offsets: part.polygonOffsets, points: part.polygonPoints },
  part.pointCount,
);
const all = Uint32Array.from({ length: part.pointCount }, (_, p) => p);
const noLocks = (): Uint8Array => new Uint8Array(4);

function rowsOn(joint: number): WeightRows {
  const rows = createRows(part.pointCount);
  for (let p = 0; p < part.pointCount; p++) {
    rows.joints[p * 8] = joint;
    rows.values[p * 8] = 1;
  }
  return rows;
}
const xOf = (p: number): number => part.positions[p * 3];
const pointAt = (x: number): number => all.find((p) => Math.abs(xOf(p) - x) < 0.01) as number;

function expectSums(rows: WeightRows): void {
  for (let p = 0; p < rows.pointCount; p++) expect(rowSum(rows, p)).toBeCloseTo(1, 5);
}

describe('a chain', () => {
  const spread = (settings: Partial<ChainSettings>, locks = noLocks()): WeightRows => {
    const rows = rowsOn(3);
    const rules = { locks, limit: 4 };
    const full = { ...DEFAULT_CHAIN, ...settings };
    apply(
      [rows],
      [spreadChain(0, rows, neighbours, boundPositions(part), all, [0, 1, 2, 3], places, full, rules)],
    );
    expectSums(rows);
    return rows;
  };

  test('each stretch follows its joint, borders lie at the joints and are shared in halves', () => {
    const rows = spread({ overlap: 0.8 });
    [1, 3, 5, 7].forEach((x, joint) => expect(weightOf(rows, pointAt(x), joint)).toBe(1));
    for (const [x, a, b] of [
      [2, 0, 1],
      [4, 1, 2],
      [6, 2, 3],
    ]) {
      expect(weightOf(rows, pointAt(x), a)).toBeCloseTo(0.5, 3);
      expect(weightOf(rows, pointAt(x), b)).toBeCloseTo(0.5, 3);
      // As far to one side as to the other.
      expect(weightOf(rows, pointAt(x + 0.4), b)).toBeCloseTo(weightOf(rows, pointAt(x - 0.4), a), 3);
    }
  });

  test('without overlap every point follows one joint', () => {
    const rows = spread({ overlap: 0 });
    const shared = [...all].filter((p) => rows.values[p * 8] < 0.999);
    expect(shared.every((p) => [2, 4, 6].some((x) => Math.abs(xOf(p) - x) < 0.01))).toBe(true);
  });

  test('held ends follow the end joints whole; what is between bends evenly', () => {
    const rows = spread({ holdStart: 0.25, holdEnd: 0.25 });
    expect(weightOf(rows, pointAt(2), 0)).toBe(1);
    expect(weightOf(rows, pointAt(6), 3)).toBe(1);
    expect(weightOf(rows, pointAt(4), 1)).toBeCloseTo(0.5, 3);
    expect(weightOf(rows, pointAt(3), 0)).toBeCloseTo(0.5, 3);
  });

  test('a locked joint keeps its weight, here all of it', () => {
    const rows = spread({}, Uint8Array.of(0, 0, 0, 1));
    for (const p of all) expect(weightOf(rows, p, 3)).toBe(1);
  });

  test('a chain of one is a tie; a chain in one place, or of nothing, is refused', () => {
    const rows = rowsOn(3);
    const run = (chain: number[], at = places, settings = DEFAULT_CHAIN) =>
      spreadChain(0, rows, neighbours, boundPositions(part), all, chain, at, settings, {
        locks: noLocks(),
        limit: 4,
      });
    apply([rows], [run([1])]);
    for (const p of all) expect(weightOf(rows, p, 1)).toBe(1);
    expect(() => run([0, 1], new Float32Array(12))).toThrow('stand in one place');
    expect(() => run([0, 1], places, { ...DEFAULT_CHAIN, holdStart: 0.5, holdEnd: 0.5 })).toThrow(
      'held ends',
    );
    expect(() => chainOf(skeleton, [])).toThrow('Choose the joints');
  });

  test('one joint stands for what hangs on it, two for the way between them', () => {
    expect(chainOf(skeleton, [1])).toEqual([1, 2, 3]);
    expect(chainOf(skeleton, [3, 1])).toEqual([1, 2, 3]);
    const forked = skeletonOf([
      ['a', -1, [0, 0, 0]],
      ['b', 0, [1, 0, 0]],
      ['c', 0, [0, 1, 0]],
    ]);
    expect(chainOf(forked, [0])).toEqual([0]);
    expect(() => chainOf(forked, [1, 2])).toThrow('do not hang one below another');
  });
});

describe('reaches', () => {
  const bones = new Map([0, 1, 2, 3].map((joint) => [joint, bonesOf(skeleton, places, joint)]));
  const reach: JointReach = { inner: 0.6, outer: 1.2, strength: 1, falloff: 'smooth' };
  const every = new Map([0, 1, 2, 3].map((joint) => [joint, reach]));
  const work = (rows: WeightRows, reaches = every, locks = noLocks()): ReachWork =>
    new ReachWork([{ index: 0, rows, positions: boundPositions(part) }], bones, reaches, { locks, limit: 4 });

  test('a capsule: full inside, half way down half way out, nothing beyond', () => {
    const wide: JointReach = { ...reach, inner: 1, outer: 3 };
    expect(reachAt({ ...wide, strength: 0.8 }, 0.5)).toBe(0.8);
    expect(reachAt({ ...wide, strength: 0.8 }, 2)).toBeCloseTo(0.4, 9);
    expect(reachAt({ ...wide, strength: 0.8 }, 3)).toBe(0);
    expect(reachAt({ ...wide, falloff: 'linear' }, 1.5)).toBeCloseTo(0.75, 9);
    expect(reachAt({ ...wide, falloff: 'sharp' }, 2)).toBeCloseTo(0.25, 9);
    expect(reachAt({ ...wide, falloff: 'flat' }, 2.9)).toBe(1);
    expect(distanceToBones(bones.get(0) as Float64Array, 1, 0.5, 0)).toBeCloseTo(0.5, 9);
    expect(distanceToBones(bones.get(0) as Float64Array, -3, 0, 4)).toBeCloseTo(5, 9);
    // A leaf's own bone: a share of its parent's length.
    expect([...(bones.get(3) as Float64Array)].map((x) => Math.round(x * 1e6) / 1e6)).toEqual([
      6, 0, 0, 6.8, 0, 0,
    ]);
  });

  test('of all joints share the surface: sums one, halves at the joints', () => {
    const rows = rowsOn(0);
    const held = work(rows);
    held.writeAll();
    expectSums(rows);
    expect(weightOf(rows, pointAt(4), 1)).toBeCloseTo(0.5, 3);
    expect(weightOf(rows, pointAt(5), 2)).toBeGreaterThan(0.9);
  });

  test('of one joint: the others keep the rest in proportion, and what is out of reach stays', () => {
    const rows = rowsOn(0);
    const before = rows.values.slice();
    const held = work(rows, new Map([[2, { inner: 0, outer: 1, strength: 0.5, falloff: 'smooth' }]]));
    held.writeAll();
    const p = pointAt(5);
    expect(weightOf(rows, p, 2)).toBeCloseTo(
      reachAt({ inner: 0, outer: 1, strength: 0.5, falloff: 'smooth' }, 0.5),
      3,
    );
    expect(weightOf(rows, p, 0)).toBeCloseTo(1 - weightOf(rows, p, 2), 5);
    expect(weightOf(rows, pointAt(1), 0)).toBe(1);
    const change = held.finish();
    apply([rows], invert(change));
    expect(rows.values).toEqual(before);
  });

  test('dragging there and back is as if nothing had been dragged; only what it touches is written', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 0.61, max: 3, noNaN: true }),
        fc.integer({ min: 0, max: 3 }),
        (outer, joint) => {
          const rows = rowsOn(0);
          const held = work(rows);
          held.writeAll();
          const before = rows.values.slice();
          const [{ points, count }] = held.set(joint, { ...reach, outer });
          for (const p of points.subarray(0, count)) {
            const [x, y, z] = part.positions.subarray(p * 3, p * 3 + 3);
            expect(distanceToBones(bones.get(joint) as Float64Array, x, y, z)).toBeLessThan(
              Math.max(1.2, outer),
            );
          }
          expectSums(rows);
          held.set(joint, reach);
          expect(rows.values).toEqual(before);
        },
      ),
      { numRuns: 25 },
    );
  });

  test('move by move comes out as everything written anew', () => {
    const moves = fc.array(
      fc.record({
        joint: fc.integer({ min: 0, max: 3 }),
        inner: fc.double({ min: 0, max: 1, noNaN: true }),
        wider: fc.double({ min: 0.01, max: 2, noNaN: true }),
        strength: fc.double({ min: 0.1, max: 1, noNaN: true }),
      }),
      { minLength: 1, maxLength: 6 },
    );
    fc.assert(
      fc.property(moves, fc.boolean(), (made, isWritten) => {
        const dragged = rowsOn(0);
        const held = work(dragged);
        if (isWritten) held.writeAll();
        for (const { joint, inner, wider, strength } of made)
          held.set(joint, { inner, outer: inner + wider, strength, falloff: 'smooth' });
        if (!isWritten) held.writeAll();
        const fresh = rowsOn(0);
        work(fresh, new Map(held.reaches)).writeAll();
        expect(dragged).toEqual(fresh);
      }),
      { numRuns: 25 },
    );
  });

  test('locked joints keep theirs; a reach of nothing is refused', () => {
    const rows = rowsOn(0);
    for (let p = 0; p < rows.pointCount; p++) {
      rows.values.set([0.6, 0.4], p * 8);
      rows.joints.set([0, 1], p * 8);
    }
    work(rows, every, Uint8Array.of(0, 1, 0, 0)).writeAll();
    for (const p of all) expect(weightOf(rows, p, 1)).toBe(Math.fround(0.4));
    expectSums(rows);
    expect(() => work(rowsOn(0), new Map([[1, { ...reach, outer: 0, inner: 0 }]]))).toThrow(
      'A reach of nothing',
    );
    expect(() => work(rowsOn(0), new Map([[1, { ...reach, inner: 5 }]]))).toThrow('between 0 and the outer');
  });

  test('fitted to the body most of the tube lies inside', () => {
    const fitted = fitReaches([{ index: 0, rows: rowsOn(0), positions: boundPositions(part) }], bones);
    for (const joint of [0, 1, 2]) expect(fitted.get(joint)?.inner).toBeCloseTo(0.5, 2);
  });
});

describe('blending borders', () => {
  const memory = createPlainMemory();
  const workspace = createPaintWorkspace(memory, part.pointCount, 8, neighbours);
  const blocked = (): WeightRows => {
    const rows = rowsOn(0);
    const right = all.filter((p) => xOf(p) > 4.05);
    apply([rows], [tieToJoint(0, rows, right, 1, { locks: noLocks() })]);
    return rows;
  };

  test('a straight border over three rings falls evenly, and nothing beyond them changes', () => {
    const rows = blocked();
    const band = borderBand(rows, neighbours, 3);
    expect(band.length).toBe(6 * AROUND);
    const delta = blendBorders(0, rows, workspace, 3, { limit: 4, locks: noLocks() });
    // Told, not done.
    expect(weightOf(rows, pointAt(4), 0)).toBe(1);
    apply([rows], [delta]);
    expectSums(rows);
    const line = [3.4, 3.6, 3.8, 4, 4.2, 4.4, 4.6, 4.8].map((x) => weightOf(rows, pointAt(x), 1));
    expect(line[0]).toBe(0);
    expect(line[7]).toBe(1);
    // Even steps from one region into the other.
    for (let i = 1; i < line.length; i++) expect(Math.abs(line[i] - line[i - 1] - 1 / 7)).toBeLessThan(0.05);
  });

  test('within a mask only; locked joints to the bit; too many rings are refused', () => {
    const rows = blocked();
    const upper = maskOf(
      all.filter((p) => part.positions[p * 3 + 1] > 0),
      part.pointCount,
    );
    const delta = blendBorders(0, rows, workspace, 2, { limit: 4, locks: noLocks() }, upper);
    expect([...delta.points].every((p) => upper[p] === 1)).toBe(true);
    expect(
      blendBorders(0, rows, workspace, 2, { limit: 4, locks: Uint8Array.of(1, 1, 0, 0) }).points.length,
    ).toBe(0);
    expect(() => blendBorders(0, rows, workspace, 0, { limit: 4, locks: noLocks() })).toThrow(
      '1 to 12 rings',
    );
  });
});

test('a joint that is confined gets nothing outside of its selection', () => {
  const rows = rowsOn(0);
  const inside = maskOf([1, 2, 3], part.pointCount);
  const rules = { locks: noLocks(), limit: 4, confines: new Map([[1, new Map([[0, inside]])]]) };
  const { delta, held } = rewritePoints(0, rows, Uint32Array.of(0, 1), rules, (_p, c) => {
    c.joints[c.count] = 1;
    c.values[c.count++] = 1;
  });
  expect([...delta.points]).toEqual([1]);
  expect(held).toBe(1);
  const back = createRows(1);
  copyRow(delta.after, 0, back, 0);
  expect(weightOf(back, 0, 1)).toBe(1);
});
