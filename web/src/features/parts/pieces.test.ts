import { describe, expect, test } from '@jest/globals';
import { weightOf } from '@judoka/core/weights';
import {
  heaviestJoint,
  isolatePiece,
  joinPieces,
  piecesOf,
  renamePart,
  renamePiece,
  setRole,
  splitIslands,
  splitSelection,
} from './pieces.ts';
import { confinesOf, jointMasses, openPoints, rulesOf, selectedMasses } from '../../scene/scope.ts';
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
  saved,
  weightsOf,
} from '../../testing/testWorkspace.ts';
import type { SimulatedServer } from '../../testing/SimulatedServer.ts';
import type { Workspace } from '../../workspace/Workspace.ts';

let at: Workspace;
let server: SimulatedServer;
openForEach((opened) => ({ at, server } = opened));

describe('parts and pieces', () => {
  test('a part is split into its islands, which can be named, hidden and joined again', () => {
    expect(() => splitIslands(at, BODY)).toThrow('one island');
    splitIslands(at, HAT);
    expect(piecesOf(at, HAT).map(({ name }) => name)).toEqual(['hat 1', 'hat 2']);
    const [first, second] = piecesOf(at, HAT);
    renamePiece(at, HAT, second, 'brim');
    at.scene.visibility.setPieceVisible(HAT, second.id, false);
    expect([...(at.scene.parts[HAT].hidden ?? [])]).toEqual([0, 0, 0, 0, 1, 1, 1, 1]);
    // What is hidden takes no part in what follows.
    expect([...(openPoints(at)?.get(HAT) ?? [])]).toEqual([0, 1, 2, 3]);
    isolatePiece(at, HAT, second.id);
    expect([...(at.scene.parts[HAT].hidden ?? [])]).toEqual([1, 1, 1, 1, 0, 0, 0, 0]);
    isolatePiece(at, HAT, second.id);
    expect(at.scene.parts[HAT].hidden).toBeUndefined();
    joinPieces(at, HAT, first.id);
    expect(piecesOf(at, HAT).map(({ name }) => name)).toEqual(['brim']);
    joinPieces(at, HAT);
    expect(piecesOf(at, HAT)).toEqual([]);
  });

  test('what the selection touches is split off', () => {
    expect(() => splitSelection(at)).toThrow('Select a point of each island');
    at.scene.selection.choosePoints(new Map([[HAT, Uint32Array.of(6, 7)]]), 'replace');
    splitSelection(at);
    splitSelection(at);
    // The same island again is the same piece, not a second one.
    expect(piecesOf(at, HAT)).toHaveLength(1);
  });

  test('a rigid part follows one joint whole, and bindings leave it alone', async () => {
    await expect(setRole(at, HAT, 'rigid', -1)).rejects.toThrow('Choose the joint');
    expect(heaviestJoint(at, HAT)).toBe(CHEST);
    await setRole(at, HAT, 'rigid', ARM_L);
    for (let p = 0; p < 8; p++) expect(weightOf(at.scene.parts[HAT].skin.rows, p, ARM_L)).toBe(1);
    expect(at.document.settings.rigidParts.has(HAT)).toBe(true);
    // The tie and the role are one step to undo.
    await at.document.undo();
    expect(at.document.settings.rigidParts.has(HAT)).toBe(false);
    expect(heaviestJoint(at, HAT)).toBe(CHEST);
    renamePart(at, HAT, '  top hat ');
    expect(at.document.partName(HAT)).toBe('top hat');
    renamePart(at, HAT, ' ');
    expect(at.document.partName(HAT)).toBe('top hat');
    await saved(at);
    expect(server.state.values).toEqual({ [`parts/${HAT}/name`]: 'top hat' });
  });
});

describe('selections and poses under names', () => {
  test('a selection is kept, renamed, a limit for a joint, and removed', async () => {
    const id = await at.document.saved.saveSelection('sleeve', new Map([[BODY, ringPoints(18, 19)]]));
    expect(at.document.saved.selections).toEqual([
      { id, name: 'sleeve', points: new Map([[BODY, ringPoints(18, 19)]]) },
    ]);
    at.document.saved.renameSelection(id, 'cuff');
    expect(at.document.saved.selections[0].name).toBe('cuff');
    at.document.setValues('Limits', { [`confines/${ARM_L}`]: id });
    const mask = confinesOf(at).get(ARM_L)?.get(BODY);
    expect(mask?.reduce((sum, one) => sum + one, 0)).toBe(2 * AROUND);
    expect(rulesOf(at, 4).limit).toBe(4);
    at.document.saved.removeSelection(id);
    expect(at.document.saved.selections).toEqual([]);
    expect(confinesOf(at).size).toBe(0);
    await at.document.undo();
    expect(at.document.saved.selections[0].name).toBe('cuff');
    expect(confinesOf(at).size).toBe(1);
    await saved(at);
    const [points] = server.attachments.values();
    expect(points.length).toBeGreaterThan(4 * 2 * AROUND);
  });

  test('a pose is kept with the joint that it belongs to, changed and removed', async () => {
    await at.document.saved.savePose('wave', turned({ [ARM_L]: ['z', 45] }), null, ARM_L);
    const [pose] = at.document.saved.poses;
    expect(pose).toMatchObject({ name: 'wave', joint: ARM_L });
    await at.document.saved.changePose(pose.id, { name: 'greeting' });
    expect(at.document.saved.poses[0].name).toBe('greeting');
    at.document.saved.removePose(pose.id);
    expect(at.document.saved.poses).toEqual([]);
  });
});

describe('what operations work on', () => {
  test('masses of joints are points’ worth of weight, of all and of the selection', () => {
    const all = jointMasses(at);
    expect(all.reduce((sum, mass) => sum + mass, 0)).toBeCloseTo(RINGS * AROUND + 8, 3);
    at.scene.selection.choosePoints(new Map([[BODY, ringPoints(12)]]), 'replace');
    expect([...selectedMasses(at)].map((mass) => Math.round(mass))).toEqual([AROUND, 0, 0, 0, 0]);
  });

  test('looking at parts changes no weights', () => {
    const before = weightsOf(at);
    at.scene.visibility.setVisible(HAT, false);
    at.scene.visibility.isolate(BODY);
    at.scene.visibility.showAll();
    expect(weightsOf(at)).toEqual(before);
  });
});
