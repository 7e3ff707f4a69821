import { readFileSync, rmSync } from 'node:fs';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { makePorter } from '@judoka/demo';
import { validateBytes } from 'gltf-validator';
import { By, Key, until } from 'selenium-webdriver';
import { downloaded, find, openBrowser, textOf, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const hands = handsOn(server, driver);
const { allSaved, storedValues, openKeeper, goTo, click, isThere, press } = hands;

beforeAll(async () => {
  await openKeeper('The porter');
  await goTo('Paint');
  await hands.pick('Page of Paint', 'Shapes');
});
afterAll(async () => {
  await browser.close();
  await server.close();
});

const SHAPES = '[aria-label="Shapes"]';
const named = async (): Promise<string[]> =>
  Promise.all(
    (await driver.findElements(By.css(`${SHAPES} [data-shape]`))).map(
      async (row) => (await row.getAttribute('data-shape')) ?? '',
    ),
  );
const amounts = (): Promise<Record<string, number | undefined>> => storedValues<number>('shapeAmounts/');

test('shapes of the file are listed and dialled, seen where they move points, and undone', async () => {
  expect(await named()).toEqual(['cheeks puffed', 'belly in']);
  await (await find(driver, '[data-shape="cheeks puffed"] .shape-name')).click();
  expect(await textOf(driver, '[data-shape="cheeks puffed"]')).toMatch(/Moves \d+ points/);
  const field = await find(driver, '[data-shape="cheeks puffed"] input[aria-label="cheeks puffed"]');
  await field.sendKeys(Key.chord(Key.CONTROL, 'a'), '0.75', Key.TAB);
  await waitFor(driver, 'it is kept', async () => Object.values(await amounts()).includes(0.75));
  await field.sendKeys(Key.chord(Key.CONTROL, 'a'), '-1.5', Key.TAB);
  await waitFor(driver, 'beyond it too', async () => Object.values(await amounts()).includes(-1.5));
  await (await find(driver, 'canvas')).click();
  await press(Key.chord(Key.CONTROL, 'z'));
  await waitFor(driver, 'it is undone', async () => !Object.values(await amounts()).includes(-1.5));
  await press(Key.chord(Key.CONTROL, 'z'));
  await waitFor(driver, 'it is undone', async () => Object.keys(await amounts()).length === 0);
  await allSaved();
});

test('a shape is called otherwise, not as another one is; undone, it has its name again', async () => {
  const rename = async (from: string, to: string): Promise<void> => {
    if (!(await isThere(`[data-shape="${from}"][data-shown="true"]`)))
      await (await find(driver, `[data-shape="${from}"] .shape-name`)).click();
    const field = await find(driver, `[data-shape="${from}"] input[maxlength]`);
    await field.sendKeys(Key.chord(Key.CONTROL, 'a'), to, Key.ENTER);
  };
  await rename('belly in', 'cheeks puffed');
  await waitFor(driver, 'it is refused', async () =>
    /There is a shape “cheeks puffed” already/.test(await textOf(driver, 'body')),
  );
  await rename('belly in', 'belly drawn in');
  await waitFor(driver, 'it is called so', async () => (await named())[1] === 'belly drawn in');
  await allSaved();
  expect((await hands.exported()).morphs.map(({ name }) => name)).toContain('belly drawn in');
  await press(Key.chord(Key.CONTROL, 'z'));
  await waitFor(driver, 'it has its name', async () => (await named())[1] === 'belly in');
}, 120_000);

test('the mask of a shape is in the table: typed there, it is kept, and undone', async () => {
  const FIRST = '.table-row[data-line="0"] [data-column="0"]';
  const kept = async (): Promise<string> => JSON.stringify(await storedValues('masks/'));
  const field = await driver.findElement(By.xpath('//label[normalize-space(.)="By a mask"]'));
  await (await find(driver, `[id="${(await field.getAttribute('for')) ?? ''}"]`)).click();
  const painted = await find(driver, '[role="option"][value="new"]');
  await (await driver.wait(until.elementIsVisible(painted), 10_000)).click();
  await waitFor(driver, 'it is kept', async () => /belly in/.test(await kept()));
  await click('Table of weights');
  await hands.openedTable();
  expect(await textOf(driver, '.column-head')).toMatch(/belly in\s*mask/);
  await waitFor(driver, 'it takes all of it', async () => (await textOf(driver, FIRST)) === '1.000');
  const before = await kept();
  await (await find(driver, FIRST)).click();
  await (await hands.openedTable()).sendKeys('0.2', Key.ENTER);
  await waitFor(driver, 'it takes less', async () => (await textOf(driver, FIRST)) === '0.200');
  await waitFor(driver, 'that is kept', async () => (await kept()) !== before);
  await allSaved();
  await press(Key.chord(Key.CONTROL, 'z'));
  await waitFor(driver, 'it takes all of it again', async () => (await textOf(driver, FIRST)) === '1.000');
  await (await find(driver, '[aria-label="Close the table"]')).click();
  await press(Key.chord(Key.CONTROL, 'z'));
  await waitFor(driver, 'there is no mask', async () => (await kept()) === '{}');
}, 120_000);

test('a smile is split: two shapes by masks, whose sum in the file that goes out is the whole', async () => {
  if (!(await isThere('[data-shape="cheeks puffed"][data-shown="true"]')))
    await (await find(driver, '[data-shape="cheeks puffed"] .shape-name')).click();
  await click('Split into left and right');
  await waitFor(driver, 'there are four', async () => (await named()).length === 4);
  expect(await named()).toEqual(['cheeks puffed', 'belly in', 'cheeks puffed left', 'cheeks puffed right']);
  await allSaved();
  await driver.navigate().refresh();
  await waitFor(driver, 'they are there again', async () => (await named()).length === 4);
  await goTo('Deliver');
  await hands.pick('Page of Deliver', 'Export');
  await click('Deliver', '//section[.//h2="Export"]');
  const file = await downloaded(browser, '.glb');
  const bytes = new Uint8Array(readFileSync(file));
  rmSync(file);
  const out = await readCharacter(openGlb(bytes));
  expect(out.morphs.map(({ name }) => name)).toEqual([
    'belly in',
    'cheeks puffed left',
    'cheeks puffed right',
  ]);
  const came = await readCharacter(openGlb(await makePorter({ faults: true })));
  const [whole] = came.morphs[0].targets;
  const [left, right] = out.morphs.slice(1).map(({ targets: [target] }) => {
    const at = new Map(Array.from(target.vertices, (v, i) => [v, i]));
    return (v: number, k: number): number => {
      const i = at.get(v);
      return i === undefined ? 0 : target.positions[i * 3 + k];
    };
  });
  let both = 0;
  whole.vertices.forEach((v, i) => {
    for (let k = 0; k < 3; k++) expect(left(v, k) + right(v, k)).toBeCloseTo(whole.positions[i * 3 + k], 6);
    if (left(v, 0) !== 0 && right(v, 0) !== 0) both++;
    // The left one is on the character's left: towards +x.
    if (came.parts[0].positions[came.parts[0].vertexPoint[v] * 3] > 0.05) expect(right(v, 0)).toBe(0);
  });
  expect(both).toBeLessThan(whole.vertices.length / 2);
  const { issues } = (await validateBytes(bytes)) as { issues: { messages: { severity: number }[] } };
  expect(issues.messages.filter(({ severity }) => severity === 0)).toEqual([]);
}, 120_000);
