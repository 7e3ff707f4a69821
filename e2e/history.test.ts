import { readFileSync } from 'node:fs';
import { afterAll, describe, expect, test } from '@jest/globals';
import { weightOf, type WeightRows } from '@judoka/core/weights';
import { JOINT_NAMES } from '@judoka/demo';
import { By, Key } from 'selenium-webdriver';
import { downloaded, find, openBrowser, textOf, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

// A neck is ruined among good edits, noticed later, found in the history, and brought back without touching the rest.

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const hands = handsOn(server, driver);
const {
  allSaved,
  storedWeights,
  storedValues,
  editCount,
  lastEdit,
  goTo,
  press,
  chooseJoint,
  findSpot,
  drag,
} = hands;
const { click, pick, openKeeper } = hands;
const NECK = JOINT_NAMES.indexOf('neck_3');

afterAll(async () => {
  await browser.close();
  await server.close();
});

const sumOf = (rows: WeightRows, points: Iterable<number>, joint: number): number =>
  [...points].reduce((sum, p) => sum + weightOf(rows, p, joint), 0);

const TAKE_ALL = By.xpath('//button[normalize-space(.)="Take all back to here …"]');

/** What the point follows, slot by slot. */
const weightsAt = ({ joints, values, stride }: WeightRows, p: number): number[][] => [
  [...joints.subarray(p * stride, (p + 1) * stride)],
  [...values.subarray(p * stride, (p + 1) * stride)],
];

const lines = (): Promise<string[]> =>
  driver.executeScript<string[]>(
    `return [...document.querySelectorAll('.history-label')].map((each) => each.textContent)`,
  );

async function openLine(label: string): Promise<void> {
  await waitFor(driver, `“${label}” is listed`, async () => (await lines()).includes(label));
  await (await find(driver, `.history-row:has([title="${label}"])`)).click();
}

describe('the history', () => {
  let good: WeightRows[];
  let spot: Awaited<ReturnType<typeof findSpot>>;
  let ruined: Uint32Array;
  let later: WeightRows[];

  test('a neck is ruined, and good work goes on elsewhere', async () => {
    await openKeeper('The ferry-keeper');
    await goTo('Paint');
    await chooseJoint('neck_3');
    spot = await findSpot(({ weight }) => weight > 0.4);
    for (const key of ['2', '5', '2']) {
      const before = await editCount();
      await press(key);
      await drag(spot, 6, 10);
      await waitFor(driver, 'it is saved', async () => (await editCount()) === before + 1);
    }
    await press('k');
    await allSaved();
    expect(Object.values(await storedValues<{ name: string }>('moments/'))).toMatchObject([
      { name: 'Moment 1' },
    ]);
    good = await storedWeights();
    await press('3');
    const before = await editCount();
    await drag(spot, 10, 30);
    await waitFor(driver, 'the neck is ruined', async () => (await editCount()) === before + 1);
    ruined = (await lastEdit()).points;
    await chooseJoint('knee_L');
    const thigh = await findSpot(({ weight }) => weight > 0.3);
    for (let n = 0; n < 2; n++) {
      const count = await editCount();
      await press(n % 2 === 0 ? '2' : '5');
      await drag(thigh, 4, 8);
      await waitFor(driver, 'it is saved', async () => (await editCount()) === count + 1);
    }
    await allSaved();
    later = await storedWeights();
    expect(sumOf(later[0], ruined, NECK)).toBeLessThan(sumOf(good[0], ruined, NECK) - 0.1);
  });

  test('H tells who changed what is under the pointer, and when', async () => {
    await chooseJoint('neck_3');
    spot = await findSpot(({ point }) => ruined.includes(point));
    await driver.actions({ async: true }).move({ x: spot.x, y: spot.y, duration: 0 }).perform();
    await press('h');
    await waitFor(driver, 'its lines are listed', async () => (await lines()).length > 0);
    const told = await lines();
    expect(told[0]).toBe('Take away, neck_3');
    expect(told.every((label) => label.endsWith('neck_3'))).toBe(true);
    expect(await textOf(driver, '.history-spell')).toMatch(/^Today, \d\d:\d\d/);
  });

  test('a look at the moment before changes nothing, and it can be left', async () => {
    await openLine('Take away, neck_3');
    await click('Look', '//*[contains(@class,"history-acts")][span="Before it"]');
    await waitFor(driver, 'the moment is on the stage', async () =>
      (await textOf(driver, '[aria-label="Proposal"]')).includes('Nothing is changed by looking'),
    );
    expect(await storedWeights()).toEqual(later);
    await click('Leave', '//*[@aria-label="Proposal"]');
    await waitFor(driver, 'it is left', async () => !(await hands.isThere('[aria-label="Proposal"]')));
    const before = await editCount();
    expect(before).toBe(6);
  });

  test('the brush brings the neck back; all later work stays', async () => {
    await click('Paint it back', '//*[contains(@class,"history-acts")][span="Before it"]');
    await (await find(driver, '[aria-label="Close the history"]')).click();
    // A few strokes over the place, at full strength.
    for (let n = 0; n < 16; n++) await press(n < 10 ? '=' : ']');
    spot = await findSpot(({ point }) => ruined.includes(point));
    for (const [dx, dy] of [
      [10, 30],
      [-14, 30],
      [10, -30],
    ]) {
      const count = await editCount();
      await drag(spot, dx, dy);
      await allSaved();
      if (dx === 10 && dy === 30) expect(await editCount()).toBe(count + 1);
    }
    expect((await lastEdit()).label).toMatch(/^Bring back from “Before “Take away, neck_3””/);
    const now = await storedWeights();
    const wanted = sumOf(good[0], ruined, NECK);
    const lost = wanted - sumOf(later[0], ruined, NECK);
    expect(wanted - sumOf(now[0], ruined, NECK)).toBeLessThan(0.25 * lost);
    // All else is as it was, to the bit.
    for (let p = 0; p < now[0].pointCount; p++) {
      if (ruined.includes(p)) continue;
      const from = p * now[0].stride;
      expect(now[0].values.subarray(from, from + now[0].stride)).toEqual(
        later[0].values.subarray(from, from + now[0].stride),
      );
    }
  });

  test('a named moment is brought back at the selection, as one edit that can be undone', async () => {
    await driver.executeScript(`document.querySelector('[aria-label="History"]').click()`);
    await pick('What is listed', 'Moments');
    const row = By.xpath('//button[contains(@class,"moment-row")][span="Moment 1"]');
    await driver.findElement(row).click();
    await click('Look', '//*[contains(@class,"history-open")]');
    await find(driver, '[aria-label="Proposal"]');
    const before = await storedWeights();
    await click('Bring back', '//*[@aria-label="Proposal"]');
    await allSaved();
    expect((await storedWeights())[0]).toEqual(good[0]);
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform();
    await waitFor(driver, 'it is undone', async () => {
      const now = await storedWeights();
      return Buffer.from(now[0].values.buffer).equals(Buffer.from(before[0].values.buffer));
    });
  });

  test('while a moment is looked at another tab paints: its work stays, the rest comes back', async () => {
    await click('Look', '//*[contains(@class,"history-open")]');
    await find(driver, '[aria-label="Proposal"]');
    const address = await driver.getCurrentUrl();
    const first = await driver.getWindowHandle();
    await driver.switchTo().newWindow('tab');
    await driver.get(address);
    await find(driver, 'canvas[data-frames]');
    await chooseJoint('knee_R');
    await press('3');
    await drag(await findSpot(({ weight }) => weight > 0.3), 4, 8);
    await allSaved();
    const { points } = await lastEdit();
    const theirs = await storedWeights();
    await driver.close();
    await driver.switchTo().window(first);
    await waitFor(driver, 'the other’s line is listed', async () =>
      (await textOf(driver, 'body')).includes('in another tab or by someone else'),
    );
    await click('Bring back', '//*[@aria-label="Proposal"]');
    await allSaved();
    const now = await storedWeights();
    const painted = new Set(points);
    expect(painted.size).toBeGreaterThan(3);
    for (let p = 0; p < now[0].pointCount; p++)
      expect(weightsAt(now[0], p)).toEqual(weightsAt((painted.has(p) ? theirs : good)[0], p));
  });

  test('all is taken back to a moment, settings too, after saying what that changes', async () => {
    await chooseJoint('knee_R');
    await (await find(driver, '[aria-label="Lock knee_R"]')).click();
    await allSaved();
    const before = await storedWeights();
    expect(Object.values(await storedValues('locks/'))).toContain(true);
    await click('Take all back to here …');
    expect(await textOf(driver, '.history-ask')).toMatch(/^Changes \d+ points/);
    await click('Take all back', '//*[@class="history-ask"]');
    await waitFor(driver, 'the weights are those of the moment', async () =>
      Buffer.from((await storedWeights())[0].values.buffer).equals(Buffer.from(good[0].values.buffer)),
    );
    expect(Object.values(await storedValues('locks/'))).not.toContain(true);
    expect(Object.values(await storedValues<{ name: string }>('moments/'))).toHaveLength(1);
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform();
    await waitFor(driver, 'it is undone', async () =>
      Buffer.from((await storedWeights())[0].values.buffer).equals(Buffer.from(before[0].values.buffer)),
    );
    expect(Object.values(await storedValues('locks/'))).toContain(true);
    await (await find(driver, '[aria-label="Lock knee_R"]')).click();
    await allSaved();
  });
});

describe('what differs', () => {
  test('from the file as it came is counted and listed, joints and places', async () => {
    await goTo('Trial');
    await pick('Page of Trial', 'Beside');
    await waitFor(
      driver,
      'it is counted',
      async () => Number(await (await find(driver, '[data-differing]')).getAttribute('data-differing')) > 3,
    );
    await chooseJoint('neck_3');
    expect(await textOf(driver, '[aria-label="Joints that differ"]')).toMatch(/neck_3/);
    expect(await textOf(driver, '[aria-label="Places that differ"]')).toMatch(/body, /);
  });

  test('is drawn on the model with its sign, and measured in the bends of both', async () => {
    await click('Show it on the model');
    await pick('Whose weights', 'Chosen joint');
    expect(await textOf(driver, '.legend')).toMatch(/less[\s\S]*neck_3[\s\S]*more/);
    await click('Measure the bends of both');
    await waitFor(
      driver,
      'bends are told',
      async () => Number(await (await find(driver, '[data-bends]')).getAttribute('data-bends')) > 0,
    );
    expect(await textOf(driver, '[aria-label="Bends that differ"] li')).toMatch(/×[\d.]+ → ×[\d.]+/);
  });

  test('is saved as a page for people', async () => {
    await click('Save as a page');
    const page = readFileSync(await downloaded(browser, '.html'), 'utf8');
    expect(page).toContain('“As the file came” against “Now”');
    expect(page).toContain('neck_3');
  });
});

describe('a moment as a file', () => {
  test('is given away, taken in again, and brought back from', async () => {
    const ruined = await storedWeights();
    await click('As the file came');
    expect(await driver.findElements(TAKE_ALL)).toHaveLength(1);
    await click('Save as a file');
    const file = await downloaded(browser, '.moment');
    await (await find(driver, 'input[aria-label="Moment file"]')).sendKeys(file);
    await find(driver, '[aria-label="Proposal"]');
    expect(await storedWeights()).toEqual(ruined);
    // The file has weights alone: there are no settings that all could be taken back to.
    await (
      await driver.findElement(
        By.xpath('(//button[contains(@class,"moment-row")][span="As the file came"])[1]'),
      )
    ).click();
    await find(driver, '.history-open');
    expect(await driver.findElements(TAKE_ALL)).toHaveLength(0);
    await click('Bring back', '//*[@aria-label="Proposal"]');
    await allSaved();
    await waitFor(
      driver,
      'all is as it came',
      async () => (await textOf(driver, '[data-differing]')) === 'Nothing differs.',
    );
    expect(await storedWeights()).not.toEqual(ruined);
  });
});
