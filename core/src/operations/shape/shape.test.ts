import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { mat4 } from 'gl-matrix';
import { findNeighbours } from '../../mesh/topology.ts';
import { rowsFrom } from '../../testing/shapes.ts';
import { apply, invert } from '../../weights/delta.ts';
import { rowSum, weightOf } from '../../weights/rows.ts';
import { ShapeStroke, type ShapedPart, type ShapeRules } from './ShapeStroke.ts';

/** Six points in a strip, two edges from one another at most; joint 1 goes up by one, joint 2 along by one, joint 0 stays. */
const REST = Float32Array.from([0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0, 0, 2, 0, 1, 2, 0]);
const COUNT = REST.length / 3;
const triangles = Uint32Array.from([0, 1, 2, 1, 3, 2, 2, 3, 4, 3, 5, 4]);
const neighbours = findNeighbours({ offsets: Uint32Array.from([0, 3, 6, 9, 12]), points: triangles }, COUNT);
const palette = (...moves: readonly (readonly [number, number, number])[]): Float32Array =>
  Float32Array.from(moves.flatMap((by) => [...mat4.fromTranslation(mat4.create(), by)]));
const POSE = palette([0, 0, 0], [0, 0, 1], [1, 0, 0], [0, 0, 0]);
/** Of the joints in each point's row. */
const ROWS = [{ 0: 1 }, { 0: 1 }, { 0: 0.5, 1: 0.5 }, { 0: 0.5, 2: 0.5 }, { 1: 1 }, { 2: 1 }];

const partOf = (others: readonly Float32Array[] = []): ShapedPart => ({
  rest: REST,
  rows: rowsFrom(ROWS, 4),
  neighbours,
  palettes: [POSE, ...others],
});
const rules = (more: Partial<ShapeRules> = {}): ShapeRules => ({
  ...{ limit: 4, locks: new Uint8Array(3), others: 0 },
  ...more,
});
const one = (p: number): Uint32Array => Uint32Array.of(p);
const by = (x: number, y: number, z: number): Float64Array => Float64Array.of(x, y, z);
const heldAt = ({ rows }: ShapedPart, p: number): number[] =>
  [0, 1, 2].map((joint) => weightOf(rows, p, joint));

describe('a point that is moved in a bend', () => {
  test('gets the weights that carry it there', () => {
    const part = partOf();
    const stroke = new ShapeStroke(0, part, rules());
    // Half of joint 1 lifts it by a half already; a quarter of joint 2 takes it along by a quarter.
    expect(stroke.move(one(2), 1, by(0.25, 0, 0.2), 'now')).toBe(1);
    const [stays, up, along] = heldAt(part, 2);
    expect(up).toBeCloseTo(0.7, 2);
    expect(along).toBeCloseTo(0.25, 2);
    expect(stays + up + along).toBeCloseTo(1, 6);
    expect(stroke.leftAt(2)).toBeLessThan(0.01);
  });

  test('where no weights reach it comes as near as they can, and says how far is left', () => {
    const part = partOf();
    const stroke = new ShapeStroke(0, part, rules());
    stroke.move(one(2), 1, by(0, 0.5, 0.9), 'now');
    expect(heldAt(part, 2)[1]).toBeCloseTo(1, 2);
    expect(stroke.leftAt(2)).toBeCloseTo(Math.hypot(0.5, 0.4), 2);
    expect(stroke.finish().report.left).toBeCloseTo(Math.hypot(0.5, 0.4), 2);
  });

  test('from where it was met the moves are no sum; from where it is they are', () => {
    for (const [from, lifted] of [
      ['start', 0.6],
      ['now', 0.7],
    ] as const) {
      const part = partOf();
      const stroke = new ShapeStroke(0, part, rules());
      for (let i = 0; i < 2; i++) stroke.move(one(2), 1, by(0, 0, 0.1), from);
      expect(heldAt(part, 2)[1]).toBeCloseTo(lifted, 2);
    }
  });

  test('what other poses need holds it back, by as much as they count', () => {
    const other = palette([0, 0, 0], [0, 3, 0], [0, 0, 3], [0, 0, 0]);
    const lifted = [0, 0.1, 1].map((others) => {
      const part = partOf([other]);
      new ShapeStroke(0, part, rules({ others })).move(one(2), 1, by(0, 0, 0.3), 'now');
      return heldAt(part, 2)[1] - 0.5;
    });
    expect(lifted[0]).toBeCloseTo(0.3, 2);
    // Joint 1 carries it by 1 here and by 3 there: a share s costs (0.3 − s)² + others · 9 · s².
    expect(lifted[1]).toBeCloseTo(0.3 / (1 + 0.1 * 9), 2);
    expect(lifted[2]).toBeCloseTo(0.3 / (1 + 9), 2);
  });
});

test('between joints that carry it to the same place, weights stay as they are', () => {
  const part = { ...partOf(), palettes: [palette([0, 0, 0], [0, 0, 1], [1e-6, 0, 1], [0, 0, 0])] };
  part.rows.joints.set([1, 2], 2 * part.rows.stride);
  const stroke = new ShapeStroke(0, part, rules());
  stroke.move(one(2), 1, by(1, 1, 0), 'now');
  const [, up, along] = heldAt(part, 2);
  expect(up).toBeCloseTo(0.5, 2);
  expect(along).toBeCloseTo(0.5, 2);
});

describe('rules', () => {
  test('locked joints keep theirs to the bit, confined ones get none, masked points stay', () => {
    const part = partOf();
    const locks = Uint8Array.of(0, 1, 0);
    const nowhere = new Map([[2, new Uint8Array(COUNT)]]);
    new ShapeStroke(0, part, rules({ locks, areas: nowhere })).move(one(2), 1, by(0.4, 0, 0.4), 'now');
    expect(heldAt(part, 2)).toEqual([0.5, 0.5, 0]);
    const mask = Uint8Array.of(1, 1, 0, 1, 1, 1);
    const stroke = new ShapeStroke(0, part, rules({ mask }));
    expect(stroke.move(Uint32Array.of(2, 3), 2, Float64Array.of(0, 0, 1, 0.2, 0, 0), 'now')).toBe(1);
    expect([...stroke.finish().delta.points]).toEqual([3]);
  });

  test('handles of a drawing that had what their anchor has go on having it; others are on their own', () => {
    const part = partOf();
    // Of point 2, the handles 3 and 4; 3 has the weights of its own anchor.
    part.rows.joints.set([0, 1], 3 * part.rows.stride);
    const anchors = Uint32Array.of(0, 1, 2, 2, 2, 5);
    const stroke = new ShapeStroke(0, part, rules({ anchors }));
    const list = new Uint32Array(COUNT);
    list.set([2, 3, 4]);
    expect(stroke.move(list, 3, new Float64Array(9).fill(0.1), 'now')).toBe(3);
    expect([...list.subarray(0, 3)]).toEqual([2, 4, 3]);
    expect(heldAt(part, 3)).toEqual(heldAt(part, 2));
    expect(heldAt(part, 4)).not.toEqual(heldAt(part, 2));
    expect([...stroke.finish().delta.points]).toEqual(expect.arrayContaining([2, 3]));
  });

  test('a point that follows nothing, with nothing near that does, is passed over', () => {
    const part = {
      ...partOf(),
      rows: rowsFrom(
        ROWS.map(() => []),
        4,
      ),
    };
    expect(new ShapeStroke(0, part, rules()).move(one(2), 1, by(0, 0, 1), 'now')).toBe(0);
  });

  test('rows sum to one within the limit, and the delta leads back to the bit', () => {
    const way = fc.double({ min: -1, max: 1, noNaN: true });
    fc.assert(
      fc.property(
        fc.array(fc.tuple(way, way, way), { minLength: COUNT, maxLength: COUNT }),
        fc.integer({ min: 1, max: 4 }),
        fc.double({ min: 0, max: 2, noNaN: true }),
        (moves, limit, others) => {
          const part = partOf([palette([0, 0, 0], [0, 1, 1], [2, 0, 0], [0, 0, 0])]);
          const before = part.rows.values.slice();
          const stroke = new ShapeStroke(0, part, rules({ limit, others }));
          const points = Uint32Array.from({ length: COUNT }, (_, p) => p);
          for (let i = 0; i < 3; i++) stroke.move(points, COUNT, Float64Array.from(moves.flat()), 'now');
          for (let p = 0; p < COUNT; p++) {
            expect(rowSum(part.rows, p)).toBeCloseTo(1, 6);
            expect(heldAt(part, p).filter((w) => w > 0).length).toBeLessThanOrEqual(limit);
          }
          apply([part.rows], invert([stroke.finish().delta]));
          expect(part.rows.values).toEqual(before);
        },
      ),
      { numRuns: 60 },
    );
  });
});
