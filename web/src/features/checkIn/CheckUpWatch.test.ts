import { describe, expect, test } from '@jest/globals';
import type { Change } from '@judoka/core/weights';
import { DEFAULT_PROFILE } from '@judoka/core/document';
import type { Workspace } from '../../workspace/Workspace.ts';
import { BODY, HAND_L, openForEach, ringPoints, until, weightsOf } from '../../testing/testWorkspace.ts';
import { setDeforming } from '../../document/jointSettings.ts';
import { renameJointTo } from '../joints/jointEdits.ts';

let at: Workspace;
openForEach((opened) => ({ at } = opened), { workers: true });

/** All weight of points taken away. */
function emptied(points: Uint32Array): Change {
  const { rows } = at.scene.parts[BODY].skin;
  const before = { joints: new Uint16Array(points.length * 8), values: new Float32Array(points.length * 8) };
  points.forEach((p, i) => {
    before.joints.set(rows.joints.subarray(p * 8, p * 8 + 8), i * 8);
    before.values.set(rows.values.subarray(p * 8, p * 8 + 8), i * 8);
  });
  const row = (held: typeof before) => ({ ...held, stride: 8, pointCount: points.length });
  const none = { joints: new Uint16Array(points.length * 8), values: new Float32Array(points.length * 8) };
  return [{ part: BODY, points, before: row(before), after: row(none) }];
}

const found = (code: string) => at.checkUp.findings?.find((one) => one.code === code);
const checked = (): Promise<void> =>
  until('the check-up is done', () => {
    if (at.checkUp.failure) throw new Error(at.checkUp.failure);
    return at.checkUp.findings !== undefined;
  });

describe('the check-up', () => {
  test('looks by itself once the character is open, and tells of it', async () => {
    let told = 0;
    at.checkUp.events.subscribe('changed', () => told++);
    await checked();
    expect(told).toBeGreaterThan(0);
    expect(at.checkUp.failure).toBe('');
    expect(found('unweighted')).toBeUndefined();
  });

  test('finds what an edit did wrong, with how many points; undo takes the finding back', async () => {
    await checked();
    await at.document.perform('Empty a ring', { weights: emptied(ringPoints(12)) });
    await until('the ring is found', () => found('unweighted') !== undefined);
    expect(found('unweighted')?.count).toBe(8);
    await at.document.undo();
    await until('the ring is fine again', () => found('unweighted') === undefined);
  });

  test('the change that repairs a finding gives those points weight, and no others', async () => {
    await checked();
    await at.document.perform('Empty a ring', { weights: emptied(ringPoints(12)) });
    await until('the ring is found', () => found('unweighted') !== undefined);
    const finding = found('unweighted');
    const { change, joints } = await at.checkUp.repair(finding ? [finding] : []);
    expect(joints).toEqual([]);
    expect(change.map(({ part, points }) => [part, [...points]])).toEqual([[BODY, [...ringPoints(12)]]]);
    await at.document.perform('Repair', { weights: change });
    await until('nothing is without weight', () => found('unweighted') === undefined);
  });

  test('a joint that no longer deforms but holds weight is found; its name is the one it has now', async () => {
    await checked();
    await renameJointTo(at, HAND_L, 'paw_L');
    setDeforming(at.document, HAND_L, false);
    await until('the weight is found', () =>
      (at.checkUp.findings ?? []).some(({ message }) => message.includes('paw_L')),
    );
  });

  test('another profile is looked at without waiting for a change', async () => {
    await checked();
    expect(found('too-many-influences')).toBeUndefined();
    at.checkUp.setProfile({ ...DEFAULT_PROFILE, influences: 1 });
    await until('two influences are too many', () => found('too-many-influences') !== undefined);
    expect(at.checkUp.profile.influences).toBe(1);
  });

  test('a check that was overtaken does not put its answer over the newer one', async () => {
    await checked();
    const before = weightsOf(at);
    at.checkUp.setProfile({ ...DEFAULT_PROFILE, influences: 1 });
    at.checkUp.setProfile(DEFAULT_PROFILE);
    await new Promise((resolve) => at.checkUp.events.subscribe('changed', () => resolve(undefined)));
    expect(found('too-many-influences')).toBeUndefined();
    expect(weightsOf(at)).toEqual(before);
  });
});
