import { describe, expect, test } from '@jest/globals';
import { createRows } from '@judoka/core/weights';
import type { ScenePart } from './ScenePart.ts';
import { Selection } from './Selection.ts';

/** A layer of an anchor with two handles, and an anchor without any; joints that each follows whole. */
function layer(joints: readonly number[]): ScenePart {
  const rows = createRows(joints.length);
  joints.forEach((joint, p) => {
    rows.joints[p * rows.stride] = joint;
    rows.values[p * rows.stride] = 1;
  });
  return {
    index: 0,
    visible: true,
    part: { pointCount: joints.length, role: 'skinned' },
    skin: { rows },
    anchors: Uint32Array.of(0, 0, 0, 3),
  } as unknown as ScenePart;
}

const chosen = (joints: readonly number[], points: readonly number[]): number[] => {
  const selection = new Selection([layer(joints)], () => undefined);
  selection.choosePoints(new Map([[0, Uint32Array.from(points)]]), 'replace');
  return [...(selection.points().get(0) ?? [])];
};

describe('of a drawing', () => {
  test('an anchor is selected with its handles', () => {
    expect(chosen([1, 1, 1, 1], [0])).toEqual([0, 1, 2]);
    expect(chosen([1, 1, 1, 1], [3])).toEqual([3]);
  });

  test('a handle that was set apart is not, and can be selected alone', () => {
    expect(chosen([1, 1, 2, 1], [0])).toEqual([0, 1]);
    expect(chosen([1, 1, 1, 1], [2])).toEqual([2]);
  });

  test('handles are let go with their anchor', () => {
    const selection = new Selection([layer([1, 1, 1, 1])], () => undefined);
    selection.all();
    selection.choosePoints(new Map([[0, Uint32Array.of(0)]]), 'take');
    expect([...(selection.points().get(0) ?? [])]).toEqual([3]);
  });
});
