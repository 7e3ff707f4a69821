import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Pose } from '../skeleton/pose.ts';
import { layersInOrder, movedLayer, pageTurn, type OrderRule } from './layerOrder.ts';

const turned = (joint: number, degrees: number): Pose => {
  const half = (degrees * Math.PI) / 360;
  return {
    [joint]: { rotation: [0, 0, Math.sin(half), Math.cos(half)], translation: [0, 0, 0], scale: [1, 1, 1] },
  };
};
const rule = (own: Partial<OrderRule>): OrderRule => ({
  ...{ layer: 0, isOver: true, other: 2, joint: 3, angle: 20, savedAt: 0 },
  ...own,
});

describe('layers', () => {
  test('lie as in the file, or as somebody has said', () => {
    expect(layersInOrder(4, { order: [], orderRules: [] }, {})).toEqual([0, 1, 2, 3]);
    expect(layersInOrder(4, { order: [3, 0, 1, 2], orderRules: [] }, {})).toEqual([3, 0, 1, 2]);
    // Of another file, or damaged: what is missing lies where it would.
    expect(layersInOrder(4, { order: [9, 2, 2, -1], orderRules: [] }, {})).toEqual([0, 1, 2, 3]);
  });

  test('lie otherwise while a joint is turned far enough, to its side', () => {
    const order = {
      order: [],
      orderRules: [rule({}), rule({ layer: 3, isOver: false, other: 1, angle: -30 })],
    };
    const at = (degrees: number): number[] => layersInOrder(4, order, turned(3, degrees));
    expect(at(0)).toEqual([0, 1, 2, 3]);
    expect(at(19)).toEqual([0, 1, 2, 3]);
    expect(at(21)).toEqual([1, 2, 0, 3]);
    expect(at(-29)).toEqual([0, 1, 2, 3]);
    expect(at(-31)).toEqual([0, 3, 1, 2]);
    expect(layersInOrder(4, order, turned(2, 60))).toEqual([0, 1, 2, 3]);
  });

  test('are always each there once', () => {
    const layers = fc.integer({ min: -2, max: 7 });
    const rules = fc.record({
      ...{ layer: layers, isOver: fc.boolean(), other: layers, joint: fc.constant(0), savedAt: fc.nat() },
      angle: fc.integer({ min: -90, max: 90 }),
    });
    fc.assert(
      fc.property(
        fc.array(layers),
        fc.array(rules),
        fc.integer({ min: -180, max: 180 }),
        (order, orderRules, turn) => {
          const found = layersInOrder(6, { order, orderRules }, turned(0, turn));
          expect([...found].sort((a, b) => a - b)).toEqual([0, 1, 2, 3, 4, 5]);
        },
      ),
    );
  });

  test('go one place to the front or to the back', () => {
    expect(movedLayer([0, 1, 2], 1, true)).toEqual([0, 2, 1]);
    expect(movedLayer([0, 1, 2], 1, false)).toEqual([1, 0, 2]);
    expect(movedLayer([0, 1, 2], 2, true)).toEqual([0, 1, 2]);
  });
});

test('a turn in the page is told from -180 to 180 degrees', () => {
  for (const degrees of [-170, -90, 0, 45, 179])
    expect(pageTurn(turned(1, degrees), 1)).toBeCloseTo(degrees, 6);
  expect(pageTurn(turned(1, 350), 1)).toBeCloseTo(-10, 6);
  expect(pageTurn({}, 1)).toBe(0);
});
