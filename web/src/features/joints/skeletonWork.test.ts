import type { Workspace } from '../../workspace/Workspace.ts';
import type { SimulatedServer } from '../../testing/SimulatedServer.ts';
import { describe, expect, test } from '@jest/globals';
import { weightOf } from '@judoka/core/weights';
import {
  addJointTo,
  freeName,
  hangJointOn,
  placeBelow,
  pointsOf,
  removeJointTo,
  renameJointTo,
} from './jointEdits.ts';
import {
  ARM_L,
  ARM_R,
  AROUND,
  BODY,
  CHEST,
  HAND_L,
  HAND_R,
  openForEach,
  ringPoints,
  saved,
  turned,
  weightsOf,
} from '../../testing/testWorkspace.ts';

let at: Workspace;
let server: SimulatedServer;
openForEach((opened) => ({ at, server } = opened));

const weight = (point: number, joint: number): number =>
  weightOf(at.scene.parts[BODY].skin.rows, point, joint);
const surface = (): number[] => [...at.scene.parts[BODY].skin.positions];

describe('joints', () => {
  test('a new one is chosen, is offered half way to an only child, and goes with undo', async () => {
    expect(placeBelow(at, ARM_L).map((x) => Math.round(x * 1000) / 1000)).toEqual([1.5, 0, 0]);
    expect(freeName(at, 'arm_L')).toBe('arm_L_2');
    await addJointTo(at, ARM_L, 'elbow_L', [1.5, 0, 0]);
    const added = at.scene.joint;
    expect(at.document.jointName(added)).toBe('elbow_L');
    expect(at.document.restPlace(added).map((x) => Math.round(x * 1e5) / 1e5)).toEqual([1.5, 0, 0]);
    await at.document.undo();
    expect(at.document.skeleton.joints[added]?.removed).toBe(true);
    await saved(at);
    expect(server.labels()).toEqual(['edit Add joint elbow_L', 'undo Add joint elbow_L']);
    expect(server.log[0].entry.joints).toHaveLength(1);
  });

  test('renamed and hung elsewhere, the surface at rest stays', async () => {
    const before = surface();
    await renameJointTo(at, HAND_L, 'paw_L');
    expect(at.document.jointName(HAND_L)).toBe('paw_L');
    await hangJointOn(at, HAND_L, CHEST);
    expect(at.document.skeleton.joints[HAND_L].parent).toBe(CHEST);
    surface().forEach((x, i) => expect(x).toBeCloseTo(before[i], 5));
    await expect(hangJointOn(at, CHEST, HAND_L)).rejects.toThrow();
    expect(at.document.skeleton.joints[CHEST].parent).toBe(-1);
  });

  test('taken out, its weight goes to the joint that was chosen, in the same step', async () => {
    expect(pointsOf(at, HAND_L)).toBeGreaterThan(0);
    await expect(removeJointTo(at, HAND_L, -1)).rejects.toThrow('takes over the weight');
    const held = Array.from(ringPoints(20, 24), (p) => weight(p, HAND_L) + weight(p, ARM_L));
    const before = weightsOf(at);
    await removeJointTo(at, HAND_L, ARM_L);
    expect(pointsOf(at, HAND_L)).toBe(0);
    Array.from(ringPoints(20, 24)).forEach((p, i) => expect(weight(p, ARM_L)).toBeCloseTo(held[i], 6));
    expect(at.scene.joint).toBe(ARM_L);
    await at.document.undo();
    expect(weightsOf(at)).toEqual(before);
    expect(at.document.skeleton.joints[HAND_L].removed).toBeUndefined();
  });

  test('placed while looking on: mirrored, mesh unmoved, one edit when it is kept', async () => {
    const before = surface();
    at.jointPlacement.show(new Map([[HAND_L, [2.25, 0.1, 0]]]), { childrenStay: true, mirrored: true });
    at.jointPlacement.show(new Map([[HAND_L, [2.5, 0.2, 0]]]), { childrenStay: true, mirrored: true });
    expect(at.document.restPlace(HAND_L).map((x) => Math.round(x * 100) / 100)).toEqual([2.5, 0.2, 0]);
    expect(at.document.restPlace(HAND_R).map((x) => Math.round(x * 100) / 100)).toEqual([-2.5, 0.2, 0]);
    surface().forEach((x, i) => expect(x).toBeCloseTo(before[i], 5));
    at.jointPlacement.keep('Place hand_L');
    expect(at.jointPlacement.active).toBe(false);
    await saved(at);
    expect(server.labels()).toEqual(['edit Place hand_L']);
    await at.document.undo();
    expect(at.document.restPlace(HAND_L).map((x) => Math.round(x * 100) / 100)).toEqual([2, 0, 0]);
  });

  test('poses let go of joints that are not there any more', async () => {
    const pose = turned({ [HAND_L]: ['z', 30], [ARM_L]: ['z', 10] });
    await removeJointTo(at, HAND_L, ARM_L);
    expect(Object.keys(at.document.knownJoints(pose))).toEqual([String(ARM_L)]);
  });
});

describe('Weights by reach', () => {
  const every = [CHEST, ARM_L, HAND_L, ARM_R, HAND_R];

  test('are on the stage while they are dragged, and one edit when they are kept', async () => {
    const before = weightsOf(at);
    at.reachTool.begin(every, 4);
    expect([...at.reachTool.reaches.keys()]).toEqual(every);
    const reach = at.reachTool.reaches.get(ARM_L);
    if (!reach) throw new Error('The arm has no reach.');
    const p = 14 * AROUND;
    const narrow = weight(p, ARM_L);
    at.reachTool.set(ARM_L, { ...reach, outer: reach.outer + 1.5 }, true);
    expect(weight(p, ARM_L)).toBeGreaterThan(narrow);
    // The partner's reach is the same, so the sides stay alike.
    expect(weight(10 * AROUND, ARM_R)).toBeCloseTo(weight(p, ARM_L), 5);
    expect(() => at.document.refuseShown()).toThrow('Weights by reach');
    at.reachTool.keep();
    expect(at.reachTool.active).toBe(false);
    await saved(at);
    expect(server.labels()).toEqual(['edit Weights by reach']);
    await at.document.undo();
    expect(weightsOf(at)).toEqual(before);
  });

  test('dropped, everything is as it was', async () => {
    const before = weightsOf(at);
    at.reachTool.begin([ARM_L, ARM_R], 4);
    expect(await at.document.proposals.drop()).toBe(true);
    expect(weightsOf(at)).toEqual(before);
    expect(await at.document.proposals.drop()).toBe(false);
  });

  test('a reach of nothing is refused and leaves the weights as they are', () => {
    at.reachTool.begin(every, 4);
    const before = weightsOf(at);
    const reach = at.reachTool.reaches.get(ARM_L);
    expect(() => at.reachTool.set(ARM_L, { ...reach, outer: 0, inner: 0 } as never, false)).toThrow(
      'A reach of nothing',
    );
    expect(weightsOf(at)).toEqual(before);
  });
});
