import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, expect, test } from '@jest/globals';
import { type Character } from '@judoka/core/document';
import { exportCharacter, openGlb, readCharacter, writeGlb } from '@judoka/core/formats';
import { rowSum, weightOf, type WeightRows } from '@judoka/core/weights';
import { makeActor, plantNine, type PlantedFault } from '@judoka/demo/testBodies';
import { find, openBrowser, textOf, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

// Nine faults in a character that nobody here has seen: what the product proposes cures each in a few actions.

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const { allSaved, storedWeights, goTo, isThere, press } = handsOn(server, driver);

afterAll(async () => {
  await browser.close();
  await server.close();
});

const CARD = '[aria-label="What is wrong here"]';
/** An action is a click, a stroke or a key that changes the pose. */
const ACTIONS_A_FAULT = 3;

async function takeIn(name: string, bytes: Uint8Array): Promise<void> {
  const file = join(browser.downloads, '..', `${name}.glb`);
  writeFileSync(file, bytes);
  await driver.get(await server.entry());
  await (await find(driver, 'input[type="file"]')).sendKeys(file);
  await find(driver, 'canvas[data-frames]');
}

/** Half the summed difference of the rows of some points, in the mean. */
function distance(one: WeightRows, other: WeightRows, points: readonly number[]): number {
  const joints = new Set([...one.joints, ...other.joints]);
  let sum = 0;
  for (const p of points)
    for (const j of joints) sum += Math.abs(weightOf(one, p, j) - weightOf(other, p, j));
  return sum / 2 / points.length;
}

test('a clean model has no badge, no count on a stage, and nothing that N could show', async () => {
  await takeIn('clean', await makeActor());
  await goTo('Paint');
  await waitFor(driver, 'the weights have been looked at', () => isThere('nav[data-known="true"]'));
  await press('n');
  await waitFor(driver, 'it says so', async () =>
    (await textOf(driver, '.mantine-Notification-root')).includes('No weight strays or jumps'),
  );
  expect(await isThere(CARD)).toBe(false);
  expect(await isThere('.badge[title]')).toBe(false);
  expect(await textOf(driver, 'nav')).not.toMatch(/\d/);
});

test('nine faults are each shown by a key and cured by a click; the weights are as they were painted', async () => {
  const glb = openGlb(await makeActor());
  const actor: Character = await readCharacter(glb);
  const { rows, faults } = plantNine(actor);
  await takeIn('nine', writeGlb(exportCharacter(glb, actor, [rows])));
  await goTo('Paint');
  let actions = 0;
  for (let i = 0; i < ACTIONS_A_FAULT * faults.length; i++) {
    await waitFor(driver, 'the weights have been looked at', () => isThere('nav[data-known="true"]'));
    await press('n');
    if (!(await isThere(CARD))) break;
    actions += 2;
    await (await find(driver, `${CARD} button`)).click();
    await waitFor(driver, 'it is cured', async () => !(await isThere(CARD)));
  }
  // N said that there is nothing left.
  expect(await isThere(CARD)).toBe(false);
  await allSaved();
  const [now] = await storedWeights();
  const far = (fault: PlantedFault): [string, number, number] => [
    fault.what,
    distance(rows, actor.rows[0], fault.points),
    distance(now, actor.rows[0], fault.points),
  ];
  for (const fault of faults) {
    const [what, before, after] = far(fault);
    expect({ what, better: after < 0.6 * before }).toEqual({ what, better: true });
  }
  for (let p = 0; p < now.pointCount; p++) expect(rowSum(now, p)).toBeCloseTo(1, 5);
  expect(actions).toBeLessThanOrEqual(ACTIONS_A_FAULT * faults.length);
}, 240_000);
