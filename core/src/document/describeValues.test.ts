import { expect, test } from '@jest/globals';
import { describeValue } from './describeValues.ts';
import type { ValueLine } from './values.ts';

const NAMES = ['root', 'knee_L', 'knee_R'];

test.each<[ValueLine, string]>([
  [
    {
      path: 'relaxing',
      before: null,
      after: { passes: 1, strength: 0.5, keepsVolume: true, selection: 'x' },
    },
    'Relaxing: off, then 1 pass, 50%, volume kept, in a saved selection',
  ],
  [
    { path: 'parts/8/cage', before: null, after: { like: 0, points: 60, places: '', quads: '' } },
    'Part 9, a cage: none, then 60 points',
  ],
  [
    { path: 'parts/4/follows', before: null, after: { driver: 0, mask: 'x', isOff: true } },
    'What part 5 follows: nothing, then part 1, by a mask, switched off',
  ],
  [{ path: 'skinning', before: null, after: 'dual' }, 'Skinning: linear, then dual quaternion'],
  [{ path: 'locks/1', before: null, after: true }, 'Lock on knee_L: off, then on'],
  [{ path: 'nonDeforming/1', before: true, after: null }, 'Deforming of knee_L: off, then on'],
  [{ path: 'pairs/1', before: null, after: 2 }, 'Partner of knee_L: as found, then knee_R'],
  [{ path: 'pairs/1', before: -1, after: 1 }, 'Partner of knee_L: none, then itself'],
  [
    { path: 'confines/2', before: null, after: 'an-id' },
    'Limits of knee_R: everywhere, then a saved selection',
  ],
  [{ path: 'parts/0/name', before: null, after: 'Coat' }, 'Part 1: none, then Coat'],
  [{ path: 'poses/an-id', before: { name: 'Nod' }, after: { name: 'Bow' } }, 'Saved pose: “Nod”, then “Bow”'],
])('%j in words', (line, words) => {
  expect(describeValue(line, (joint) => NAMES[joint])).toBe(words);
});
