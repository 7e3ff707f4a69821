import type { Workspace } from '../../workspace/Workspace.ts';
import type { SimulatedServer } from '../../testing/SimulatedServer.ts';
import { describe, expect, test } from '@jest/globals';
import { weightOf } from '@judoka/core/weights';
import { uiSettingsSlice } from '../../settings/uiSettings.ts';
import { fillSelection } from '../paint/fill.ts';
import { gradientChange, ringsChange } from '../paint/gradient.ts';
import { chosenChain } from '../../scene/chosenChain.ts';
import { blendShownBorders, giveSelection, proposeChain, tieIsland } from './handwork.ts';
import {
  ARM_L,
  ARM_R,
  AROUND,
  BODY,
  CHEST,
  HAND_L,
  HAT,
  openForEach,
  ringAt,
  ringPoints,
  RINGS,
  saved,
  weightsOf,
} from '../../testing/testWorkspace.ts';
import { setLocked } from '../../document/jointSettings.ts';

let at: Workspace;
let server: SimulatedServer;
openForEach((opened) => ({ at, server } = opened));

const settings = uiSettingsSlice.getInitialState();
const weight = (point: number, joint: number, part = BODY): number =>
  weightOf(at.scene.parts[part].skin.rows, point, joint);
const select = (...rings: number[]): void =>
  at.scene.selection.choosePoints(new Map([[BODY, ringPoints(...rings)]]), 'replace');

describe('the selection', () => {
  test('grows along edges, shrinks back, and takes whole islands', () => {
    select(12);
    at.scene.selection.grow();
    expect([...(at.scene.selection.points().get(BODY) ?? [])]).toEqual([...ringPoints(11, 12, 13)]);
    at.scene.selection.shrink();
    expect([...(at.scene.selection.points().get(BODY) ?? [])]).toEqual([...ringPoints(12)]);
    at.scene.selection.choosePoints(new Map([[HAT, Uint32Array.of(5)]]), 'add');
    at.scene.selection.islands();
    expect(at.scene.selection.count).toBe(RINGS * AROUND + 4);
    expect([...(at.scene.selection.points().get(HAT) ?? [])]).toEqual([4, 5, 6, 7]);
  });

  test('adds, takes away and inverts; hidden points take no part', () => {
    select(3, 4);
    at.scene.selection.choosePoints(new Map([[BODY, ringPoints(4)]]), 'take');
    expect(at.scene.selection.count).toBe(AROUND);
    at.scene.visibility.hide(new Map([[BODY, ringPoints(3)]]));
    expect(at.scene.selection.count).toBe(0);
    at.scene.selection.invert();
    expect(at.scene.selection.count).toBe((RINGS - 1) * AROUND + 8);
    at.scene.visibility.showAll();
    at.scene.visibility.isolate(HAT);
    at.scene.selection.all();
    expect(at.scene.selection.count).toBe(8);
  });
});

describe('fill', () => {
  test('does the tool in hand on the selection, as one edit', async () => {
    select(12);
    at.scene.chooseJoint(ARM_L);
    fillSelection(at, { ...settings, tool: 'set', value: 0.75, strength: 1 }, 1);
    for (const p of ringPoints(12)) expect(weight(p, ARM_L)).toBeCloseTo(0.75, 6);
    await saved(at);
    expect(server.labels()).toEqual(['edit Fill: Set to, arm_L']);
  });

  test('without a brush, or on a locked joint, it says why not and changes nothing', () => {
    const before = weightsOf(at);
    select(12);
    fillSelection(at, { ...settings, tool: 'pose' }, 1);
    expect(at.document.notice?.sentence).toContain('Take a brush first');
    at.scene.chooseJoint(ARM_L);
    setLocked(at.document, ARM_L, true);
    fillSelection(at, { ...settings, tool: 'set' }, 1);
    expect(at.document.notice?.sentence).toContain('locked');
    expect(weightsOf(at)).toEqual(before);
  });
});

describe('gradients', () => {
  const linear = { ...settings, falloff: 'linear', gradient: 'linear' } as const;

  test('fall evenly from one place to another', async () => {
    at.scene.chooseJoint(ARM_L);
    at.scene.selection.choosePoints(new Map([[BODY, ringPoints(...Array(RINGS).keys())]]), 'replace');
    await at.document.perform('Gradient', { weights: gradientChange(at, [1, 0, 0], [-1, 0, 0], linear) });
    for (let ring = 8; ring <= 16; ring++) {
      const p = ring * AROUND;
      expect(weight(p, ARM_L)).toBeCloseTo((ringAt(ring) + 1) / 2, 5);
    }
    expect(weight(0, ARM_L)).toBe(0);
  });

  test('around a place reach as far as the second one, and no further', async () => {
    at.scene.chooseJoint(ARM_L);
    const change = gradientChange(at, [0, 0, 0], [0, 1.2, 0], { ...linear, gradient: 'around' });
    const { positions } = at.scene.parts[BODY].skin;
    for (const { part, points } of change)
      for (const p of points)
        if (part === BODY) expect(Math.hypot(...positions.subarray(p * 3, p * 3 + 3))).toBeLessThan(1.2);
    await at.document.perform('Gradient', { weights: change });
    expect(weight(12 * AROUND, ARM_L)).toBeCloseTo(1 - 0.4 / 1.2, 4);
  });

  test('by rings outward from the selection', async () => {
    at.scene.chooseJoint(ARM_R);
    select(12);
    await at.document.perform('Rings', { weights: ringsChange(at, 3, linear) });
    [1, 0.75, 0.5, 0.25, 0].forEach((wanted, off) =>
      expect(weight((12 + off) * AROUND, ARM_R)).toBeCloseTo(wanted, 5),
    );
  });
});

describe('bindings by hand', () => {
  test('the selection is given to a joint whole; without either it says what is missing', async () => {
    await expect(giveSelection(at, -1)).rejects.toThrow('Choose the joint');
    await expect(giveSelection(at, ARM_L)).rejects.toThrow('Select the points');
    select(11, 12);
    expect(await giveSelection(at, ARM_L)).toBe(2 * AROUND);
    for (const p of ringPoints(11, 12)) expect(weight(p, ARM_L)).toBe(1);
    await at.document.undo();
    for (const p of ringPoints(11, 12)) expect(weight(p, CHEST)).toBe(1);
  });

  test('an island is tied whole, its neighbour is not', async () => {
    at.scene.chooseJoint(ARM_R);
    expect(await tieIsland(at, at.scene.parts[HAT], 6)).toBe(4);
    expect([0, 3, 4, 7].map((p) => weight(p, ARM_R, HAT))).toEqual([0, 0, 1, 1]);
  });

  test('a blocked-in border is blended over rings, and locked joints keep theirs', async () => {
    select(...Array.from({ length: 12 }, (_, i) => 13 + i));
    await giveSelection(at, ARM_L);
    expect(weight(12 * AROUND, ARM_L)).toBe(0);
    setLocked(at.document, ARM_R, true);
    const locked = Array.from({ length: 6 }, (_, ring) => weight(ring * AROUND, ARM_R));
    at.scene.selection.clear();
    expect(await blendShownBorders(at, 2, 4)).toBeGreaterThan(0);
    expect(weight(12 * AROUND, ARM_L)).toBeGreaterThan(0.2);
    expect(weight(12 * AROUND, ARM_L)).toBeLessThan(weight(13 * AROUND, ARM_L));
    expect(locked).toEqual(Array.from({ length: 6 }, (_, ring) => weight(ring * AROUND, ARM_R)));
  });

  test('a chain is spread as a proposal: kept, or dropped without a trace', async () => {
    at.scene.chooseJoint(CHEST);
    at.scene.toggleChosen(HAND_L);
    expect(chosenChain(at)).toEqual([CHEST, ARM_L, HAND_L]);
    const before = weightsOf(at);
    select(...Array.from({ length: 13 }, (_, i) => 12 + i));
    const spread = { overlap: 0.5, holdStart: 0, holdEnd: 0, even: false };
    await proposeChain(at, spread, 4);
    expect(at.document.proposals.current?.label).toBe('Spread along chest to hand_L');
    expect(weightsOf(at)).not.toEqual(before);
    expect(() => at.painting.begin({ joint: ARM_L } as never)).toThrow('Keep or drop');
    await at.document.proposals.show(false);
    expect(weightsOf(at)).toEqual(before);
    await at.document.proposals.keep();
    const kept = weightsOf(at);
    expect(kept).not.toEqual(before);
    await saved(at);
    expect(server.labels()).toEqual(['edit Spread along chest to hand_L']);
    // Whatever is asked in a hurry is done in its order.
    void proposeChain(at, { ...spread, overlap: 1 }, 4);
    void at.document.proposals.show(false);
    await proposeChain(at, spread, 2);
    expect((await at.document.proposals.drop()) || at.document.proposals.current === undefined).toBe(true);
    expect(weightsOf(at)).toEqual(kept);
  });
});
