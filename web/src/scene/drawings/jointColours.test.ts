import { expect, test } from '@jest/globals';
import { createRows } from '@judoka/core/weights';
import type { Joint } from '@judoka/core/skeleton';
import fc from 'fast-check';
import { JOINT_COLOURS } from '../../ui/theme/tokens.ts';
import { chooseColours, meetingJoints, tintPoint } from './jointColours.ts';

const joint = (parent: number): Joint => ({
  id: String(Math.random()),
  name: 'j',
  parent,
  side: 'middle',
  named: true,
  offset: [],
  translation: [0, 0, 0],
  rotation: [0, 0, 0, 1],
  scale: [1, 1, 1],
  node: 0,
});

const random = fc
  .integer({ min: 1, max: 90 })
  .chain((count) =>
    fc
      .array(fc.tuple(fc.nat(count - 1), fc.nat(count - 1)), { maxLength: count * 3 })
      .map((pairs) => ({ count, pairs })),
  );

function meetingOf({ count, pairs }: { count: number; pairs: readonly (readonly number[])[] }): Uint8Array {
  const meets = new Uint8Array(count * count);
  for (const [a, b] of pairs) if (a !== b) meets[a * count + b] = meets[b * count + a] = 1;
  return meets;
}

test('no two joints that meet have one colour while a joint meets fewer than there are colours', () => {
  fc.assert(
    fc.property(random, (graph) => {
      const meets = meetingOf(graph);
      const { count } = graph;
      const met = Array.from({ length: count }, (_, j) => meets.subarray(j * count, (j + 1) * count));
      fc.pre(met.every((row) => row.reduce((sum, x) => sum + x, 0) < JOINT_COLOURS.length));
      const chosen = chooseColours(meets);
      met.forEach((row, a) => row.forEach((x, b) => x && expect(chosen[a]).not.toBe(chosen[b])));
    }),
  );
});

test('colours that still serve are kept; one that does not is changed alone', () => {
  const meets = meetingOf({ count: 3, pairs: [[0, 1]] });
  expect(chooseColours(meets, [4, 7, 7])).toEqual([4, 7, 7]);
  const closer = meetingOf({
    count: 4,
    pairs: [
      [0, 1],
      [0, 3],
      [1, 2],
    ],
  });
  const [a, b, c, d] = chooseColours(closer, [4, 7, 7, 2]);
  expect([a, b, d]).toEqual([4, 7, 2]);
  expect(c).not.toBe(7);
});

test('joints meet that hang together or share a point', () => {
  const skeleton = { joints: [joint(-1), joint(0), joint(0), joint(1), joint(3), joint(4)] };
  const rows = createRows(1, 4);
  rows.joints.set([5, 0]);
  rows.values.set([0.5, 0.5]);
  const meets = meetingJoints(skeleton, [rows]);
  const of = (j: number): number[] => [0, 1, 2, 3, 4, 5].filter((other) => meets[j * 6 + other] === 1);
  // Parent, grandparent and siblings; and the one that it shares a point with.
  expect(of(0)).toEqual([1, 2, 3, 5]);
  expect(of(5)).toEqual([0, 3, 4]);
});

test('a point’s tint is its joints’ colours mixed by weight', () => {
  const rows = createRows(1, 4);
  rows.joints.set([0, 1]);
  rows.values.set([0.75, 0.25]);
  const out = new Uint8Array(6);
  tintPoint(rows, 0, Float32Array.of(1, 0, 0, 0, 0, 1), out, 1);
  expect([...out]).toEqual([0, 0, 0, 191, 0, 63]);
});
