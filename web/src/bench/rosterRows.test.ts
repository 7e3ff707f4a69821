import { describe, expect, test } from '@jest/globals';
import type { Joint } from '@judoka/core';
import { listRows, type Filter, type Order } from './rosterRows.ts';

const joint = (name: string, parent: number, side: Joint['side']): Joint => ({
  name,
  named: true,
  parent,
  side,
  offset: [],
  translation: [0, 0, 0],
  rotation: [0, 0, 0, 1],
  scale: [1, 1, 1],
  node: 0,
});
const joints = [
  joint('hips', -1, 'middle'),
  joint('leg_10_L', 0, 'left'),
  joint('leg_9_L', 1, 'left'),
  joint('leg_R', 0, 'right'),
];
const wish = {
  wanted: '',
  filter: 'all' as Filter,
  order: 'tree' as Order,
  masses: [5, 0, 9, 9],
  strays: [0, 2, 0, 7],
};
const shown = (more: Partial<typeof wish>): number[] =>
  listRows(joints, { ...wish, ...more }).map((row) => row.joint);

describe('listRows', () => {
  test('a tree has depths, a sorted or searched list is flat', () => {
    expect(listRows(joints, wish).map(({ depth }) => depth)).toEqual([0, 1, 2, 1]);
    expect(listRows(joints, { ...wish, order: 'name' }).every(({ depth }) => depth === 0)).toBe(true);
    expect(listRows(joints, { ...wish, wanted: 'leg' }).every(({ depth }) => depth === 0)).toBe(true);
  });

  test.each<[Filter, number[]]>([
    ['weighted', [0, 2, 3]],
    ['idle', [1]],
    ['trouble', [1, 3]],
    ['left', [1, 2]],
    ['middle', [0]],
    ['right', [3]],
  ])('%s', (filter, expected) => expect(shown({ filter })).toEqual(expected));

  test.each<[Order, number[]]>([
    ['name', [0, 2, 1, 3]],
    ['weight', [2, 3, 0, 1]],
    ['trouble', [3, 1, 0, 2]],
  ])('by %s; equal ones in the tree’s order', (order, expected) =>
    expect(shown({ order })).toEqual(expected),
  );

  test('words in any order', () => expect(shown({ wanted: ' l LEG ' })).toEqual([1, 2, 3]));
});
