import { expect, test } from '@jest/globals';
import { createRows } from '@judoka/core/weights';
import type { Joint, Skeleton } from '@judoka/core/skeleton';
import fc from 'fast-check';
import { colourJoints, tintPoint } from './jointColours.ts';

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

test('no joint is coloured like its parent, its grandparent or a sibling, for up to a hundred joints', () => {
  // A tree by its parents; no joint has more than eight children, as on bodies and hands.
  const tree = fc.array(fc.nat(1_000_000), { minLength: 1, maxLength: 99 }).map((choices): Skeleton => {
    const children = [0];
    const joints = [joint(-1)];
    for (const choice of choices) {
      const free = children.flatMap((n, j) => (n < 8 ? [j] : []));
      const parent = free[choice % free.length];
      children[parent]++;
      children.push(0);
      joints.push(joint(parent));
    }
    return { joints };
  });
  fc.assert(
    fc.property(tree, (skeleton) => {
      const colours = colourJoints(skeleton);
      const of = (j: number): string => colours.subarray(j * 3, j * 3 + 3).join();
      skeleton.joints.forEach(({ parent }, j) => {
        if (parent < 0) return;
        expect(of(j)).not.toBe(of(parent));
        if (skeleton.joints[parent].parent >= 0) expect(of(j)).not.toBe(of(skeleton.joints[parent].parent));
        for (let k = 0; k < j; k++) if (skeleton.joints[k].parent === parent) expect(of(j)).not.toBe(of(k));
      });
    }),
  );
});

test('a point’s tint is its joints’ colours mixed by weight', () => {
  const rows = createRows(1, 4);
  rows.joints.set([0, 1]);
  rows.values.set([0.75, 0.25]);
  const out = new Uint8Array(6);
  tintPoint(rows, 0, Float32Array.of(1, 0, 0, 0, 0, 1), out, 1);
  expect([...out]).toEqual([0, 0, 0, 191, 0, 63]);
});
