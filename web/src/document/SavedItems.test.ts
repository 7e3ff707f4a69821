import { describe, expect, test } from '@jest/globals';
import {
  ARM_L,
  BODY,
  doneLabels,
  HAND_L,
  HAT,
  openAnother,
  openForEach,
  saved,
  turned,
  until,
} from '../testing/testWorkspace.ts';
import type { SimulatedServer } from '../testing/SimulatedServer.ts';
import type { Workspace } from '../workspace/Workspace.ts';

let at: Workspace;
let server: SimulatedServer;
openForEach((opened) => ({ at, server } = opened));

const POSE = turned({ [ARM_L]: ['z', 40] });
const PICTURE = Uint8Array.of(1, 2, 3, 4);

describe('poses under names', () => {
  test('a pose is kept with its joint and its picture, which goes before the edit that names it', async () => {
    await at.document.saved.savePose('Flap', POSE, PICTURE, ARM_L);
    const [pose] = at.document.saved.poses;
    expect(pose).toMatchObject({ name: 'Flap', joints: POSE, joint: ARM_L });
    await saved(at);
    expect(server.attachments.get(pose.picture ?? '')).toEqual(PICTURE);
    expect(server.labels()).toEqual(['edit Save pose Flap']);
  });

  test('renamed, its picture stays; the history says what it was called', async () => {
    await at.document.saved.savePose('Flap', POSE, PICTURE, null);
    const [{ id, picture }] = at.document.saved.poses;
    await at.document.saved.changePose(id, { name: 'Wide flap' });
    expect(at.document.saved.poses).toEqual([expect.objectContaining({ id, name: 'Wide flap', picture })]);
    expect(doneLabels(at).at(-1)).toBe('Rename pose Flap');
    await at.document.undo();
    expect(at.document.saved.poses[0].name).toBe('Flap');
  });

  test('removed and brought back by undo, with what it was', async () => {
    await at.document.saved.savePose('Flap', POSE, null, null);
    const [{ id }] = at.document.saved.poses;
    at.document.saved.removePose(id);
    expect(at.document.saved.poses).toEqual([]);
    await at.document.undo();
    expect(at.document.saved.poses[0]).toMatchObject({ id, name: 'Flap', joints: POSE });
  });
});

describe('selections under names', () => {
  const POINTS = new Map([
    [BODY, Uint32Array.of(1, 5, 9)],
    [HAT, Uint32Array.of(0)],
  ]);

  test('another reader gets their points with the character', async () => {
    await at.document.saved.saveSelection('Wrist', POINTS);
    expect(at.document.saved.selections).toEqual([
      expect.objectContaining({ name: 'Wrist', points: POINTS }),
    ]);
    await saved(at);
    const other = await openAnother();
    await until('the points have come', () => other.document.saved.selections.length > 0);
    expect(other.document.saved.selections[0].points).toEqual(POINTS);
    other.close();
  });

  test('renamed; of one that is gone nothing is said', async () => {
    const id = await at.document.saved.saveSelection('Wrist', POINTS);
    at.document.saved.renameSelection(id, 'Left wrist');
    expect(at.document.saved.selections[0].name).toBe('Left wrist');
    expect(doneLabels(at).at(-1)).toBe('Rename selection Wrist');
    at.document.saved.renameSelection('nobody', 'Nothing');
    expect(doneLabels(at)).toHaveLength(2);
  });

  test('removed, joints that were confined to it are free, in the same edit', async () => {
    const id = await at.document.saved.saveSelection('Wrist', POINTS);
    at.document.setValues('Confine', { [`confines/${HAND_L}`]: id });
    at.document.saved.removeSelection(id);
    expect(at.document.settings.confines[HAND_L]).toBeUndefined();
    await at.document.undo();
    expect(at.document.settings.confines[HAND_L]).toBe(id);
    expect(at.document.saved.selections[0].points).toEqual(POINTS);
  });
});
