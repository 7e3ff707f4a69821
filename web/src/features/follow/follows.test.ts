import { beforeEach, describe, expect, test } from '@jest/globals';
import { type PartFollows, readMoved } from '@judoka/core/document';
import { changeInfluence, OTHERS } from '@judoka/core/weights';
import {
  BODY,
  CHEST,
  doneLabels,
  HAND_L,
  HAT,
  openAnother,
  openForEach,
  turned,
  until,
  weightsOf,
} from '../../testing/testWorkspace.ts';
import type { Workspace } from '../../workspace/Workspace.ts';
import {
  changeFollows,
  driversFor,
  followSelected,
  keepBeyond,
  letFollow,
  letGo,
  pointsBeyond,
  pushBeyond,
} from './follows.ts';

let at: Workspace;
openForEach((opened) => ({ at } = opened), { workers: true });

const follows = (): PartFollows => at.document.settings.follows[HAT] as PartFollows;
const heights = (): number[] => [...(at.document.following.holdOf(HAT)?.heights ?? [])];
const placesOfHat = (): number[] => [...at.scene.parts[HAT].skin.positions];
const isHeld = (): Promise<void> =>
  until('it holds on', () => at.document.following.holdOf(HAT) !== undefined);
/** The hat is two squares, one and two above the middle of a body that is 0.4 thick. */
const LOWER = 4;

async function follow(): Promise<void> {
  await letFollow(at, HAT, BODY);
  await isHeld();
}

describe('a part that follows another one', () => {
  test('knows how far it stands off; one edit, and undone it follows nothing', async () => {
    expect(driversFor(at, HAT)).toEqual([BODY]);
    const before = weightsOf(at);
    await follow();
    expect(doneLabels(at)).toEqual(['hat follows body']);
    heights().forEach((height, p) => expect(height).toBeGreaterThan(p < LOWER ? 0.5 : 1.4));
    expect(weightsOf(at)).toEqual(before);
    await at.document.undo();
    expect(follows()).toBeUndefined();
    expect(at.document.following.followings().filter(Boolean)).toEqual([]);
  });

  test('goes where the surface goes, whatever it hangs on; switched off, where its own joints go', async () => {
    const rules = { receiver: OTHERS, limit: 8, locks: at.document.locks };
    const all = Uint32Array.from({ length: 8 }, (_, p) => p);
    const { rows } = at.scene.parts[HAT].skin;
    await at.document.perform('To the hand', {
      weights: [changeInfluence(HAT, rows, all, HAND_L, () => 1, rules).delta],
    });
    await follow();
    const rest = placesOfHat();
    const isAsAtRest = (): boolean => placesOfHat().every((x, i) => Math.abs(x - rest[i]) < 1e-3);
    at.scene.setPose(turned({ [HAND_L]: ['y', 80] }));
    await until('it stays on the chest', isAsAtRest);
    changeFollows(at, HAT, { ...follows(), isOff: true }, 'Off');
    await until('it goes with the hand', () => Math.abs(placesOfHat()[2] - rest[2]) > 0.5);
    changeFollows(at, HAT, { driver: BODY }, 'On');
    await until('it is back', isAsAtRest);
    // A quarter turn of all: up is along −x then.
    at.scene.setPose(turned({ [CHEST]: ['z', 90] }));
    placesOfHat().forEach((x, i) => {
      const [from, sign] = i % 3 === 0 ? [i + 1, -1] : i % 3 === 1 ? [i - 1, 1] : [i, 1];
      expect(x).toBeCloseTo(sign * rest[from], 2);
    });
  });

  test('is not followed by what it follows, and a part does not follow itself: refused, and nothing is written', async () => {
    await follow();
    const before = at.document.values;
    await expect(letFollow(at, BODY, HAT)).rejects.toThrow(/follow/);
    await expect(letFollow(at, BODY, BODY)).rejects.toThrow(/follow/);
    expect(at.document.values).toBe(before);
    letGo(at, HAT);
    at.document.settle();
    await letFollow(at, BODY, HAT);
    expect(at.document.settings.follows[BODY]).toMatchObject({ driver: HAT });
  });

  test('is held for another person too, who opens it later', async () => {
    await follow();
    await until('it is saved', () => at.document.saveState.kind === 'saved');
    const other = await openAnother();
    try {
      await until('it holds on there', () => other.document.following.holdOf(HAT) !== undefined);
      expect([...(other.document.following.holdOf(HAT)?.heights ?? [])]).toEqual(heights());
    } finally {
      other.close();
    }
  });
});

describe('what is too near', () => {
  test('is pushed off by a distance, once, and what is far enough stays', async () => {
    await follow();
    expect([...pointsBeyond(at, HAT)]).toEqual([]);
    const before = heights();
    const moved = pushBeyond(at, HAT, follows(), before[0] + 0.1);
    expect(moved).toBe(LOWER);
    at.document.settle();
    expect(doneLabels(at).at(-1)).toBe('Push hat out of body');
    await until('it is measured anew', () => heights().length > 0 && heights()[0] > before[0] + 0.09);
    heights().forEach((height, p) => expect(height).toBeCloseTo(before[p] + (p < LOWER ? 0.1 : 0), 2));
    expect(pushBeyond(at, HAT, follows(), before[0] + 0.1)).toBe(0);
    await at.document.undo();
    expect(readMoved(at.document.settings.moved[HAT] ?? {}).points).toHaveLength(0);
    await until('it is as before', () => heights().length > 0 && heights()[0] < before[0] + 1e-6);
  });
});

describe('by a mask', () => {
  beforeEach(async () => {
    await follow();
  });

  test('only what is selected follows', async () => {
    at.scene.selection.choosePoints(new Map([[HAT, Uint32Array.of(0, 1, 2, 3)]]), 'replace');
    await followSelected(at, HAT, follows());
    const [mask] = at.document.saved.masks;
    expect(follows()).toMatchObject({ driver: BODY, mask: mask.id });
    expect([...(at.document.following.followings()[HAT]?.amounts ?? [])]).toEqual([1, 1, 1, 1, 0, 0, 0, 0]);
    await at.document.undo();
    expect(follows()).toEqual({ driver: BODY });
    expect(at.document.saved.masks).toEqual([]);
  });

  test('with nothing beyond, all goes on following; a name that is taken is not given twice', async () => {
    await keepBeyond(at, HAT, follows());
    await keepBeyond(at, HAT, follows());
    expect(at.document.saved.masks.map(({ name }) => name)).toEqual(['hat follows', 'hat follows 2']);
    expect([...(at.document.following.followings()[HAT]?.amounts ?? [])]).toEqual(Array(8).fill(1));
  });
});
