import { describe, expect, test } from '@jest/globals';
import { weightOf } from '@judoka/core/weights';
import type { CharacterSession } from './CharacterSession.ts';
import {
  changePiece,
  heaviestJoint,
  isolatePiece,
  joinPieces,
  renamePart,
  setRole,
  settingsOf,
  splitIslands,
  splitSelection,
} from './pieces.ts';
import { confinesOf, jointMasses, openPoints, rulesOf, selectedMasses } from './scope.ts';
import {
  ARM_L,
  AROUND,
  BODY,
  CHEST,
  HAT,
  openForEach,
  ringPoints,
  RINGS,
  turned,
  weightsOf,
  type SimulatedServer,
} from './testSession.ts';

let session: CharacterSession;
let server: SimulatedServer;
openForEach((opened) => ({ session, server } = opened));

describe('parts and pieces', () => {
  test('a part is split into its islands, which can be named, hidden and joined again', () => {
    expect(() => splitIslands(session, BODY)).toThrow('one island');
    splitIslands(session, HAT);
    expect(settingsOf(session, HAT).pieces?.map(({ name }) => name)).toEqual(['hat 1', 'hat 2']);
    changePiece(session, HAT, 1, { name: 'brim', visible: false });
    expect([...(session.parts[HAT].hidden ?? [])]).toEqual([0, 0, 0, 0, 1, 1, 1, 1]);
    // What is hidden takes no part in what follows.
    expect([...(openPoints(session)?.get(HAT) ?? [])]).toEqual([0, 1, 2, 3]);
    isolatePiece(session, HAT, 1);
    expect([...(session.parts[HAT].hidden ?? [])]).toEqual([1, 1, 1, 1, 0, 0, 0, 0]);
    isolatePiece(session, HAT, 1);
    expect(session.parts[HAT].hidden).toBeUndefined();
    joinPieces(session, HAT, 0);
    expect(settingsOf(session, HAT).pieces?.map(({ name }) => name)).toEqual(['brim']);
    joinPieces(session, HAT);
    expect(settingsOf(session, HAT).pieces).toEqual([]);
  });

  test('what the selection touches is split off', () => {
    expect(() => splitSelection(session)).toThrow('Select a point of each island');
    session.selection.choosePoints(new Map([[HAT, Uint32Array.of(6, 7)]]), 'replace');
    splitSelection(session);
    splitSelection(session);
    // The same island again is the same piece, not a second one.
    expect(settingsOf(session, HAT).pieces).toHaveLength(1);
  });

  test('a rigid part follows one joint whole, and bindings leave it alone', async () => {
    await expect(setRole(session, HAT, 'rigid', -1)).rejects.toThrow('Choose the joint');
    expect(heaviestJoint(session, HAT)).toBe(CHEST);
    await setRole(session, HAT, 'rigid', ARM_L);
    for (let p = 0; p < 8; p++) expect(weightOf(session.parts[HAT].skin.rows, p, ARM_L)).toBe(1);
    expect(settingsOf(session, HAT).role).toBe('rigid');
    renamePart(session, HAT, '  top hat ');
    expect(session.partName(HAT)).toBe('top hat');
    renamePart(session, HAT, ' ');
    expect(session.partName(HAT)).toBe('top hat');
    while (!server.put.has('settings')) await new Promise((resolve) => setTimeout(resolve, 5));
  });
});

describe('selections and poses under names', () => {
  test('a selection is kept, renamed, a limit for a joint, and removed', async () => {
    const id = await session.kept.keepSelection('sleeve', new Map([[BODY, ringPoints(18, 19)]]));
    expect(session.kept.selections).toEqual([
      { id, name: 'sleeve', points: new Map([[BODY, ringPoints(18, 19)]]) },
    ]);
    await session.kept.renameSelection(id, 'cuff');
    expect(session.kept.selections[0].name).toBe('cuff');
    session.setSettings({ confines: { [ARM_L]: id } });
    const mask = confinesOf(session).get(ARM_L)?.get(BODY);
    expect(mask?.reduce((sum, one) => sum + one, 0)).toBe(2 * AROUND);
    expect(rulesOf(session, 4).limit).toBe(4);
    await session.kept.removeSelection(id);
    expect(session.kept.selections).toEqual([]);
  });

  test('a pose is kept with the joint that it belongs to, changed and removed', async () => {
    await session.kept.keepPose('wave', turned({ [ARM_L]: ['z', 45] }), null, ARM_L);
    const [pose] = session.kept.poses;
    expect(pose).toMatchObject({ name: 'wave', joint: ARM_L });
    await session.kept.changePose(pose.id, { name: 'greeting' });
    expect(session.kept.poses[0].name).toBe('greeting');
    await session.kept.removePose(pose.id);
    expect(session.kept.poses).toEqual([]);
  });
});

describe('what operations work on', () => {
  test('masses of joints are points’ worth of weight, of all and of the selection', () => {
    const all = jointMasses(session);
    expect(all.reduce((sum, mass) => sum + mass, 0)).toBeCloseTo(RINGS * AROUND + 8, 3);
    session.selection.choosePoints(new Map([[BODY, ringPoints(12)]]), 'replace');
    expect([...selectedMasses(session)].map((mass) => Math.round(mass))).toEqual([AROUND, 0, 0, 0, 0]);
  });

  test('looking at parts changes no weights', () => {
    const before = weightsOf(session);
    session.showing.setVisible(HAT, false);
    session.showing.isolate(BODY);
    session.showing.showAll();
    expect(weightsOf(session)).toEqual(before);
  });
});
