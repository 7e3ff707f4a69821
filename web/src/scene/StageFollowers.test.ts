import { expect, test } from '@jest/globals';
import { partPath } from '@judoka/core/document';
import { weightOf } from '@judoka/core/weights';
import {
  ARM_L,
  BODY,
  CHEST,
  giveWeight,
  HAT,
  openForEach,
  saved,
  turned,
  until,
} from '../testing/testWorkspace.ts';
import type { Workspace } from '../workspace/Workspace.ts';

let at: Workspace;
openForEach((opened) => ({ at } = opened), { workers: true });

const hat = (): number[] => [...at.scene.parts[HAT].skin.positions];
const apart = (a: number[], b: number[]): number => Math.max(...a.map((x, i) => Math.abs(x - b[i])));
const bent = turned({ [CHEST]: ['z', 40], [ARM_L]: ['z', 60] });

/** The hat stands over the tube's middle: it holds on to the tube there. */
async function follow(values: object = {}): Promise<void> {
  let drawn = 0;
  const end = at.scene.events.subscribe('pose', () => drawn++);
  at.document.changeSettings({ [partPath(HAT, 'follows')]: { driver: BODY, ...values } });
  await until('it holds on', () => at.document.following.holdOf(HAT) !== undefined);
  if (!('isOff' in values)) await until('it is drawn', () => drawn > 0);
  end();
}

test('a part that follows goes where its surface goes, at rest stays, and undone is as before', async () => {
  const rest = hat();
  at.scene.setPose(turned({ [ARM_L]: ['y', 80] }));
  at.scene.settlePose();
  const skinned = hat();
  await follow();
  expect(apart(hat(), skinned)).toBeGreaterThan(0);
  at.scene.setShowsRest(true);
  expect(apart(hat(), rest)).toBeLessThan(1e-5);
  at.scene.setShowsRest(false);
  at.document.settle();
  await at.document.undo();
  await until('it moves by its weights', () => apart(hat(), skinned) === 0);
});

test('when the driver’s weights are written it goes along at once, on the stage and in the strip', async () => {
  at.scene.chooseJoint(ARM_L);
  at.scene.setPose(bent);
  await follow();
  const before = hat();
  const { skin } = at.scene.parts[BODY];
  const near = Uint32Array.from(at.document.following.holdOf(HAT)?.points ?? []).sort();
  expect(near.length).toBeGreaterThan(0);
  await at.document.perform('Give', { weights: giveWeight(at, near, ARM_L, 0.7) });
  expect(weightOf(skin.rows, near[0], ARM_L)).toBeCloseTo(0.7, 5);
  const { strip } = at.scene;
  const pictures = (): number[][] => [hat(), ...strip.positions.map((places) => [...places])];
  const after = pictures();
  expect(apart(after[0], before)).toBeGreaterThan(0.01);
  at.scene.showPose(bent);
  strip.rebuild();
  pictures().forEach((places, i) => expect(apart(places, after[i])).toBeLessThan(1e-6));
  await saved(at);
});

test('by a mask each point follows by so much', async () => {
  at.scene.setPose(bent);
  const skinned = hat();
  await follow();
  const whole = hat();
  const amounts = Float32Array.from({ length: 8 }, (_, p) => (p < 4 ? 1 : 0.2));
  const mask = await at.document.saved.saveMask('brim', new Map([[HAT, amounts]]));
  at.document.changeSettings({ [partPath(HAT, 'follows')]: { driver: BODY, mask } });
  const wanted = skinned.map((x, i) => x + amounts[Math.floor(i / 3)] * (whole[i] - x));
  await until('it follows by the mask', () => apart(hat(), wanted) < 1e-5);
});

test('switched off, or where two follow each other, weights are what counts', async () => {
  at.scene.setPose(bent);
  const skinned = hat();
  await follow({ isOff: true });
  expect(apart(hat(), skinned)).toBe(0);
  expect(at.document.following.followings().some(Boolean)).toBe(false);
  expect(at.document.following.followings(true)[HAT]?.driver).toBe(BODY);
  at.document.changeSettings({
    [partPath(HAT, 'follows')]: { driver: BODY },
    [partPath(BODY, 'follows')]: { driver: HAT },
  });
  expect(at.document.following.follows.size).toBe(0);
});
