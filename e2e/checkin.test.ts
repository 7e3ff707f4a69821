import { afterAll, describe, expect, test } from '@jest/globals';
import { influenceCount, rowSum, weightOf } from '@judoka/core/weights';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { makeFerryKeeper, makeFerryKeeperMeshes } from '@judoka/demo';
import { By, Key, until } from 'selenium-webdriver';
import { find, openBrowser, textOf, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const hands = handsOn(server, driver);
const { allSaved, storedWeights, editCount, lastEdit, openKeeper, chooseJoint, goTo, click, isThere } = hands;
const { skeleton } = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: false })));
const jointCalled = (name: string): number => skeleton.joints.findIndex((joint) => joint.name === name);
const { planted } = makeFerryKeeperMeshes({ size: 'small', faults: true });

afterAll(async () => {
  await browser.close();
  await server.close();
});

const card = (code: string): string => `//div[@data-code="${code}"]`;

describe('check-in, as a newcomer goes through it', () => {
  test('lists what is wrong, worst first, with what it means', async () => {
    await openKeeper('The ferry-keeper');
    await goTo('Check-in');
    await find(driver, '.finding');
    const codes = await driver.executeScript<string[]>(
      'return [...document.querySelectorAll(".finding")].map((card) => card.dataset.code)',
    );
    expect(codes.slice(0, 3)).toEqual(['unweighted', 'tied-to-root', 'too-many-influences']);
    expect(codes).toContain('weights-in-units');
    const text = await textOf(driver, '[data-code="unweighted"]');
    const strip = planted.find(({ code }) => code === 'cape-without-weights');
    expect(text).toContain(`On “cape”, ${strip?.points.length} points have no weight at all.`);
    expect(text).toMatch(/stay behind/);
  });

  test('one repair heals exactly the strip; undo takes it back, redo does it again', async () => {
    const before = await storedWeights();
    await click('Show me', card('unweighted'));
    await waitFor(driver, 'it is shown', () => isThere('[data-code="unweighted"][data-shown="true"]'));
    await click('Repair', card('unweighted'));
    await waitFor(driver, 'it is gone', async () => !(await isThere('[data-code="unweighted"]')));
    await allSaved();
    const edit = await lastEdit();
    expect(edit.label).toBe('Repair points without weight');
    const after = await storedWeights();
    const cape = edit.part;
    for (const p of edit.points) {
      expect(before[cape].values[p * before[cape].stride]).toBe(0);
      expect(rowSum(after[cape], p)).toBeCloseTo(1, 6);
    }
    await click('Undo “Repair points without weight”');
    await waitFor(driver, 'it is back', () => isThere('[data-code="unweighted"]'));
    await allSaved();
    expect((await storedWeights())[cape].values).toEqual(before[cape].values);
    await (await find(driver, '[aria-label^="Redo"]')).click();
    await waitFor(driver, 'it is gone again', async () => !(await isThere('[data-code="unweighted"]')));
  });

  test('the rest is repaired in one step, and the character is healthy', async () => {
    const edits = await editCount();
    await click('Repair all that is safe');
    await waitFor(driver, 'it is healthy', () => isThere('[data-health="good"]'));
    await allSaved();
    expect(await editCount()).toBe(edits + 1);
    const root = jointCalled('root');
    for (const rows of await storedWeights()) {
      for (let p = 0; p < rows.pointCount; p++) {
        expect(influenceCount(rows, p)).toBeLessThanOrEqual(4);
        expect(weightOf(rows, p, root)).toBe(0);
        expect(Math.abs(rowSum(rows, p) - 1)).toBeLessThan(1e-5);
      }
    }
  });

  test('limits of the person’s own are kept and checked against', async () => {
    await click('Own limits');
    const name = await driver.wait(
      until.elementLocated(By.xpath('//label[.="Name"]/following::input[1]')),
      10_000,
    );
    await name.sendKeys('Handheld');
    const influences = await driver.findElement(
      By.xpath('//label[.="Influences a vertex"]/following::input[1]'),
    );
    await influences.sendKeys(Key.chord(Key.CONTROL, 'a'), '2');
    await click('Save');
    await waitFor(driver, 'more is found', () => isThere('[data-code="too-many-influences"]'));
    expect(await textOf(driver, '[data-code="too-many-influences"]')).toContain('“Handheld”');
  });
});

describe('bind', () => {
  test('a stopped binding changes nothing', async () => {
    await goTo('Bind');
    const before = await editCount();
    await click('Bind');
    await click('Stop');
    await waitFor(driver, 'it can be started again', () =>
      driver.findElements(By.xpath('//button[normalize-space(.)="Bind"]')).then((found) => found.length > 0),
    );
    expect(await isThere('[aria-label="Proposal"]')).toBe(false);
    expect(await editCount()).toBe(before);
  });

  test('old and new are compared before anything is kept; locked joints stay to the bit', async () => {
    const before = await storedWeights();
    await (await find(driver, '[aria-label="Lock head"]')).click();
    await click('Bind');
    await find(driver, '[aria-label="Proposal"]');
    expect((await storedWeights())[0].values).toEqual(before[0].values);
    await click('Drop');
    await waitFor(driver, 'it is dropped', async () => !(await isThere('[aria-label="Proposal"]')));
    expect((await storedWeights())[0].values).toEqual(before[0].values);

    await click('Bind');
    await find(driver, '[aria-label="Proposal"]');
    // It waits for a decision on every page, and over a reload.
    await goTo('Paint');
    expect(await textOf(driver, '[aria-label="Proposal"]')).toContain('Bind by volume');
    await driver.navigate().refresh();
    await find(driver, '[aria-label="Proposal"]');
    expect((await storedWeights())[0].values).toEqual(before[0].values);
    await goTo('Bind');
    await click('Keep');
    await waitFor(driver, 'it is in the history', async () =>
      /Undo “Bind by volume”/.test(await textOf(driver, 'header')),
    );
    await allSaved();
    const after = await storedWeights();
    const [head, root] = [jointCalled('head'), jointCalled('root')];
    let moved = 0;
    after.forEach((rows, part) => {
      for (let p = 0; p < rows.pointCount; p++) {
        expect(Math.abs(rowSum(rows, p) - 1)).toBeLessThan(1e-5);
        expect(weightOf(rows, p, head)).toBe(weightOf(before[part], p, head));
        expect(weightOf(rows, p, root)).toBe(0);
        if (rows.values[p * rows.stride] !== before[part].values[p * rows.stride]) moved++;
      }
    });
    expect(moved).toBeGreaterThan(1000);
  });

  test('a joint whose deforming is off gets nothing, and stays so after a reload', async () => {
    await (await find(driver, '[aria-label="neck_2 deforms"]')).click();
    await waitFor(driver, 'it is told', () =>
      driver
        .findElements(By.xpath('//p[contains(., "2 joints get none")]'))
        .then((found) => found.length > 0),
    );
    await driver.navigate().refresh();
    await waitFor(driver, 'it is still off', async () =>
      (await find(driver, '[aria-label="neck_2 deforms"]'))
        .getAttribute('aria-pressed')
        .then((on) => on === 'false'),
    );
    await click('Bind');
    await find(driver, '[aria-label="Proposal"]');
    await click('Keep');
    await allSaved();
    await waitFor(driver, 'nothing follows it', async () => {
      const neck = jointCalled('neck_2');
      return (await storedWeights()).every((rows) => {
        for (let p = 0; p < rows.pointCount; p++) if (weightOf(rows, p, neck) > 0) return false;
        return true;
      });
    });
  });

  test('a click ties a whole piece to the chosen joint', async () => {
    await chooseJoint('wrist_L');
    for (const part of ['body', 'eyes', 'beak upper', 'beak lower', 'cape', 'scarf', 'satchel'])
      await (await driver.findElement(By.xpath(`//div[@aria-label="Parts"]//button[.="${part}"]`))).click();
    await (await find(driver, 'canvas')).sendKeys('e');
    await hands.pick('Page of Bind', 'By hand');
    await click('Tie pieces to wrist_L');
    const { x, y } = await (await find(driver, 'canvas')).getRect();
    const { width, height } = await driver.executeScript<{ width: number; height: number }>(
      'const box = document.querySelector(".legend").parentElement; return { width: box.clientWidth, height: box.clientHeight }',
    );
    const wrist = jointCalled('wrist_L');
    // Down the middle until the lantern is met: what is clicked beside it changes nothing.
    for (let step = 1; step < 20; step++) {
      await driver
        .actions()
        .move({ x: Math.round(x + width / 2), y: Math.round(y + (height * step) / 20) })
        .click()
        .perform();
      if (/Tie a piece of lantern/.test(await textOf(driver, 'header'))) break;
    }
    await allSaved();
    const edit = await lastEdit();
    expect(edit.label).toBe('Tie a piece of lantern to wrist_L');
    const rows = (await storedWeights())[edit.part];
    for (const p of edit.points) expect(weightOf(rows, p, wrist)).toBe(1);
    expect(edit.points.length).toBeGreaterThan(50);
  });
});
