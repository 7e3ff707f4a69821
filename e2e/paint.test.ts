import { afterAll, describe, expect, test } from '@jest/globals';
import { findTouching } from '@judoka/core/operations/mirror';
import { gatherMirrorSpace, partAt } from '@judoka/core/document';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { rowSum, weightOf, type WeightRows } from '@judoka/core/weights';
import { makeFerryKeeper, makeFerryKeeperMeshes } from '@judoka/demo';
import { By, Key } from 'selenium-webdriver';
import { find, openBrowser, textOf, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const hands = handsOn(server, driver);
const { allSaved, storedWeights, editCount, openKeeper, chooseJoint, goTo, click, pick, type } = hands;
const sound = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: false })));
const { planted, meshes } = makeFerryKeeperMeshes({ size: 'small', faults: true });
const joint = (name: string): number => sound.skeleton.joints.findIndex((one) => one.name === name);
const partCalled = (name: string): number => sound.parts.findIndex((part) => part.name === name);

afterAll(async () => {
  await browser.close();
  await server.close();
});

/** Where a fault lies in the file: its points are numbered by the vertices, not as the maker's mesh has them. */
function fault(code: string): { part: number; points: readonly number[] } {
  const found = planted.find((one) => one.code === code);
  if (!found) throw new Error(`There is no fault ${code}.`);
  const part = partCalled(found.part);
  const mesh = meshes.find(({ name }) => name === found.part);
  const key = (positions: Float32Array, p: number): string =>
    [...positions.subarray(p * 3, p * 3 + 3)].map((x) => x.toFixed(5)).join();
  const { positions, pointCount } = sound.parts[part];
  const pointAt = new Map(Array.from({ length: pointCount }, (_, p) => [key(positions, p), p]));
  const points = found.points.flatMap((p) => pointAt.get(key(mesh?.positions ?? positions, p)) ?? []);
  expect(points.length).toBe(found.points.length);
  return { part, points };
}

/** How far points are from the maker's own weights: half the summed difference, mean. */
function distance(
  rows: readonly WeightRows[],
  { part, points }: { part: number; points: readonly number[] },
): number {
  let sum = 0;
  for (const p of points)
    for (let j = 0; j < sound.skeleton.joints.length; j++)
      sum += Math.abs(weightOf(rows[part], p, j) - weightOf(sound.rows[part], p, j)) / 2;
  return sum / points.length;
}

async function stageBox(): Promise<{ x: number; y: number; width: number; height: number }> {
  const { x, y, width } = await (await find(driver, 'canvas')).getRect();
  const height = await driver.executeScript<number>(
    'return document.querySelector(".stage > div").clientHeight',
  );
  return { x, y, width, height };
}

async function dragAcross(
  from: readonly [number, number],
  to: readonly [number, number],
  steps = 6,
): Promise<void> {
  const { x, y, width, height } = await stageBox();
  const at = (t: number) => ({
    x: Math.round(x + (from[0] + (to[0] - from[0]) * t) * width),
    y: Math.round(y + (from[1] + (to[1] - from[1]) * t) * height),
  });
  let actions = driver
    .actions({ async: true })
    .move({ ...at(0), duration: 0 })
    .press();
  for (let i = 1; i <= steps; i++) actions = actions.move({ ...at(i / steps), duration: 40 });
  await actions.release().perform();
}

async function alone(part: string): Promise<void> {
  await driver
    .actions()
    .keyDown(Key.SHIFT)
    .click(await driver.findElement(By.xpath(`//div[@aria-label="Parts"]//button[.="${part}"]`)))
    .keyUp(Key.SHIFT)
    .perform();
}

async function typeInto(label: string, text: string): Promise<void> {
  const field = await find(driver, `input[aria-label="${label}"]`);
  await field.sendKeys(Key.chord(Key.CONTROL, 'a'), text, Key.TAB);
}

const edited = (count: number): Promise<unknown> =>
  waitFor(driver, 'it is stored', async () => (await editCount()) > count);

/** What the warm-up says on beginning it, as found again under “?”. */
async function warmUpSays(): Promise<string> {
  await hands.press('?');
  // By the keyboard: a notice may lie over it.
  const begin = By.xpath('//button[contains(., "The warm-up: three faults")]');
  await waitFor(driver, 'the keys are listed', async () => (await driver.findElements(begin)).length === 1);
  await driver.findElement(begin).sendKeys(Key.ENTER);
  await click('Begin');
  const dialog = await find(driver, '[role="dialog"][aria-label="Warm-up"]');
  const words = await dialog.getText();
  await dialog.findElement(By.xpath('.//button[.="Leave" or .="Done"]')).click();
  return words;
}

describe('five faults, five means', () => {
  test('the beak: a brush whose receiver is the upper beak', async () => {
    await openKeeper('The ferry-keeper');
    await goTo('Paint');
    expect(await warmUpSays()).toContain('1 of 3');
    const beak = fault('upper-beak-follows-lower');
    expect(distance(await storedWeights(), beak)).toBeGreaterThan(0.3);
    await chooseJoint('beak_lower');
    await alone('beak upper');
    await hands.press('e');
    await hands.press('3');
    await pick('Depth of the brush', 'Through');
    await typeInto('Radius', '0.3');
    await typeInto('Strength', '1');
    const receiver = await driver.findElement(
      By.xpath('//label[.="Freed weight goes to"]/following::input[1]'),
    );
    await receiver.click();
    await (await driver.findElement(By.xpath('//*[@role="option"][.="one joint"]'))).click();
    const chosen = await find(driver, 'input[aria-label="Joint that receives"]');
    await chosen.sendKeys('beak_upper', Key.ARROW_DOWN, Key.ENTER);
    const edits = await editCount();
    // The brush reaches all of the beak from its middle.
    await dragAcross([0.5, 0.5], [0.55, 0.5], 12);
    await edited(edits);
    await allSaved();
    const rows = await storedWeights();
    expect(distance(rows, beak)).toBeLessThan(0.05);
    for (const p of beak.points) expect(weightOf(rows[beak.part], p, joint('beak_lower'))).toBeLessThan(0.02);
    await alone('beak upper');
  });

  test('the wrong leg: selected by its weight and its side, then filled', async () => {
    const leg = fault('wrong-leg');
    expect(distance(await storedWeights(), leg)).toBeGreaterThan(0.2);
    await chooseJoint('knee_R');
    await alone('body');
    // Seen from the front the left leg lies on the right.
    await hands.press('e');
    await pick('Page of Paint', 'Select');
    await (await driver.findElement(By.xpath('//label[.="Through the surface"]'))).click();
    await click('Select points');
    await dragAcross([0.49, 0.55], [0.57, 0.82]);
    await waitFor(driver, 'the leg is selected', async () =>
      driver.executeScript<boolean>(
        'return Number(document.querySelector("[data-selected]").dataset.selected) > 100',
      ),
    );
    await pick('Page of Paint', 'Brush');
    await hands.press('4');
    await typeInto('Weight', '0');
    await pick('Passes of a stroke', 'Build up');
    const freed = await driver.findElement(By.xpath('//label[.="Freed weight goes to"]/following::input[1]'));
    await freed.click();
    await (await driver.findElement(By.xpath('//*[@role="option"][.="the others, in proportion"]'))).click();
    const edits = await editCount();
    await (await driver.findElement(By.xpath('//button[starts-with(., "pass")]'))).click();
    await edited(edits);
    await allSaved();
    expect(distance(await storedWeights(), leg)).toBeLessThan(0.03);
    await pick('Page of Paint', 'Select');
    await click('None');
  });

  test('points on the root: selected by weight, healed from their neighbours', async () => {
    const tied = fault('tied-to-root');
    await chooseJoint('root');
    await driver.findElement(By.xpath('//section[@aria-label="By weight"]//button[.="of root"]')).click();
    await waitFor(driver, 'they are selected', async () =>
      driver.executeScript<boolean>(
        `return Number(document.querySelector("[data-selected]").dataset.selected) === ${tied.points.length}`,
      ),
    );
    await pick('Page of Paint', 'Exact');
    const edits = await editCount();
    await click('Heal');
    await edited(edits);
    await allSaved();
    const rows = await storedWeights();
    for (const p of tied.points) expect(weightOf(rows[tied.part], p, joint('root'))).toBe(0);
    expect(distance(rows, tied)).toBeLessThan(0.15);
  });

  test('six influences: typed away in the table; the sum stays one, and undo restores it', async () => {
    await pick('Page of Paint', 'Select');
    await driver.findElement(By.xpath('//section[@aria-label="By weight"]//button[.="influences"]')).click();
    await pick('Page of Paint', 'Exact');
    await click('Table of weights');
    const grid = await hands.openedTable();
    const rowCount = Number(await grid.getAttribute('aria-rowcount'));
    expect(rowCount).toBeGreaterThan(20);
    const before = await storedWeights();
    await (await driver.findElement(By.css('[title="Sort by shoulder_L"]'))).click();
    await (await find(driver, 'input[aria-label="Find a column"]')).sendKeys('shoulder_L');
    await waitFor(
      driver,
      'one column is left',
      async () => (await driver.findElements(By.css('.column-head'))).length === 1,
    );
    await (await find(driver, '.table-row .cell')).click();
    // A key that opens the field counts once; Escape drops what is typed, and the keys are the table's again.
    for (const typed of ['.25', '7']) {
      await driver
        .actions()
        .sendKeys(...Array.from(typed))
        .perform();
      expect(await (await find(driver, '.cell-input')).getAttribute('value')).toBe(typed);
      await driver.actions().sendKeys(Key.ESCAPE).perform();
      await waitFor(
        driver,
        'the field is closed',
        async () => (await driver.findElements(By.css('.cell-input'))).length === 0,
      );
    }
    await (await find(driver, '.table-row .cell')).click();
    const edits = await editCount();
    await grid.sendKeys(
      Key.chord(Key.SHIFT, Key.ARROW_DOWN),
      Key.chord(Key.SHIFT, Key.ARROW_DOWN),
      '0',
      Key.ENTER,
    );
    await edited(edits);
    await allSaved();
    const after = await storedWeights();
    let fewer = 0;
    const shoulder = joint('shoulder_L');
    for (let p = 0; p < after[0].pointCount; p++) {
      expect(Math.abs(rowSum(after[0], p) - 1)).toBeLessThan(1e-5);
      if (weightOf(before[0], p, shoulder) > 0 && weightOf(after[0], p, shoulder) === 0) fewer++;
    }
    expect(fewer).toBe(3);
    await driver.actions().sendKeys(Key.ESCAPE).perform();
  });

  test('points of the table and of the stage are one selection; it stands below the model or beside it', async () => {
    const table = await find(driver, '.weight-table');
    const rowCount = await table.getAttribute('aria-rowcount');
    const actsOn = (count: number): Promise<boolean> =>
      waitFor(
        driver,
        `${count} points are selected`,
        async () =>
          (await (await find(driver, '[data-acts-on]')).getAttribute('data-acts-on')) === String(count),
      );
    const leads = await driver.findElements(By.css('.table-row .lead'));
    await leads[1].click();
    await actsOn(1);
    await driver.actions().keyDown(Key.SHIFT).click(leads[3]).keyUp(Key.SHIFT).perform();
    await actsOn(3);
    expect(await driver.findElements(By.css('.table-row .lead[data-selected="true"]'))).toHaveLength(3);
    // The list is what it was.
    expect(await table.getAttribute('aria-rowcount')).toBe(rowCount);
    const stage = await find(driver, '.stage');
    const { width } = await stage.getRect();
    await (await find(driver, '[aria-label="Table beside the model"]')).click();
    await waitFor(driver, 'the stage makes room', async () => (await stage.getRect()).width < 0.7 * width);
    await (await find(driver, '[aria-label="Close the table"]')).click();
    await waitFor(driver, 'the stage has all of it', async () => (await stage.getRect()).width === width);
    expect(await hands.isThere('.weight-table')).toBe(false);
  });

  test('the heel: carried over from the sound side', async () => {
    const heel = fault('heel-on-knee');
    expect(distance(await storedWeights(), heel)).toBeGreaterThan(0.5);
    await pick('Page of Paint', 'Mirror');
    await find(driver, '[data-unpaired]');
    const edits = await editCount();
    await click('Left to right');
    await edited(edits);
    await allSaved();
    expect(distance(await storedWeights(), heel)).toBeLessThan(0.05);
    expect(await textOf(driver, 'header')).toMatch(/Undo “Carry left to right”/);
    // Its three faults are among the five.
    expect(await warmUpSays()).toContain('All three are cured.');
  });
});

describe('what else is at hand', () => {
  test('a stroke with the live mirror paints both sides alike, and the card at the cursor says so', async () => {
    await pick('Page of Paint', 'Select');
    await click('None');
    await pick('Page of Paint', 'Brush');
    await chooseJoint('knee_L');
    await hands.press('j');
    await pick('Depth of the brush', 'Along');
    await typeInto('Strength', '0.3');
    await typeInto('Radius', '0.02');
    await hands.press('2');
    await hands.press('m');
    const before = await storedWeights();
    const edits = await editCount();
    const spot = await hands.findSpot(({ weight }) => weight > 0.1 && weight < 0.7);
    expect(await textOf(driver, '[data-testid="loupe"]')).toContain('mirror on: knee_R');
    await hands.drag(spot);
    await edited(edits);
    await allSaved();
    const after = await storedWeights();
    const gained = (name: string): number => {
      let sum = 0;
      for (let p = 0; p < after[0].pointCount; p++)
        sum += weightOf(after[0], p, joint(name)) - weightOf(before[0], p, joint(name));
      return sum;
    };
    expect(gained('knee_L')).toBeGreaterThan(0.1);
    expect(gained('knee_R')).toBeCloseTo(gained('knee_L'), 1);
    await hands.press('m');
  });

  test('smoothing also where parts touch: what lies on one another comes together across parts', async () => {
    const space = gatherMirrorSpace(sound.parts);
    const touching = findTouching(space, 0.003);
    const placeOf = (p: number): [part: number, point: number] => {
      const part = partAt(space.firstPoint, p);
      return [part, p - space.firstPoint[part]];
    };
    const across = [...touching.keys()].filter(
      (p) => touching[p] >= 0 && placeOf(p)[0] !== placeOf(touching[p])[0],
    );
    expect(across.length).toBeGreaterThan(20);
    const apart = (rows: readonly WeightRows[]): number => {
      let sum = 0;
      for (const p of across) {
        const [[part, own], [other, its]] = [placeOf(p), placeOf(touching[p])];
        for (let j = 0; j < sound.skeleton.joints.length; j++)
          sum += Math.abs(weightOf(rows[part], own, j) - weightOf(rows[other], its, j)) / 2;
      }
      return sum / across.length;
    };
    const before = apart(await storedWeights());
    // Shows the other parts again.
    await alone('body');
    await pick('Page of Paint', 'Select');
    await click('All', '//section[@aria-label="Selection"]');
    await pick('Page of Paint', 'Brush');
    await hands.press('5');
    await pick('What is smoothed', 'All influences');
    await (await driver.findElement(By.xpath('//label[.="Also where parts touch"]'))).click();
    await find(driver, '[data-touching]:not([data-touching="0"])');
    await typeInto('Strength', '1');
    const edits = await editCount();
    await (await driver.findElement(By.xpath('//button[starts-with(., "pass")]'))).click();
    await edited(edits);
    await allSaved();
    expect(apart(await storedWeights())).toBeLessThan(before * 0.5);
    await hands.press(Key.chord(Key.CONTROL, 'z'));
    await waitFor(driver, 'it is as before', async () => (await editCount()) === edits + 2);
    await allSaved();
    expect(apart(await storedWeights())).toBeCloseTo(before, 6);
  });

  test('pruning tells first what it will change', async () => {
    await pick('Page of Paint', 'Select');
    await click('All');
    await click('None');
    await pick('Page of Paint', 'Exact');
    // Where nothing is selected, nothing changes.
    expect(await textOf(driver, '[aria-label="Prune"]')).toContain('Nothing is selected');
    await click('Select all points shown');
    await waitFor(driver, 'it is told', async () =>
      (await textOf(driver, '[data-would-change]')).startsWith('Would change'),
    );
    const told = Number(await (await find(driver, '[data-would-change]')).getAttribute('data-would-change'));
    expect(told).toBeGreaterThan(0);
    const edits = await editCount();
    await click('Prune', '//section[@aria-label="Prune"]');
    await edited(edits);
    await allSaved();
    await waitFor(
      driver,
      'nothing is left to prune',
      async () =>
        (await (await find(driver, '[data-would-change]')).getAttribute('data-would-change')) === '0',
    );
  });

  test('the last set stays open: adjusted, it is made anew on the same points', async () => {
    await pick('Page of Paint', 'Select');
    await chooseJoint('head');
    await driver.findElement(By.xpath('//section[@aria-label="By weight"]//button[.="of head"]')).click();
    await pick('Page of Paint', 'Exact');
    const edits = await editCount();
    await type('Weight of head', '0.5');
    await edited(edits);
    const slider = await find(driver, '[aria-label="Last operation"] [role="slider"]');
    await slider.sendKeys(Key.ARROW_RIGHT);
    await waitFor(driver, 'it is made anew', async () => (await editCount()) >= edits + 3);
    await allSaved();
    const rows = await storedWeights();
    const at51 = [...rows[0].values.keys()].filter(
      (i) => rows[0].joints[i] === joint('head') && Math.abs(rows[0].values[i] - 0.51) < 1e-4,
    );
    expect(at51.length).toBeGreaterThan(10);
  });
});
