import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { partOf } from '../../testing/testBody.ts';
import { grid } from '../../testing/shapes.ts';
import { apply } from '../../weights/delta.ts';
import { createRows, rowSum, weightOf, type WeightRows } from '../../weights/rows.ts';
import { fillUnpaired } from './fillUnpaired.ts';
import { gatherMirrorSpace } from '../../document/space/mirrorSpace.ts';
import { mirrorWeights, type MirrorRequest } from './mirrorWeights.ts';
import { pairByPlace, pairByTopology, type MirrorPlane } from './pairPoints.ts';

const COLUMNS = 8;
const LINES = 5;
const PLANE: MirrorPlane = { axis: 0, middle: 4 };
const flat = grid(COLUMNS, LINES);
/** A sheet whose middle column is x = 4; bent out of the plane so that quads are found. */
const sheet = partOf('sheet', [...flat.positions], [...flat.triangles], [[0, 0, 0]]);
const at = (x: number, y: number): number => y * (COLUMNS + 1) + x;
const all = (pairs: Int32Array): boolean =>
  Array.from({ length: pairs.length }, (_, p) => p).every((p) => {
    const [x, y] = [p % (COLUMNS + 1), Math.floor(p / (COLUMNS + 1))];
    return pairs[p] === at(COLUMNS - x, y);
  });
/** Left, right, left's child, right's child, middle, and one without a partner. */
const PARTNER = Int32Array.of(1, 0, 3, 2, 4, -1);
const RULES = { locks: new Uint8Array(6), limit: 4 };

function moved(change: (x: number, y: number) => [number, number]): typeof sheet {
  const positions = [...flat.positions];
  for (let p = 0; p < positions.length / 3; p++) {
    const [dx, dy] = change(positions[p * 3], positions[p * 3 + 1]);
    positions[p * 3] += dx;
    positions[p * 3 + 1] += dy;
  }
  return partOf('sheet', positions, [...flat.triangles], [[0, 0, 0]]);
}

describe('pairs', () => {
  test('by place and by topology, both find every counterpart of an even sheet', () => {
    const space = gatherMirrorSpace([sheet]);
    expect(all(pairByPlace(space, PLANE, 0.01))).toBe(true);
    expect(all(pairByTopology(space, PLANE, 0.01))).toBe(true);
  });

  test('topology does not mind a crooked side; place tells which points it misses', () => {
    const space = gatherMirrorSpace([moved((x, y) => (x > 4 ? [0.3 * (x - 4), 0.2 * y] : [0, 0]))]);
    expect(all(pairByTopology(space, PLANE, 0.01))).toBe(true);
    const byPlace = pairByPlace(space, PLANE, 0.01);
    expect(byPlace[at(4, 2)]).toBe(at(4, 2));
    expect(byPlace[at(1, 2)]).toBe(-1);
  });

  test('told to, a point that is alone gets what lies nearest to its mirrored place; pairs stay', () => {
    const space = gatherMirrorSpace([moved((x, y) => (x > 4 ? [0.3 * (x - 4), 0.2 * y] : [0, 0]))]);
    const byPlace = pairByPlace(space, PLANE, 0.01);
    const filled = fillUnpaired(space, PLANE, byPlace);
    expect(filled.includes(-1)).toBe(false);
    byPlace.forEach((other, p) => other >= 0 && expect(filled[p]).toBe(other));
    // From the right, (7, 0) stands at 7.9 now, mirrored 0.1; from the left, (1, 0) mirrored is 7, nearest 6.6 or 7.9.
    expect(filled[at(7, 0)]).toBe(at(0, 0));
    expect(filled[at(1, 0)]).toBe(at(6, 0));
    expect(fillUnpaired(space, PLANE, filled)).toBe(filled);
  });

  test('a hole on one side ends the walk there and nowhere else', () => {
    const triangles = [...flat.triangles];
    // Without the quad at (6, 2).
    triangles.splice((2 * COLUMNS + 6) * 2 * 3, 6);
    const space = gatherMirrorSpace([partOf('torn', [...flat.positions], triangles, [[0, 0, 0]])]);
    expect(all(pairByTopology(space, PLANE, 0.01))).toBe(true);
  });

  test('a middle that is not at zero, and islands beside it: two parts mirror each other', () => {
    const boot = (sign: number) =>
      partOf(
        sign < 0 ? 'left' : 'right',
        [...grid(2, 2).positions].map((n, i) =>
          i % 3 === 0 ? 10 + sign * (1 + n) : i % 3 === 1 && n > 1 ? n + 0.01 : n,
        ),
        sign < 0 ? [...grid(2, 2).triangles].reverse() : [...grid(2, 2).triangles],
        [[0, 0, 0]],
      );
    const space = gatherMirrorSpace([boot(-1), boot(1)]);
    const pairs = pairByTopology(space, { axis: 0, middle: 10 }, 1e-3);
    for (let p = 0; p < 9; p++) expect(pairs[p]).toBe(9 + p);
    expect([...pairByPlace(space, { axis: 0, middle: 10 }, 1e-3).subarray(0, 9)]).toEqual([
      9, 10, 11, 12, 13, 14, 15, 16, 17,
    ]);
  });
});

function randomRows(seed: number): WeightRows {
  const rows = createRows(sheet.pointCount);
  let state = seed + 1;
  const random = (): number => (state = (state * 48271) % 2147483647) / 2147483647;
  for (let p = 0; p < rows.pointCount; p++) {
    const [a, b] = [Math.floor(random() * 5), Math.floor(random() * 5)];
    const weight = 0.5 + random() * 0.4;
    rows.joints.set(a === b ? [a] : [a, b], p * 8);
    rows.values.set(a === b ? [1] : [Math.fround(weight), 1 - Math.fround(weight)], p * 8);
  }
  return rows;
}

function request(more: Partial<MirrorRequest> = {}): MirrorRequest {
  const pairs = pairByPlace(gatherMirrorSpace([sheet]), PLANE, 0.01);
  return { pairs, plane: PLANE, direction: 'toNegative', partner: PARTNER, tolerance: 0.01, ...more };
}

describe('mirroring', () => {
  const space = gatherMirrorSpace([sheet]);

  test('the lower side gets the upper side’s weights by partner; the upper stays; twice is once; sums stay one', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1e6 }), (seed) => {
        const rows = randomRows(seed);
        const before = { ...rows, joints: rows.joints.slice(), values: rows.values.slice() };
        apply([rows], mirrorWeights([rows], space, request(), RULES).change);
        for (let y = 0; y <= LINES; y++) {
          for (let x = 5; x <= COLUMNS; x++) {
            for (let joint = 0; joint < 5; joint++) {
              expect(weightOf(rows, at(x, y), joint)).toBe(weightOf(before, at(x, y), joint));
              expect(weightOf(rows, at(COLUMNS - x, y), PARTNER[joint])).toBeCloseTo(
                weightOf(rows, at(x, y), joint),
                6,
              );
            }
          }
          for (let joint = 0; joint < 5; joint++)
            expect(weightOf(rows, at(4, y), PARTNER[joint])).toBeCloseTo(weightOf(rows, at(4, y), joint), 6);
        }
        for (let p = 0; p < rows.pointCount; p++) expect(rowSum(rows, p)).toBeCloseTo(1, 6);
        const again = mirrorWeights([rows], space, request(), RULES).change;
        for (const { before: old, after } of again)
          old.values.forEach((value, i) => expect(after.values[i]).toBeCloseTo(value, 6));
      }),
      { numRuns: 20 },
    );
  });

  test('a locked joint that the other side has weight of keeps what it has: nothing is added to it', () => {
    const rows = randomRows(7);
    const locks = new Uint8Array(6);
    locks[PARTNER[1]] = 1;
    const held = (p: number): number => weightOf(rows, p, PARTNER[1]);
    const before = Array.from({ length: rows.pointCount }, (_, p) => held(p));
    apply([rows], mirrorWeights([rows], space, request(), { locks, limit: 4 }).change);
    expect(Array.from({ length: rows.pointCount }, (_, p) => held(p))).toEqual(before);
  });

  test('locked joints keep theirs to the bit; a joint without a partner is told and keeps its side', () => {
    const rows = randomRows(7);
    rows.joints[at(6, 2) * 8] = 5;
    const before = rows.values.slice();
    const locks = Uint8Array.of(1, 1, 1, 1, 1, 1);
    expect(mirrorWeights([rows], space, request(), { locks, limit: 4 }).change).toEqual([]);
    const { report, change } = mirrorWeights([rows], space, request(), RULES);
    expect(report.lonely).toEqual([5]);
    expect(rows.values).toEqual(before);
    apply([rows], change);
    expect(weightOf(rows, at(2, 2), 5)).toBeGreaterThan(0);
  });

  test('unpaired points are told and left alone', () => {
    const pairs = request().pairs.slice();
    pairs[at(1, 1)] = -1;
    pairs[at(7, 1)] = -1;
    const rows = randomRows(3);
    const { change, report } = mirrorWeights([rows], space, request({ pairs }), RULES);
    expect([...(report.unpaired.get(0) ?? [])]).toEqual([at(1, 1)]);
    expect([...change[0].points]).not.toContain(at(1, 1));
  });

  test('a selection on either side means its counterparts; chosen joints leave the others in proportion', () => {
    const rows = randomRows(11);
    const points = new Map([[0, Uint32Array.of(at(7, 3))]]);
    const { change } = mirrorWeights([rows], space, request({ points }), RULES);
    for (const { points: changed } of change) expect([...changed]).toEqual([at(1, 3)]);
    const only = mirrorWeights([rows], space, request({ joints: [0] }), RULES).change;
    const source = { ...rows, joints: rows.joints.slice(), values: rows.values.slice() };
    apply([rows], only);
    for (let x = 5; x <= COLUMNS; x++)
      expect(weightOf(rows, at(COLUMNS - x, 0), 1)).toBeCloseTo(weightOf(source, at(x, 0), 0), 5);
  });

  test('an empty selection is refused', () => {
    expect(() => mirrorWeights([randomRows(1)], space, request({ points: new Map() }), RULES)).toThrow(
      'Select points',
    );
  });
});

test('left and right layers of a drawing mirror each other, however many lie between them', () => {
  const arm = (side: number, depth: number) =>
    partOf(
      'arm',
      [1, 0, depth, 5, 0, depth, 5, 1, depth, 1, 1, depth].map((value, k) =>
        k % 3 === 0 ? side * value : value,
      ),
      side > 0 ? [0, 1, 2, 0, 2, 3] : [0, 2, 1, 0, 3, 2],
      [[0, 0, 0]],
    );
  const layers = [arm(-1, 0), arm(1, 0.4)];
  const plane = { axis: 0, middle: 0 };
  expect([...pairByPlace(gatherMirrorSpace(layers), plane, 0.01)]).toEqual(Array(8).fill(-1));
  expect([...pairByPlace(gatherMirrorSpace(layers, true), plane, 0.01)]).toEqual([4, 5, 6, 7, 0, 1, 2, 3]);
});
