import { describe, expect, test } from '@jest/globals';
import type { Joint } from '@judoka/core/skeleton';
import type { Filter, Order } from '../../settings/rosterChoice.ts';
import { listRows, rangeOf, regionOf, sharedPrefix, splitName, type Wish } from './rosterRows.ts';

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
  troubles: [0, 2, 0, 7],
  sides: joints.map(({ side }) => side),
  closed: new Set(),
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
    const rows = listRows({ joints: later }, { ...wish, masses: [], troubles: [] });
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

describe('branches', () => {
  test('a closed one hides what hangs on it, however deep, and says that it is closed', () => {
    expect(listRows(skeleton, wish).map(({ branch }) => branch)).toEqual([
      'open',
      'open',
      undefined,
      undefined,
    ]);
    expect(shown({ closed: new Set([1]) })).toEqual([0, 1, 3]);
    expect(shown({ closed: new Set([0, 1]) })).toEqual([0]);
    expect(listRows(skeleton, { ...wish, closed: new Set([0]) })[0].branch).toBe('closed');
  });

  test('a search, another order and a filter find what is in closed ones', () => {
    const closed = new Set([0]);
    expect(shown({ closed, wanted: 'leg' })).toEqual([1, 2, 3]);
    expect(shown({ closed, order: 'weight' })).toHaveLength(4);
    expect(shown({ closed, filter: 'right' })).toEqual([3]);
  });
});

test('a range goes through the rows as they are listed, either way', () => {
  const rows = listRows(skeleton, { ...wish, order: 'name' });
  const order = rows.map(({ joint }) => joint);
  expect(rangeOf(rows, order[2], order[0])).toEqual(order.slice(0, 3));
  expect(rangeOf(rows, order[1], order[3])).toEqual(order.slice(1));
  expect(rangeOf(rows.slice(1), order[0], order[2])).toEqual([order[2]]);
});

describe('names', () => {
  test.each([
    [['rig:hip', 'rig:knee', 'rig:toe'], 'rig:'],
    [['Bip01_hip', 'Bip01_hand', 'Bip01_h'], 'Bip01_'],
    [['hip', 'hip_L', 'hip_R'], ''],
    [['a:hip', 'a:toe', 'a:ear'], ''],
    [['rig:', 'rig:knee', 'rig:toe'], ''],
    [['left_arm', 'left_hand'], ''],
  ])('%j share “%s”', (names, prefix) => {
    expect(sharedPrefix(names)).toBe(prefix);
  });

  test('the end of a long one stays, whatever letters it has', () => {
    expect(splitName('a_very_long_name_of_a_joint_07_L')).toEqual(['a_very_long_name_of_a_joint', '_07_L']);
    expect(splitName('HindLeg_L_04')).toEqual(['HindLeg', '_L_04']);
    expect(splitName('elbow_L_1')).toEqual(['', 'elbow_L_1']);
    expect(splitName('👁'.repeat(13))).toEqual(['👁'.repeat(8), '👁'.repeat(5)]);
  });
});
