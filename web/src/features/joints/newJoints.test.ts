import { beforeEach, describe, expect, test } from '@jest/globals';
import { setSkinned } from '../../document/partRoles.ts';
import {
  ARM_L,
  BODY,
  CHEST,
  doneLabels,
  HAND_L,
  openForEach,
  saved,
  weightsOf,
} from '../../testing/testWorkspace.ts';
import type { SimulatedServer } from '../../testing/SimulatedServer.ts';
import type { Workspace } from '../../workspace/Workspace.ts';
import { addJointAt, lacksOtherSide, makeOtherSide, parentOfNext } from './newJoints.ts';

let at: Workspace;
let server: SimulatedServer;
openForEach((opened) => ({ at, server } = opened));

const placeOf = (name: string): number[] => {
  const joint = at.document.skeleton.joints.findIndex((each) => each.name === name && !each.removed);
  return at.document.restPlace(joint).map((x) => Math.round(x * 1e4) / 1e4);
};
const nameOf = (joint: number): string => at.document.jointName(joint);

describe('a joint by a click', () => {
  test('hangs on the chosen one, with its other side, as one edit; it is chosen, and undo takes both', async () => {
    await addJointAt(at, { parent: HAND_L, place: [2.5, 0.1, 0.2], wish: 'claw', mirrored: true });
    expect(placeOf('claw_L')).toEqual([2.5, 0.1, 0.2]);
    expect(placeOf('claw_R')).toEqual([-2.5, 0.1, 0.2]);
    expect(nameOf(at.scene.joint)).toBe('claw_L');
    const { joints } = at.document.skeleton;
    const other = joints.find(({ name }) => name === 'claw_R');
    expect(nameOf(other?.parent ?? -1)).toBe('hand_R');
    await saved(at);
    expect(server.labels()).toEqual(['edit Add joint claw_L']);
    await at.document.undo();
    expect(at.document.skeleton.joints.filter(({ removed }) => removed)).toHaveLength(2);
  });

  test('about on the middle it stands on it, alone; without mirroring it stays where it was put', async () => {
    await addJointAt(at, { parent: CHEST, place: [0.01, 0.3, 0], wish: 'sternum', mirrored: true });
    expect(placeOf('sternum')).toEqual([0, 0.3, 0]);
    await addJointAt(at, { parent: CHEST, place: [0.01, 0.5, 0], wish: 'sternum', mirrored: false });
    expect(placeOf('sternum_2')).toEqual([0.01, 0.5, 0]);
    expect(doneLabels(at)).toHaveLength(2);
  });

  test('without a name it goes on counting from what it hangs on', async () => {
    const grow = (place: [number, number, number]): Promise<void> =>
      addJointAt(at, { parent: parentOfNext(at), place, wish: '', mirrored: true });
    at.scene.chooseJoint(HAND_L);
    await grow([2.3, 0, 0]);
    await grow([2.6, 0, 0]);
    expect(placeOf('hand_2_L')).toEqual([2.3, 0, 0]);
    expect(placeOf('hand_3_L')).toEqual([2.6, 0, 0]);
    expect(placeOf('hand_3_R')).toEqual([-2.6, 0, 0]);
  });

  test('needs a joint to hang on where there are some', () => {
    at.scene.chooseJoint(-1);
    expect(() => parentOfNext(at)).toThrow(/Choose the joint/);
  });
});

describe('the other side', () => {
  test('is made of what has none, with what hangs below, and not twice', async () => {
    await addJointAt(at, { parent: ARM_L, place: [1.5, 0.4, 0], wish: 'fin_L', mirrored: false });
    const fin = at.scene.joint;
    expect(lacksOtherSide(at, fin)).toBe(true);
    expect(lacksOtherSide(at, ARM_L)).toBe(false);
    expect(lacksOtherSide(at, CHEST)).toBe(false);
    await makeOtherSide(at, [fin]);
    expect(placeOf('fin_R')).toEqual([-1.5, 0.4, 0]);
    expect(lacksOtherSide(at, fin)).toBe(false);
    await expect(makeOtherSide(at, [fin])).rejects.toThrow(/another side already/);
  });
});

describe('parts that the file gives no weights', () => {
  let before: ReturnType<typeof weightsOf>;
  beforeEach(() => {
    before = weightsOf(at);
  });

  test('are as they were where the file gives some: nothing else is skinned by it', async () => {
    expect(at.document.bound.isFixedInFile(BODY)).toBe(false);
    await setSkinned(at.document, [BODY], true);
    expect(at.scene.parts[BODY].part.role).toBe('skinned');
    expect(weightsOf(at)).toEqual(before);
    await at.document.undo();
    expect(at.document.settings.skinnedParts.size).toBe(0);
  });
});
