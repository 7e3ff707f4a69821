import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { SavedRibbon } from '@judoka/core/document';
import { Key } from 'selenium-webdriver';
import { find, openBrowser, textOf, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const hands = handsOn(server, driver);
const { allSaved, click, isThere, press, storedValues } = hands;

beforeAll(async () => {
  await hands.openKeeper('The ferry-keeper');
  await hands.goTo('Bind');
  await hands.pick('Page of Bind', 'By hand');
});
afterAll(async () => {
  await browser.close();
  await server.close();
});

const LAY = '[data-action="Lay a ribbon along the chain"]';
/** The panel makes room when another joint is chosen: the button may be on its way. */
async function lay(): Promise<void> {
  await driver.executeScript('arguments[0].click()', await find(driver, LAY));
}

const ribbons = async (): Promise<(SavedRibbon | undefined)[]> =>
  Object.values(await storedValues<SavedRibbon>('ribbons/'));

test('a ribbon of one joint is refused in a sentence', async () => {
  await hands.chooseJoint('neck_1');
  expect(await textOf(driver, LAY)).toMatch(/Ctrl\+click the last joint/);
  await lay();
  await waitFor(driver, 'it is told why not', async () =>
    /two joints or more/.test(await textOf(driver, 'body')),
  );
  expect(await ribbons()).toEqual([]);
});

test('a ribbon along the neck is laid, set, baked into weights and kept; undone, it holds the neck again', async () => {
  await hands.chooseJoint('neck_2');
  await waitFor(driver, 'the chain is known', async () => /neck_2 to head/.test(await textOf(driver, LAY)));
  await lay();
  await waitFor(driver, 'it is kept', async () => (await ribbons()).length === 1);
  expect((await ribbons())[0]).toMatchObject({ part: 0, isStartHeld: true, controls: 7 });
  await hands.type('Controls', '5');
  await waitFor(driver, 'it has five controls', async () => (await ribbons())[0]?.controls === 5);
  expect(await textOf(driver, '[data-ribbon] [data-stretch]')).toMatch(/As long as at rest/);
  await allSaved();

  const before = (await hands.storedWeights())[0];
  await click('Bake into its weights', '//*[@data-ribbon]');
  await waitFor(driver, 'it is proposed', async () =>
    /Bake of the ribbon/.test(await textOf(driver, 'body')),
  );
  await waitFor(driver, 'the ribbon is off', async () => (await ribbons())[0]?.isOff === true);
  await click('Keep');
  await waitFor(driver, 'it is stored', async () => (await hands.lastEdit()).points.length > 100);
  await allSaved();
  const { points } = await hands.lastEdit();
  const after = (await hands.storedWeights())[0];
  const changed = new Set(points);
  for (let p = 0; p < before.pointCount; p++) {
    if (changed.has(p)) continue;
    for (let k = p * 8; k < p * 8 + 8; k++) expect(after.values[k]).toBe(before.values[k]);
  }
  expect(changed.size).toBeLessThan(before.pointCount / 2);

  await press(Key.chord(Key.CONTROL, 'z'));
  await waitFor(driver, 'the weights are as before', async () => (await hands.lastEdit()).kind === 'undo');
  await press(Key.chord(Key.CONTROL, 'z'));
  await waitFor(driver, 'it is on again', async () => (await ribbons())[0]?.isOff === undefined);
  await allSaved();
  await driver.navigate().refresh();
  await waitFor(driver, 'it is there after a reload', () => isThere('[data-ribbon="neck_2 to head"]'));
}, 180_000);

test('joints of its own move in every clip, in the file that leaves too; undone, they are gone', async () => {
  const names = async (): Promise<string[]> =>
    Object.values((await hands.storedDocument()).joints).flatMap((setup) =>
      setup && /_ribbon_/.test(setup.name) ? [setup.name] : [],
    );
  expect(await names()).toEqual([]);
  await hands.type('Joints', '6');
  await (await find(driver, '[data-action="Give the ribbon joints of its own"]')).click();
  await waitFor(driver, 'they are there', async () => (await ribbons())[0]?.ownJoints?.length === 6);
  expect((await ribbons())[0]?.isOff).toBe(true);
  expect(await names()).toEqual([1, 2, 3, 4, 5, 6].map((number) => `neck_2_ribbon_${number}`));
  await waitFor(driver, 'it is told how near the part comes', async () =>
    /6 joints of its own move as it does in every clip\. The part is [\d.]+ mm off/.test(
      await textOf(driver, '[data-own-joints]'),
    ),
  );
  // They hang beside the chain, and are none of it.
  await hands.chooseJoint('neck_2');
  await waitFor(driver, 'the chain is as before', async () =>
    /neck_2 to head/.test(await textOf(driver, LAY)),
  );
  await allSaved();
  const { clips, skeleton, rows } = await hands.exported();
  const own = new Set(
    skeleton.joints.flatMap(({ name }, joint) => (/^neck_2_ribbon_/.test(name) ? [joint] : [])),
  );
  expect(own.size).toBe(6);
  for (const { tracks } of clips) expect(tracks.some(({ joint }) => own.has(joint))).toBe(true);
  expect(rows[0].joints.some((joint, i) => own.has(joint) && rows[0].values[i] > 0.5)).toBe(true);

  await press(Key.chord(Key.CONTROL, 'z'));
  await waitFor(driver, 'they are gone', async () => (await names()).length === 0);
  expect((await ribbons())[0]?.ownJoints).toBeUndefined();
  await (await find(driver, '[aria-label="Take the ribbon neck_2 to head away"]')).click();
  await waitFor(driver, 'it is gone', async () => (await ribbons()).length === 0);
}, 180_000);
