import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from '@jest/globals';
import { rowSum, weightOf } from '@judoka/core/weights';
import { JOINT_NAMES, makeFerryKeeper } from '@judoka/demo';
import { By, Key } from 'selenium-webdriver';
import type { Driver } from 'selenium-webdriver/chrome.js';
import { find, openBrowser, textOf, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const hands = handsOn(server, driver);
const { allSaved, storedDocument, goTo, click, pick, type, press, chooseJoint, findSpot, drag } = hands;
const folder = mkdtempSync(join(tmpdir(), 'judoka-e2e-'));
const NECK = JOINT_NAMES.indexOf('neck_3');

afterAll(async () => {
  await browser.close();
  await server.close();
  rmSync(folder, { recursive: true, force: true });
}, 120_000);

const NO_NETWORK = { offline: true, latency: 0, download_throughput: 0, upload_throughput: 0 };

const header = (): Promise<string> => textOf(driver, 'header');
const undoNext = async (): Promise<string> => /Undo “([^”]*)”/.exec(await header())?.[1] ?? '';

/** Everything that a document holds, apart from its log. */
async function content() {
  const { values, joints, rows } = await storedDocument();
  return { values, joints, rows };
}

async function takeIn(name: string): Promise<void> {
  const file = join(folder, `${name}.glb`);
  writeFileSync(file, await makeFerryKeeper({ size: 'small', faults: false }));
  await driver.get(await server.entry());
  await driver.executeScript(`localStorage.setItem('judoka.warmUp', 'seen')`);
  await (await find(driver, 'input[type=file]')).sendKeys(file);
  await find(driver, 'canvas[data-frames]');
  // What came in is looked at first.
  await goTo('Paint');
}

describe('undo', () => {
  test('takes back whatever was done last, of every kind, across a reload; redo does it all again', async () => {
    await takeIn('All kinds');
    const before = await content();

    await chooseJoint('neck_3');
    await press('2');
    await drag(await findSpot(({ weight }) => weight > 0.2 && weight < 0.8));
    await waitFor(driver, 'the stroke is in the history', async () => (await undoNext()) === 'Add, neck_3');
    await (await find(driver, '[aria-label="Lock neck_3"]')).click();
    await (await find(driver, '.strip-cell:nth-of-type(4)')).click();
    await waitFor(driver, 'the pose is in the history', async () => /pose|neck_3/i.test(await undoNext()));
    await type('Name of the pose', 'Nodding');
    await find(driver, '.pose-row');
    await goTo('Bind');
    await pick('Page of Bind', 'Joints');
    await click('Add a joint below');
    await find(driver, '[data-joint="neck_3_new"]');
    await goTo('Trial');
    await pick('Skinning', 'Dual quaternions');
    await waitFor(
      driver,
      'skinning is in the history',
      async () => (await undoNext()) === 'Skinning: linear, then dual quaternion',
    );
    await allSaved();
    const after = await content();
    expect(after.rows).not.toEqual(before.rows);
    expect(Object.keys(after.values).map((path) => path.split('/')[0])).toEqual(
      expect.arrayContaining(['locks', 'pose', 'poses', 'skinning']),
    );
    expect(Object.keys(after.joints).length).toBeGreaterThan(Object.keys(before.joints).length);
    const { done } = await storedDocument();

    for (const { label } of done.slice(0, 3)) {
      await waitFor(driver, `“${label}” is next`, async () => (await undoNext()) === label);
      await press(Key.chord(Key.CONTROL, 'z'));
    }
    await allSaved();
    await driver.navigate().refresh();
    await find(driver, 'canvas[data-frames]');
    for (const { label } of done.slice(3)) {
      await waitFor(driver, `“${label}” is next`, async () => (await undoNext()) === label);
      await press(Key.chord(Key.CONTROL, 'z'));
    }
    await waitFor(driver, 'nothing is left to undo', async () => (await undoNext()) === '');
    await allSaved();
    expect(await withoutRemoved(content())).toEqual(await withoutRemoved(Promise.resolve(before)));

    for (const { label } of [...done].reverse()) {
      await press(Key.chord(Key.CONTROL, Key.SHIFT, 'z'));
      await waitFor(driver, `“${label}” is redone`, async () => (await undoNext()) === label);
    }
    await allSaved();
    expect(await content()).toEqual(after);
  }, 240_000);
});

/** A joint that was added and undone leaves its number behind, with nothing at it. */
async function withoutRemoved(of: ReturnType<typeof content>): ReturnType<typeof content> {
  const { joints, ...rest } = await of;
  return {
    ...rest,
    joints: Object.fromEntries(Object.entries(joints).filter(([, setup]) => setup !== null)),
  };
}

describe('two browsers on one character', () => {
  test('see each other’s work as it is done; on the same points both stay as far as they can', async () => {
    await takeIn('Shared');
    const other = await openBrowser();
    try {
      const theirs = handsOn(server, other.driver);
      await other.driver.get(await server.entry());
      await find(other.driver, '[aria-label="Shelves"]');
      await other.driver.get(await driver.getCurrentUrl());
      await other.driver.executeScript(`localStorage.setItem('judoka.warmUp', 'seen')`);
      await other.driver.navigate().refresh();
      await find(other.driver, 'canvas[data-frames]');

      await (await find(driver, '[aria-label="Lock spine_1"]')).click();
      await find(other.driver, '[aria-label="Lock spine_1"][aria-pressed="true"]');

      await chooseJoint('neck_3');
      await press('2');
      const spot = await findSpot(({ weight }) => weight > 0.2 && weight < 0.6);
      await drag(spot);
      await allSaved();
      const mine = weightOf((await storedDocument()).rows[0], spot.point, NECK);
      await waitFor(driver, 'they are told', async () =>
        (await textOf(other.driver, 'body')).includes('in another tab or by someone else'),
      );

      await theirs.chooseJoint('neck_3');
      await theirs.press('2');
      const same = await theirs.findSpot(({ point }) => point === spot.point, spot);
      expect(same.weight).toBeCloseTo(mine, 2);
      await theirs.drag(same);
      await theirs.allSaved();
      const both = weightOf((await storedDocument()).rows[0], spot.point, NECK);
      expect(both).toBeGreaterThan(mine);
      await waitFor(
        driver,
        'their stroke is in our history',
        async () => (await storedDocument()).done.length === 3 && (await undoNext()) === 'Add, neck_3',
      );
      await press(Key.chord(Key.CONTROL, 'z'));
      await allSaved();
      expect(weightOf((await storedDocument()).rows[0], spot.point, NECK)).toBeCloseTo(mine, 6);
    } finally {
      await other.close();
    }
  }, 180_000);

  test('what others gave away first is shown on the surface, and taken back in one step', async () => {
    await takeIn('Contested');
    const other = await openBrowser();
    try {
      const theirs = handsOn(server, other.driver);
      await other.driver.get(await server.entry());
      await find(other.driver, '[aria-label="Shelves"]');
      await other.driver.get(await driver.getCurrentUrl());
      await other.driver.executeScript(`localStorage.setItem('judoka.warmUp', 'seen')`);
      await other.driver.navigate().refresh();
      for (const each of [hands, theirs]) {
        await each.chooseJoint('neck_3');
        await each.press('4');
        await each.type('Strength', '1');
        await each.type('Weight', '1');
      }
      const spot = await findSpot(({ weight }) => weight > 0.1 && weight < 0.5);
      const same = await theirs.findSpot(({ point }) => point === spot.point, spot);
      await theirs.chooseJoint('tail_1');

      await (driver as Driver).setNetworkConditions(NO_NETWORK);
      await drag(spot);
      await drag(spot);
      await waitFor(
        driver,
        'both are kept',
        async () => (await hands.saveState()) === 'Offline: 2 edits kept here',
      );
      for (let i = 0; i < 3; i++) await theirs.drag(same);
      await theirs.allSaved();
      await (driver as Driver).deleteNetworkConditions();

      await find(driver, '[data-left-out]');
      await allSaved();
      const given = await storedDocument();
      await click('Take mine there');
      await waitFor(driver, 'nothing is left out', async () => !(await hands.isThere('[data-left-out]')));
      await allSaved();
      expect((await storedDocument()).rows).not.toEqual(given.rows);
      await press(Key.chord(Key.CONTROL, 'z'));
      await waitFor(driver, 'it is undone', async () => (await undoNext()) === 'Set to, neck_3');
      await allSaved();
      expect((await storedDocument()).rows).toEqual(given.rows);
    } finally {
      await other.close();
    }
  }, 180_000);
});

describe('very many points', () => {
  test('a whole column set in the table is kept and sent by a thread of its own, and undone to the bit', async () => {
    await hands.openKeeper('The ferry-keeper, fine');
    await goTo('Paint');
    await pick('Page of Paint', 'Exact');
    if (await hands.isThere('[aria-label="Close the table"]'))
      await (await find(driver, '[aria-label="Close the table"]')).click();
    await click('Table of weights');
    const grid = await hands.openedTable();
    expect(Number(await grid.getAttribute('aria-rowcount'))).toBeGreaterThan(20_000);
    await (await find(driver, 'input[aria-label="Find a column"]')).sendKeys('chest');
    await waitFor(
      driver,
      'one column is left',
      async () => (await driver.findElements(By.css('.column-head'))).length === 1,
    );
    const before = await hands.storedWeights();
    const edits = await hands.editCount();
    await driver
      .actions()
      .doubleClick(await find(driver, '.column-head button'))
      .perform();
    // Rows sorted meanwhile take the cell that is typed into elsewhere: no key is lost with it.
    await grid.sendKeys('0');
    await driver.executeScript(
      `document.querySelector('[title="Sort by the number of influences"]').click()`,
    );
    await driver.actions().sendKeys('.3', Key.ENTER).perform();
    await waitFor(driver, 'it is stored', async () => (await hands.editCount()) > edits);
    await allSaved();
    const after = await hands.storedWeights();
    const chest = JOINT_NAMES.indexOf('chest');
    let [set, wrong, notOne] = [0, 0, 0];
    after.forEach((rows, part) => {
      for (let p = 0; p < rows.pointCount; p++) {
        const [was, is] = [weightOf(before[part], p, chest), weightOf(rows, p, chest)];
        // What the chest holds alone stays, and so do points without weight; all else has what was typed.
        if (Math.abs(is - 0.3) < 1e-5) set++;
        else if (was > 1e-6 && was < 1 - 1e-6) wrong++;
        if (rowSum(before[part], p) > 0 && Math.abs(rowSum(rows, p) - 1) > 1e-5) notOne++;
      }
    });
    expect({ wrong, notOne }).toEqual({ wrong: 0, notOne: 0 });
    expect(set).toBeGreaterThan(20_000);
    const threads = await driver.executeScript<string[]>(
      `return performance.getEntriesByType('resource').map(({ name }) => name)`,
    );
    expect(threads.some((name) => name.includes('uploader.worker'))).toBe(true);
    await driver.executeScript('arguments[0].focus()', grid);
    await grid.sendKeys(Key.chord(Key.CONTROL, 'z'));
    await waitFor(driver, 'it is undone', async () => (await hands.editCount()) === edits + 2);
    await allSaved();
    expect(await hands.storedWeights()).toEqual(before);
  });
});
