import { beforeEach, describe, expect, test } from '@jest/globals';
import { DEFAULT_RELAXING } from '@judoka/core/deform';
import { itemPath, piecePath } from '@judoka/core/document';
import { withJoint } from '@judoka/core/skeleton';
import { setLocked } from '../document/jointSettings.ts';
import { addJointTo, removeJointTo } from '../features/joints/jointEdits.ts';
import {
  ARM_L,
  ARM_R,
  AROUND,
  BODY,
  CHEST,
  doneLabels,
  giveWeight,
  HAND_L,
  HAT,
  openForEach,
  ringPoints,
  saved,
  turned,
  until,
} from '../testing/testWorkspace.ts';
import type { SimulatedServer } from '../testing/SimulatedServer.ts';
import type { Workspace } from '../workspace/Workspace.ts';
import { receiverOf, receiverWords } from './receiver.ts';
import { NO_MARKS } from './Scene.ts';
import {
  confinesOf,
  deformingJoints,
  isBound,
  jointMasses,
  openPoints,
  scopeOf,
  selectedMasses,
} from './scope.ts';

let at: Workspace;
let server: SimulatedServer;
openForEach((opened) => ({ at, server } = opened));

const surface = (): number[] => [...at.scene.parts[BODY].skin.positions];
const apart = (a: number[], b: number[]): number => Math.max(...a.map((x, i) => Math.abs(x - b[i])));

describe('the chosen joint', () => {
  test('its weights are what is drawn, and stay so while they are painted', async () => {
    at.scene.chooseJoint(ARM_L);
    const { jointWeights } = at.scene.parts[BODY];
    expect(jointWeights[16 * AROUND]).toBe(0.5);
    await at.document.perform('Give', { weights: giveWeight(at, ringPoints(16), ARM_L, 0.9) });
    expect(jointWeights[16 * AROUND]).toBeCloseTo(0.9, 6);
    at.scene.chooseJoint(-1);
    expect(jointWeights.every((weight) => weight === 0)).toBe(true);
  });

  test('others beside it come and go; choosing one alone lets go of them', () => {
    at.scene.toggleChosen(ARM_L);
    at.scene.toggleChosen(HAND_L);
    at.scene.toggleChosen(ARM_R);
    expect(at.scene.chosenJoints()).toEqual([ARM_L, HAND_L, ARM_R]);
    at.scene.toggleChosen(HAND_L);
    at.scene.toggleChosen(ARM_L);
    expect(at.scene.chosenJoints()).toEqual([ARM_L, ARM_R]);
    at.scene.chooseJoint(CHEST);
    expect(at.scene.chosenJoints()).toEqual([CHEST]);
  });

  test('an edit of others on it is drawn too', async () => {
    at.scene.chooseJoint(ARM_L);
    server.edit('Theirs', { weights: giveWeight(at, ringPoints(16), ARM_L, 0.25) });
    await at.document.log.follow(server.head);
    expect(at.scene.parts[BODY].jointWeights[16 * AROUND]).toBeCloseTo(0.25, 6);
  });
});

describe('the pose', () => {
  test('bends the surface at once; held rest shows the surface as it was, and the pose comes back', () => {
    const rest = surface();
    at.scene.setPose(turned({ [ARM_L]: ['z', 90] }));
    const bent = surface();
    expect(apart(rest, bent)).toBeGreaterThan(1);
    at.scene.setShowsRest(true);
    expect(apart(rest, surface())).toBeLessThan(1e-6);
    at.scene.setShowsRest(false);
    expect(surface()).toEqual(bent);
  });

  test('becomes the document’s once it rests; several moves of one handle are one edit, of two handles two', async () => {
    at.scene.setPose(turned({ [ARM_L]: ['z', 20] }), 'Pose arm_L', 'pose:1:z');
    at.scene.setPose(turned({ [ARM_L]: ['z', 40] }), 'Pose arm_L', 'pose:1:z');
    at.scene.setPose(turned({ [ARM_L]: ['x', 40] }), 'Pose arm_L', 'pose:1:x');
    await saved(at);
    expect(server.labels()).toEqual(['edit Pose arm_L', 'edit Pose arm_L']);
    await at.document.undo();
    expect(at.scene.pose[ARM_L].rotation[2]).toBeCloseTo(Math.sin((20 * Math.PI) / 180), 5);
  });

  test('is named by what it poses, where nobody says', () => {
    at.scene.setPose(turned({ [ARM_L]: ['z', 20] }));
    at.scene.settlePose();
    at.scene.setPose(turned({ [ARM_L]: ['z', 20], [ARM_R]: ['z', 20], [HAND_L]: ['z', 20] }), undefined, 'b');
    at.scene.settlePose();
    at.scene.setPose({}, undefined, 'c');
    at.scene.settlePose();
    expect(doneLabels(at)).toEqual(['Pose arm_L', 'Pose of 2 joints', 'Rest pose']);
  });

  test('that a clip shows for a moment does not become the document’s', async () => {
    at.scene.showPose(turned({ [ARM_L]: ['z', 70] }));
    at.document.settle();
    await saved(at);
    expect(server.log).toHaveLength(0);
    expect(at.document.settings.pose).toEqual({});
  });

  test('of somebody else comes onto the stage; one’s own that is not settled yet stays', async () => {
    const pose = turned({ [ARM_R]: ['z', 30] });
    server.edit('Their pose', {
      values: [{ path: `pose/${ARM_R}`, before: null, after: pose[ARM_R] as never }],
    });
    await at.document.log.follow(server.head);
    expect(at.scene.pose[ARM_R]).toEqual(pose[ARM_R]);
  });

  test('with dual quaternions an elbow keeps its thickness; undone, it is as before', async () => {
    at.scene.setPose(turned({ [ARM_L]: ['x', 150] }));
    const width = (): number => {
      const { positions } = at.scene.parts[BODY].skin;
      return (
        Math.max(...ringPoints(16).map((p) => Math.hypot(positions[p * 3 + 1], positions[p * 3 + 2]) * 1e6)) /
        1e6
      );
    };
    const linear = width();
    at.document.changeSettings({ skinning: 'dual' });
    expect(width()).toBeGreaterThan(linear * 1.5);
    expect(width()).toBeCloseTo(0.4, 2);
    at.document.settle();
    await at.document.undo();
    expect(width()).toBeCloseTo(linear, 5);
  });
});

describe('saved poses are dialled', () => {
  const UP = turned({ [ARM_L]: ['z', 80] });
  const OUT = turned({ [ARM_L]: ['y', 30], [HAND_L]: ['x', 50] });
  const idOf = (name: string): string => at.document.saved.poses.find((one) => one.name === name)?.id ?? '';
  const degrees = (joint: number): number =>
    (2 * Math.acos(Math.min(1, at.scene.pose[joint].rotation[3])) * 180) / Math.PI;
  const dial = (name: string, amount: number): void =>
    at.scene.dial({ [idOf(name)]: amount }, `Dial ${name}`, `dial:${name}`);
  beforeEach(() =>
    at.document.saved.addPoses('Keep', [
      { name: 'up', joints: UP, joint: null },
      { name: 'out', joints: OUT, joint: null },
    ]),
  );

  test('half of one, then some of another; the first taken out, the other is left alone', () => {
    dial('up', 0.5);
    expect(degrees(ARM_L)).toBeCloseTo(40, 4);
    dial('out', 1);
    expect(degrees(HAND_L)).toBeCloseTo(50, 4);
    dial('up', 0);
    expect(degrees(ARM_L)).toBeCloseTo(30, 4);
    at.document.settle();
    expect(at.document.settings.dials).toEqual({ [idOf('out')]: 1 });
    dial('out', 0);
    expect(at.scene.pose).toEqual({});
  });

  test('what a hand does between stays when it is taken out; a drag of a dial is one edit, undone with its amount', async () => {
    for (const amount of [0.2, 0.6, 1.5]) dial('up', amount);
    expect(degrees(ARM_L)).toBeCloseTo(120, 3);
    at.document.settle();
    expect(doneLabels(at)).toEqual(['Keep', 'Dial up']);
    at.scene.handlePose(withJoint(at.scene.pose, HAND_L, OUT[HAND_L]));
    at.document.settle();
    dial('up', 0);
    expect(Object.keys(at.scene.pose)).toEqual([String(HAND_L)]);
    at.document.settle();
    await at.document.undo();
    expect(at.scene.dials).toEqual({ [idOf('up')]: 1.5 });
    expect(degrees(ARM_L)).toBeCloseTo(120, 3);
    await at.document.undo();
    await at.document.undo();
    expect([at.scene.pose, at.scene.dials]).toEqual([{}, {}]);
  });

  test('another pose has nothing of them in it; one that is saved as it stands is dialled wholly', async () => {
    dial('up', 0.5);
    at.document.settle();
    at.scene.setPose(OUT);
    at.document.settle();
    expect(at.document.settings.dials).toEqual({});
    await at.document.saved.savePose('both', at.scene.pose, null, null);
    expect(at.scene.dials).toEqual({ [idOf('both')]: 1 });
    dial('both', 0.5);
    expect(degrees(HAND_L)).toBeCloseTo(25, 4);
    at.document.settle();
    at.document.saved.removePose(idOf('both'));
    expect(at.scene.dials).toEqual({});
  });
});

describe('relaxed', () => {
  const sharp = turned({ [ARM_L]: ['z', 100] });
  const isRelaxed = (than: number[]) => () => apart(surface(), than) > 0.01;

  test('the surface is smoother in a bend, as it was at rest, and as it was without it', async () => {
    const rest = surface();
    at.scene.setPose(sharp);
    const skinned = surface();
    at.document.changeSettings({ relaxing: { ...DEFAULT_RELAXING } });
    await until('it is relaxed', isRelaxed(skinned));
    const relaxed = surface();
    at.scene.setShowsRest(true);
    expect(apart(surface(), rest)).toBeLessThan(1e-5);
    at.scene.setShowsRest(false);
    at.document.changeSettings({ relaxing: { ...DEFAULT_RELAXING, strength: 0.5 } });
    surface().forEach((x, i) => expect(x).toBeCloseTo((skinned[i] + relaxed[i]) / 2, 4));
    at.document.settle();
    await at.document.undo();
    expect(apart(surface(), relaxed)).toBeLessThan(1e-6);
    await at.document.undo();
    expect(apart(surface(), skinned)).toBe(0);
  });

  test('stage and strip follow rows that are written, as if all were deformed anew', async () => {
    at.scene.chooseJoint(ARM_L);
    at.scene.setPose(sharp);
    const skinned = surface();
    at.document.changeSettings({ relaxing: { ...DEFAULT_RELAXING, passes: 2 } });
    await until('it is relaxed', isRelaxed(skinned));
    const drawn = new Set<number>();
    at.scene.pointListeners.add((_, points, count) => points.slice(0, count).forEach((p) => drawn.add(p)));
    await at.document.perform('Give', { weights: giveWeight(at, ringPoints(16), ARM_L, 0.9) });
    const { strip } = at.scene;
    const followed = [surface(), ...strip.positions.map((places) => [...places])];
    expect(drawn.size).toBeGreaterThan(ringPoints(16).length);
    at.scene.showPose(sharp);
    strip.rebuild();
    expect([surface(), ...strip.positions.map((places) => [...places])]).toEqual(followed);
  });

  test('in a saved selection alone, and in the rings about it', async () => {
    at.scene.setPose(sharp);
    const skinned = surface();
    const selection = await at.document.saved.saveSelection('elbow', new Map([[BODY, ringPoints(16)]]));
    at.document.changeSettings({ relaxing: { ...DEFAULT_RELAXING, selection, border: 0 } });
    await until('it is relaxed', () => apart(surface(), skinned) > 1e-3);
    const moved = surface().flatMap((x, i) => (x === skinned[i] ? [] : [Math.floor(i / 3)]));
    expect(new Set(moved)).toEqual(new Set(ringPoints(16)));
  });
});

describe('joints that come and go', () => {
  test('the pose of a joint that was removed is left out, and comes back with it', async () => {
    at.scene.setPose(turned({ [HAND_L]: ['z', 40] }));
    at.scene.settlePose();
    await removeJointTo(at, HAND_L, ARM_L);
    expect(HAND_L in at.scene.pose).toBe(false);
    await at.document.undo();
    expect(at.scene.pose[HAND_L].rotation[2]).toBeCloseTo(Math.sin((20 * Math.PI) / 180), 5);
  });

  test('a new joint moves nothing at rest', async () => {
    const rest = surface();
    await addJointTo(at, ARM_L, 'elbow', [1.5, 0, 0]);
    expect(apart(rest, surface())).toBeLessThan(1e-6);
  });
});

test('what is pointed out is told, and taken back', () => {
  let told = 0;
  at.scene.events.subscribe('marks', () => told++);
  at.scene.setMarks({ points: new Map([[BODY, Uint32Array.of(3)]]), joints: [ARM_L] });
  at.scene.setMarks(NO_MARKS);
  expect(told).toBe(2);
  expect(at.scene.marks.points.size).toBe(0);
});

describe('what is selected', () => {
  const select = (points: number[]): void =>
    at.scene.selection.choosePoints(new Map([[BODY, Uint32Array.from(points)]]), 'replace');

  test('inverted, grown and shrunk it stays on shown, skinned points', () => {
    select([0]);
    at.scene.selection.grow();
    expect(at.scene.selection.count).toBe(4);
    at.scene.selection.shrink();
    at.scene.selection.invert();
    const all = 200 + 8;
    expect(at.scene.selection.count).toBe(all - 1);
    at.scene.visibility.setVisible(HAT, false);
    at.scene.selection.all();
    expect(at.scene.selection.count).toBe(200);
  });

  test('what is hidden is let go of, and is not taken again until it is shown', () => {
    select([1, 2, 3]);
    at.scene.visibility.hide(new Map([[BODY, Uint32Array.of(2)]]));
    expect([...(at.scene.selection.points().get(BODY) ?? [])]).toEqual([1, 3]);
    select([1, 2, 3]);
    expect(at.scene.selection.count).toBe(2);
    at.scene.visibility.showAll();
    select([1, 2, 3]);
    expect(at.scene.selection.count).toBe(3);
  });

  test('one part alone, and all of them again', () => {
    at.scene.visibility.isolate(HAT);
    expect(at.scene.parts.map(({ visible }) => visible)).toEqual([false, true]);
    at.scene.visibility.isolate(HAT);
    expect(at.scene.parts.map(({ visible }) => visible)).toEqual([true, true]);
  });

  test('a piece that is hidden takes its points along; joined again, they are back', () => {
    const id = crypto.randomUUID();
    at.document.setValues('Split', { [piecePath(HAT, id)]: { name: 'Left', seeds: [0], savedAt: 1 } });
    at.scene.visibility.setPieceVisible(HAT, id, false);
    expect([...(at.scene.parts[HAT].hidden ?? [])].filter((held) => held === 1)).toHaveLength(4);
    expect(at.scene.visibility.isPieceVisible(id)).toBe(false);
    at.document.setValues('Join', { [piecePath(HAT, id)]: null });
    expect(at.scene.parts[HAT].hidden).toBeUndefined();
  });
});

describe('what operations act on', () => {
  test('the selection; without one all shown points, but none that are hidden', () => {
    expect([...scopeOf(at)].map(([part, points]) => [part, points.length])).toEqual([
      [BODY, 200],
      [HAT, 8],
    ]);
    at.scene.visibility.hide(new Map([[BODY, Uint32Array.of(7)]]));
    at.scene.visibility.setVisible(HAT, false);
    expect([...scopeOf(at)].map(([part, points]) => [part, points.length])).toEqual([[BODY, 199]]);
    at.scene.selection.choosePoints(new Map([[BODY, Uint32Array.of(1, 2)]]), 'replace');
    expect([...scopeOf(at)]).toEqual([[BODY, Uint32Array.of(1, 2)]]);
  });

  test('all points need no list; asked-for ones are without what is hidden', () => {
    expect(openPoints(at)).toBeUndefined();
    at.scene.visibility.hide(new Map([[BODY, Uint32Array.of(7)]]));
    expect(openPoints(at)?.get(BODY)).toHaveLength(199);
    expect(openPoints(at, new Map([[BODY, Uint32Array.of(6, 7, 8)]]))?.get(BODY)).toEqual(
      Uint32Array.of(6, 8),
    );
  });

  test('masses add up to the points, of everything and of the selection', () => {
    const masses = jointMasses(at);
    expect(masses.reduce((sum, mass) => sum + mass, 0)).toBeCloseTo(208, 4);
    at.scene.selection.choosePoints(new Map([[BODY, ringPoints(16)]]), 'replace');
    const selected = selectedMasses(at);
    expect([selected[CHEST], selected[ARM_L]]).toEqual([4, 4]);
  });

  test('joints that deform, of all or of some; rigid parts are not bound', () => {
    at.document.setValues('Off', { [`nonDeforming/${HAND_L}`]: true });
    expect([...deformingJoints(at)]).toEqual([1, 1, 0, 1, 1]);
    expect([...deformingJoints(at, [ARM_L, HAND_L])]).toEqual([0, 1, 0, 0, 0]);
    expect(isBound(at, BODY)).toBe(true);
    at.document.setValues('Rigid', { [`parts/${BODY}/role`]: 'rigid' });
    expect(isBound(at, BODY)).toBe(false);
  });

  test('a joint is confined to a selection that is there, and by one that is gone to nothing', async () => {
    const id = await at.document.saved.saveSelection('Sleeve', new Map([[BODY, Uint32Array.of(4, 5)]]));
    at.document.setValues('Confine', {
      [`confines/${ARM_L}`]: id,
      [`confines/${ARM_R}`]: crypto.randomUUID(),
    });
    const confines = confinesOf(at);
    expect([...confines.keys()]).toEqual([ARM_L]);
    expect([...(confines.get(ARM_L)?.get(BODY) ?? [])].flatMap((held, p) => (held ? [p] : []))).toEqual([
      4, 5,
    ]);
    at.document.setValues('Gone', { [itemPath('selections', id)]: null });
    expect(confinesOf(at).size).toBe(0);
  });
});

describe('who gets what is freed', () => {
  beforeEach(() => at.scene.chooseJoint(HAND_L));
  test.each([
    ['others', -1, { kind: 'others' }, 'the other influences, in proportion'],
    ['parent', -1, { kind: 'joint', joint: ARM_L }, 'arm_L'],
    ['joint', ARM_R, { kind: 'joint', joint: ARM_R }, 'arm_R'],
    ['joint', -1, { kind: 'joint', joint: -1 }, 'nothing: there is no such joint'],
    ['neighbours', -1, { kind: 'neighbours' }, 'what the neighbours have'],
  ] as const)('%s, %d', (choice, joint, receiver, words) => {
    expect(receiverOf(at, choice, joint)).toEqual(receiver);
    expect(receiverWords(at, choice, joint)).toBe(words);
  });

  test('a root has no parent to give to', () => {
    at.scene.chooseJoint(CHEST);
    expect(receiverOf(at, 'parent', -1)).toEqual({ kind: 'joint', joint: -1 });
    setLocked(at.document, CHEST, true);
    expect(at.document.locks[CHEST]).toBe(1);
  });
});
