import { describe, expect, test } from '@jest/globals';
import { weightOf } from '@judoka/core/weights';
import { benchSlice } from '../state/benchSlice.ts';
import type { CharacterSession } from './CharacterSession.ts';
import { fillSelection } from './fill.ts';
import { gradientChange, ringsChange } from './gradient.ts';
import { blendShownBorders, chosenChain, giveSelection, proposeChain, tieIsland } from './handwork.ts';
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
  type SimulatedServer,
} from './testSession.ts';

let session: CharacterSession;
let server: SimulatedServer;
openForEach((opened) => ({ session, server } = opened));

const settings = benchSlice.getInitialState();
const weight = (point: number, joint: number, part = BODY): number =>
  weightOf(session.parts[part].skin.rows, point, joint);
const select = (...rings: number[]): void =>
  session.selection.choosePoints(new Map([[BODY, ringPoints(...rings)]]), 'replace');

describe('the selection', () => {
  test('grows along edges, shrinks back, and takes whole islands', () => {
    select(12);
    session.selection.grow();
    expect([...(session.selection.points().get(BODY) ?? [])]).toEqual([...ringPoints(11, 12, 13)]);
    session.selection.shrink();
    expect([...(session.selection.points().get(BODY) ?? [])]).toEqual([...ringPoints(12)]);
    session.selection.choosePoints(new Map([[HAT, Uint32Array.of(5)]]), 'add');
    session.selection.islands();
    expect(session.selection.count).toBe(RINGS * AROUND + 4);
    expect([...(session.selection.points().get(HAT) ?? [])]).toEqual([4, 5, 6, 7]);
  });

  test('adds, takes away and inverts; hidden points take no part', () => {
    select(3, 4);
    session.selection.choosePoints(new Map([[BODY, ringPoints(4)]]), 'take');
    expect(session.selection.count).toBe(AROUND);
    session.showing.hide(new Map([[BODY, ringPoints(3)]]));
    expect(session.selection.count).toBe(0);
    session.selection.invert();
    expect(session.selection.count).toBe((RINGS - 1) * AROUND + 8);
    session.showing.showAll();
    session.showing.isolate(HAT);
    session.selection.all();
    expect(session.selection.count).toBe(8);
  });
});

describe('fill', () => {
  test('does the tool in hand on the selection, as one edit', async () => {
    select(12);
    session.chooseJoint(ARM_L);
    fillSelection(session, { ...settings, tool: 'set', value: 0.75, strength: 1 }, 1);
    for (const p of ringPoints(12)) expect(weight(p, ARM_L)).toBeCloseTo(0.75, 6);
    await saved(session);
    expect(server.labels()).toEqual(['edit Fill: Set to, arm_L']);
  });

  test('without a brush, or on a locked joint, it says why not and changes nothing', () => {
    const before = weightsOf(session);
    select(12);
    fillSelection(session, { ...settings, tool: 'pose' }, 1);
    expect(session.notice).toContain('Take a brush first');
    session.chooseJoint(ARM_L);
    session.setLocked(ARM_L, true);
    fillSelection(session, { ...settings, tool: 'set' }, 1);
    expect(session.notice).toContain('locked');
    expect(weightsOf(session)).toEqual(before);
  });
});

describe('gradients', () => {
  const linear = { ...settings, falloff: 'linear', gradient: 'linear' } as const;

  test('fall evenly from one place to another', async () => {
    session.chooseJoint(ARM_L);
    session.selection.choosePoints(new Map([[BODY, ringPoints(...Array(RINGS).keys())]]), 'replace');
    await session.perform('Gradient', gradientChange(session, [1, 0, 0], [-1, 0, 0], linear));
    for (let ring = 8; ring <= 16; ring++) {
      const p = ring * AROUND;
      expect(weight(p, ARM_L)).toBeCloseTo((ringAt(ring) + 1) / 2, 5);
    }
    expect(weight(0, ARM_L)).toBe(0);
  });

  test('around a place reach as far as the second one, and no further', async () => {
    session.chooseJoint(ARM_L);
    const change = gradientChange(session, [0, 0, 0], [0, 1.2, 0], { ...linear, gradient: 'around' });
    const { positions } = session.parts[BODY].skin;
    for (const { part, points } of change)
      for (const p of points)
        if (part === BODY) expect(Math.hypot(...positions.subarray(p * 3, p * 3 + 3))).toBeLessThan(1.2);
    await session.perform('Gradient', change);
    expect(weight(12 * AROUND, ARM_L)).toBeCloseTo(1 - 0.4 / 1.2, 4);
  });

  test('by rings outward from the selection', async () => {
    session.chooseJoint(ARM_R);
    select(12);
    await session.perform('Rings', ringsChange(session, 3, linear));
    [1, 0.75, 0.5, 0.25, 0].forEach((wanted, off) =>
      expect(weight((12 + off) * AROUND, ARM_R)).toBeCloseTo(wanted, 5),
    );
  });
});

describe('bindings by hand', () => {
  test('the selection is given to a joint whole; without either it says what is missing', async () => {
    await expect(giveSelection(session, -1)).rejects.toThrow('Choose the joint');
    await expect(giveSelection(session, ARM_L)).rejects.toThrow('Select the points');
    select(11, 12);
    expect(await giveSelection(session, ARM_L)).toBe(2 * AROUND);
    for (const p of ringPoints(11, 12)) expect(weight(p, ARM_L)).toBe(1);
    await session.undo();
    for (const p of ringPoints(11, 12)) expect(weight(p, CHEST)).toBe(1);
  });

  test('an island is tied whole, its neighbour is not', async () => {
    session.chooseJoint(ARM_R);
    expect(await tieIsland(session, session.parts[HAT], 6)).toBe(4);
    expect([0, 3, 4, 7].map((p) => weight(p, ARM_R, HAT))).toEqual([0, 0, 1, 1]);
  });

  test('a blocked-in border is blended over rings, and locked joints keep theirs', async () => {
    select(...Array.from({ length: 12 }, (_, i) => 13 + i));
    await giveSelection(session, ARM_L);
    expect(weight(12 * AROUND, ARM_L)).toBe(0);
    session.setLocked(ARM_R, true);
    const locked = Array.from({ length: 6 }, (_, ring) => weight(ring * AROUND, ARM_R));
    session.selection.clear();
    expect(await blendShownBorders(session, 2, 4)).toBeGreaterThan(0);
    expect(weight(12 * AROUND, ARM_L)).toBeGreaterThan(0.2);
    expect(weight(12 * AROUND, ARM_L)).toBeLessThan(weight(13 * AROUND, ARM_L));
    expect(locked).toEqual(Array.from({ length: 6 }, (_, ring) => weight(ring * AROUND, ARM_R)));
  });

  test('a chain is spread as a proposal: kept, or dropped without a trace', async () => {
    session.chooseJoint(CHEST);
    session.toggleChosen(HAND_L);
    expect(chosenChain(session)).toEqual([CHEST, ARM_L, HAND_L]);
    const before = weightsOf(session);
    select(...Array.from({ length: 13 }, (_, i) => 12 + i));
    const spread = { overlap: 0.5, holdStart: 0, holdEnd: 0, even: false };
    await proposeChain(session, spread, 4);
    expect(session.proposals.current?.label).toBe('Spread along chest to hand_L');
    expect(weightsOf(session)).not.toEqual(before);
    expect(() => session.beginStroke({ joint: ARM_L } as never)).toThrow('Keep or drop');
    await session.proposals.show(false);
    expect(weightsOf(session)).toEqual(before);
    await session.proposals.keep();
    const kept = weightsOf(session);
    expect(kept).not.toEqual(before);
    await saved(session);
    expect(server.labels()).toEqual(['edit Spread along chest to hand_L']);
    // Whatever is asked in a hurry is done in its order.
    void proposeChain(session, { ...spread, overlap: 1 }, 4);
    void session.proposals.show(false);
    await proposeChain(session, spread, 2);
    expect((await session.proposals.drop()) || session.proposals.current === undefined).toBe(true);
    expect(weightsOf(session)).toEqual(kept);
  });
});
