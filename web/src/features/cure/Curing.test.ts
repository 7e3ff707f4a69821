import { beforeEach, describe, expect, test } from '@jest/globals';
import { DEFAULT_RELAXING } from '@judoka/core/deform';
import { OLD } from '../../document/alternative.ts';
import {
  ARM_L,
  doneLabels,
  giveWeight,
  openForEach,
  ringAt,
  ringPoints,
  RINGS,
  until,
  weightsOf,
} from '../../testing/testWorkspace.ts';
import type { Workspace } from '../../workspace/Workspace.ts';

let at: Workspace;
let told: string[];
openForEach((opened) => ({ at } = opened), { workers: true });

beforeEach(() => {
  told = [];
  at.document.notify = (sentence) => void told.push(sentence);
  // A hard step where the left arm bends: everything beyond it goes along whole.
  const beyond = Array.from({ length: RINGS }, (_, i) => i).filter((i) => ringAt(i) > 1);
  at.document.commit('Step', { weights: giveWeight(at, ringPoints(...beyond), ARM_L, 1) });
});

const names = (): string[] => at.document.proposals.current?.alternatives.map(({ name }) => name) ?? [];
const cureNow = () => at.document.proposals.current?.cure;

describe('a cure', () => {
  test('is proposed with what it does; less of it is measured anew; kept it is one edit, undone it is as before', async () => {
    const before = weightsOf(at);
    const edits = doneLabels(at).length;
    await at.curing.cure([ARM_L], 'the arm');
    expect(names()).toEqual(['Cured']);
    const [whole] = cureNow()?.joints ?? [];
    expect(whole.joint).toBe(ARM_L);
    expect(whole.after).toBeLessThan(whole.before);
    const cured = weightsOf(at);
    expect(cured).not.toEqual(before);
    await at.curing.take(0.5);
    expect(cureNow()?.amount).toBe(0.5);
    expect(weightsOf(at)).not.toEqual(cured);
    await until('half of it is measured', () => cureNow()?.joints[0].after !== whole.after);
    await at.curing.take(1);
    expect(weightsOf(at)).toEqual(cured);
    await at.document.proposals.keep();
    expect(doneLabels(at).slice(edits)).toEqual(['Cure of the arm']);
    await at.document.undo();
    expect(weightsOf(at)).toEqual(before);
  });

  test('stands beside another, each with its amount; the old weights can be looked at', async () => {
    const before = weightsOf(at);
    await at.curing.cure([ARM_L], 'the arm');
    await at.curing.take(0.5);
    const half = weightsOf(at);
    await at.curing.cure([ARM_L], 'the arm');
    expect(names()).toEqual(['Cured', 'Cured 2']);
    const { proposals } = at.document;
    await proposals.choose(0);
    expect(cureNow()?.amount).toBe(0.5);
    expect(weightsOf(at)).toEqual(half);
    await proposals.choose(OLD);
    expect(weightsOf(at)).toEqual(before);
    await proposals.drop();
    expect(weightsOf(at)).toEqual(before);
  });

  test('goes on from a binding that is proposed: named after it, and more or less of it lies between both', async () => {
    await at.bindRuns.bind('nearest', { softness: 0.25, limit: 4, bindSelected: false, bindChosen: false });
    const bound = weightsOf(at);
    await at.curing.cure([ARM_L], 'the arm');
    const { proposals } = at.document;
    expect(names()).toHaveLength(2);
    expect(names()[1]).toBe(`${names()[0]}, cured`);
    expect(proposals.current?.label).toContain('cure of the arm');
    await proposals.choose(0);
    expect(weightsOf(at)).toEqual(bound);
  });

  test('what was found elsewhere is measured in the same frame', async () => {
    const change = giveWeight(at, ringPoints(12), ARM_L, 0.5);
    await at.curing.offer('A stray removed', ARM_L, change);
    expect(at.document.proposals.current?.label).toBe('A stray removed');
    const [measured] = cureNow()?.joints ?? [];
    expect(measured.before).not.toBe(measured.after);
  });

  test('of nothing is refused in a sentence; locked joints leave nothing to find', async () => {
    await expect(at.curing.cure([], 'nothing')).rejects.toThrow(/Choose a joint/);
    for (let joint = 0; joint < at.document.skeleton.joints.length; joint++)
      at.document.changeSettings({ [`locks/${joint}`]: true });
    await at.curing.cure([ARM_L], 'the arm');
    expect(told.join(' ')).toMatch(/no weights within the limit/);
    expect(names()).toEqual([]);
  });
});

test('a baked look tells how near plain weights come to it', async () => {
  await at.curing.bake({ skinning: 'linear', relaxing: DEFAULT_RELAXING }, 'relaxed', []);
  const errors = cureNow()?.errors;
  expect(errors?.after).toBeLessThan(errors?.before ?? 0);
  expect(errors?.after).toBeGreaterThanOrEqual(0.99 * (errors?.unlimited ?? 1));
});

test('a file that holds no shapes of this character is refused', async () => {
  await at.curing.bakeShapes(new Uint8Array(8), 'x.glb');
  expect(told).toHaveLength(1);
  expect(at.document.proposals.current).toBeUndefined();
});
