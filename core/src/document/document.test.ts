import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { skeletonOf } from '../testing/testBody.ts';
import { addJoint, removeJoint, renameJoint, reparentJoint } from '../skeleton/editSkeleton.ts';
import { liveJoints } from '../skeleton/skeleton.ts';
import { rowsFrom } from '../testing/shapes.ts';
import { DeltaBuilder } from '../weights/delta.ts';
import type { WeightRows } from '../weights/rows.ts';
import { applyEdit, type DocumentState } from './document.ts';
import { composeEdits, EMPTY_EDIT, editOf, invertEdit, isEmptyEdit, type Edit } from './edit.ts';
import { rebaseEdit } from './rebase.ts';
import { changeValues } from './values.ts';

const begin = (): DocumentState => ({
  rows: [rowsFrom([{ 0: 1 }, { 1: 1 }, { 0: 0.5, 2: 0.5 }])],
  skeleton: skeletonOf([
    ['hip', -1, [0, 0, 0]],
    ['knee', 0, [0, -1, 0]],
    ['foot', 1, [0, -2, 0]],
  ]),
  values: { 'locks/1': true },
});
const copy = (state: DocumentState): DocumentState => structuredClone(state);
const clone = (rows: WeightRows): WeightRows => structuredClone(rows);

/** One random step: each kind of change, on whatever the document is then. */
type Step = readonly [kind: number, a: number, b: number];
const steps = fc.array(fc.tuple(fc.nat(5), fc.nat(9), fc.nat(9)), { maxLength: 12 });

function editFor(
  { rows: [rows], skeleton, values }: DocumentState,
  [kind, a, b]: Step,
  ids: () => string,
): Edit {
  const live = liveJoints(skeleton);
  const joint = live[a % live.length];
  switch (kind) {
    case 0: {
      const after = clone(rows);
      const point = b % rows.pointCount;
      after.joints.fill(0, point * 8, point * 8 + 8);
      after.values.fill(0, point * 8, point * 8 + 8);
      after.joints[point * 8] = joint;
      after.values[point * 8] = 1;
      const builder = new DeltaBuilder(0, 8, rows.pointCount);
      for (let p = 0; p < rows.pointCount; p++) builder.push(p, rows, p, after, p);
      return editOf({ weights: [builder.finish()] });
    }
    case 1: {
      const id = ids();
      return editOf({ joints: addJoint(skeleton, id, joint, id, [a, b, 0]) });
    }
    case 2:
      return editOf({ joints: live.length > 1 ? removeJoint(skeleton, joint) : [] });
    case 3:
      return editOf({ joints: renameJoint(skeleton, joint, `name ${a} ${b} ${ids()}`) });
    case 4:
      return editOf({ values: changeValues(values, { [`locks/${a}`]: b % 2 ? true : null }) });
    default:
      return editOf({
        values: changeValues(values, { [`pairs/${a}`]: b }),
        joints: safeReparent(skeleton, joint),
      });
  }
}

function safeReparent(skeleton: DocumentState['skeleton'], joint: number): Edit['joints'] {
  return joint === 0 ? [] : reparentJoint(skeleton, joint, skeleton.joints[0].removed ? -1 : 0);
}

const counter = (prefix = 'id'): (() => string) => {
  let n = 0;
  return () => `${prefix}-${n++}`;
};

function run(
  state: DocumentState,
  plan: readonly Step[],
  ids = counter(),
): { state: DocumentState; edits: Edit[] } {
  const edits: Edit[] = [];
  let held = state;
  for (const step of plan) {
    const edit = editFor(held, step, ids);
    held = applyEdit(held, edit);
    edits.push(edit);
  }
  return { state: held, edits };
}

/** The same document, whatever removed joints left behind. */
const seen = ({ rows, skeleton, values }: DocumentState) => ({
  rows,
  values,
  joints: skeleton.joints.flatMap((joint, i) => (joint.removed ? [] : [[i, joint]])),
});

describe('laws of edits', () => {
  test('taking all back, the last first, leaves what was there to the bit', () => {
    fc.assert(
      fc.property(steps, (plan) => {
        const { state, edits } = run(begin(), plan);
        const back = edits.reduceRight((held, edit) => applyEdit(held, invertEdit(edit)), state);
        expect(seen(back)).toEqual(seen(begin()));
      }),
    );
  });

  test('one edit composed of all does what they do one by one', () => {
    fc.assert(
      fc.property(steps, (plan) => {
        const { state, edits } = run(begin(), plan);
        const whole = edits.reduce(composeEdits, EMPTY_EDIT);
        expect(seen(applyEdit(begin(), whole))).toEqual(seen(state));
        expect(isEmptyEdit(composeEdits(whole, invertEdit(whole)))).toBe(true);
      }),
    );
  });

  test('an edit put on the document that it was made on stays as it is', () => {
    fc.assert(
      fc.property(steps, (plan) => {
        let state = begin();
        const ids = counter();
        for (const step of plan) {
          const edit = editFor(state, step, ids);
          const rebased = rebaseEdit(state, edit, new Map());
          expect(rebased).toMatchObject({ overlapping: 0, notTaken: [] });
          state = applyEdit(state, rebased.edit);
        }
        expect(seen(state)).toEqual(seen(run(begin(), plan).state));
      }),
    );
  });

  test('edits of two people who did not know of each other can be put one behind the other', () => {
    fc.assert(
      fc.property(steps, steps, (mine, theirs) => {
        const ours = run(begin(), mine, counter('mine')).edits;
        let state = run(begin(), theirs, counter('theirs')).state;
        const numbers = new Map<number, number>();
        for (const edit of ours) state = applyEdit(state, rebaseEdit(state, edit, numbers).edit);
        const ids = state.skeleton.joints.map(({ id }) => id);
        expect(new Set(ids).size).toBe(ids.length);
      }),
    );
  });

  test('what does not fit is refused, and nothing is changed', () => {
    fc.assert(
      fc.property(steps, fc.nat(5), fc.nat(9), fc.nat(9), (plan, kind, a, b) => {
        const { state } = run(begin(), plan);
        const edit = editFor(state, [kind, a, b], counter('late'));
        if (isEmptyEdit(edit)) return;
        const once = applyEdit(copy(state), edit);
        const held = copy(once);
        // Done already, so the document is not what the edit was made on.
        expect(() => applyEdit(once, edit)).toThrow(expect.objectContaining({ name: 'CoreError' }));
        expect(once).toEqual(held);
      }),
    );
  });
});

describe('two joints added at once', () => {
  test('both stay, and weights of each follow their own', () => {
    const state = begin();
    const mine = editOf({ joints: addJoint(state.skeleton, 'mine', 0, 'tail', [1, 0, 0]) });
    const painted = editFor(applyEdit(copy(state), mine), [0, 3, 1], counter());
    const theirs = editOf({ joints: addJoint(state.skeleton, 'theirs', 0, 'horn', [0, 1, 0]) });
    let there = applyEdit(copy(state), theirs);
    const numbers = new Map<number, number>();
    for (const edit of [mine, painted]) there = applyEdit(there, rebaseEdit(there, edit, numbers).edit);
    expect(there.skeleton.joints.map(({ name }) => name)).toEqual(['hip', 'knee', 'foot', 'horn', 'tail']);
    expect(there.rows[0].joints[8]).toBe(4);
  });
});

describe('what no document can be', () => {
  const { skeleton } = begin();
  const setup = { ...skeleton.joints[1], id: 'new' };
  const refused = (joints: Edit['joints'], message: RegExp): void => {
    expect(() => applyEdit(begin(), editOf({ joints }))).toThrow(message);
  };
  test('a joint with a number far behind the last', () => {
    refused([{ joint: 4000, before: null, after: setup }], /no joint 4000: the next new one is 3/);
  });
  test('a joint with the id of another one', () => {
    refused([{ joint: 3, before: null, after: { ...setup, id: 'joint:0' } }], /Two joints would have the id/);
  });
  test('a joint whose parent is gone', () => {
    refused([{ joint: 0, before: setupOfHip(), after: null }], /hang on a joint that is not there/);
  });
  test('weights of a joint that is not there', () => {
    const builder = new DeltaBuilder(0, 8, 1);
    builder.push(0, begin().rows[0], 0, rowsFrom([{ 9: 1 }]), 0);
    expect(() => applyEdit(begin(), editOf({ weights: [builder.finish()] }))).toThrow(
      /name joint 9, and there are 3/,
    );
  });
});

function setupOfHip() {
  const { id, name, parent, offset, translation, rotation, scale } = begin().skeleton.joints[0];
  return { id, name, parent, offset, translation, rotation, scale };
}
