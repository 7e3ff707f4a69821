import { describe, expect, test } from '@jest/globals';
import type { Joint } from '@judoka/core/skeleton';
import type { Filter, Order } from '../../settings/rosterChoice.ts';
import { listRows, regionOf, type Wish } from './rosterRows.ts';

const joint = (name: string, parent: number, side: Joint['side']): Joint => ({
  id: name,
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
const skeleton = { joints };
const wish: Wish = {
  wanted: '',
  filter: 'all',
  order: 'tree',
  masses: [5, 0, 9, 9],
  selected: [0, 0, 3, 0],
  strays: [0, 2, 0, 7],
  chosen: 2,
};
const shown = (more: Partial<Wish>): number[] =>
  listRows(skeleton, { ...wish, ...more }).map((row) => row.joint);

describe('listRows', () => {
  test('a tree has depths, a sorted or searched list is flat', () => {
    expect(listRows(skeleton, wish).map(({ depth }) => depth)).toEqual([0, 1, 2, 1]);
    expect(listRows(skeleton, { ...wish, order: 'name' }).every(({ depth }) => depth === 0)).toBe(true);
    expect(listRows(skeleton, { ...wish, wanted: 'leg' }).every(({ depth }) => depth === 0)).toBe(true);
  });

  test.each<[Filter, number[]]>([
    ['weighted', [0, 2, 3]],
    ['idle', [1]],
    ['trouble', [1, 3]],
    ['left', [1, 2]],
    ['middle', [0]],
    ['right', [3]],
    ['selection', [2]],
    ['region', [1, 2]],
  ])('%s', (filter, expected) => expect(shown({ filter })).toEqual(expected));

  test.each<[Order, number[]]>([
    ['name', [0, 2, 1, 3]],
    ['weight', [2, 3, 0, 1]],
    ['trouble', [3, 1, 0, 2]],
  ])('by %s; equal ones in the tree’s order', (order, expected) =>
    expect(shown({ order })).toEqual(expected),
  );

  test('a joint that was added or hung elsewhere stands below its parent, and one that is gone nowhere', () => {
    const later = [...joints, joint('knee', 1, 'left'), { ...joint('gone', 0, 'left'), removed: true }];
    const rows = listRows({ joints: later }, { ...wish, masses: [], strays: [] });
    expect(rows.map((row) => row.joint)).toEqual([0, 1, 2, 4, 3]);
    expect(rows.map(({ depth }) => depth)).toEqual([0, 1, 2, 2, 1]);
  });

  test('folded, a pair is one row, found by either name; others keep their own', () => {
    const rows = listRows(skeleton, { ...wish, partner: [0, 3, -1, 1] });
    expect(rows.map((row) => [row.joint, row.partner])).toEqual([
      [0, -1],
      [1, 3],
      [2, -1],
    ]);
    expect(shown({ partner: [0, 3, -1, 1], wanted: 'leg_r' })).toEqual([1]);
  });

  test('a region is the limb up to where the skeleton forks', () => {
    expect([...regionOf(skeleton, 2)]).toEqual([1, 2]);
    expect([...regionOf(skeleton, 0)].sort()).toEqual([0, 1, 2, 3]);
    expect(regionOf(skeleton, -1).size).toBe(0);
  });

  test('words in any order', () => expect(shown({ wanted: ' l LEG ' })).toEqual([1, 2, 3]));
});
