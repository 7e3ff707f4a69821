import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { influenceCount } from '@judoka/core/weights';
import { By, Key } from 'selenium-webdriver';
import { find, openBrowser, textOf, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

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
  openKeeper,
  goTo,
  click,
  isThere,
  press,
} = hands;

beforeAll(async () => {
  await openKeeper('The ferry-keeper');
  await goTo('Bind');
  await hands.pick('Page of Bind', 'Another');
});
afterAll(async () => {
  await browser.close();
  await server.close();
});

const PANEL = '[aria-label="Parts that follow"]';
const BAR = '[aria-label="Proposal"]';
const CAPE = 4;
const follows = async (): Promise<unknown> => Object.values(await storedValues('parts/4/follows')).at(0);

async function choosePart(label: string, name: string): Promise<void> {
  const field = await find(driver, `${PANEL} input[placeholder="${label}"]`);
  await field.click();
  await field.sendKeys(name, Key.ENTER);
}

interface Counts {
  readonly own: number;
  readonly following: number;
}

async function countCrossings(): Promise<Counts> {
  await click('Count', `//*[@data-follower="cape"]`);
  const line = await find(driver, '[data-crossings]');
  const [own, following] = await Promise.all(
    ['data-crossings', 'data-crossings-following'].map(async (name) => Number(await line.getAttribute(name))),
  );
  return { own, following };
}

test('the cape is made to follow the body, counted, baked and kept: it crosses a quarter as often', async () => {
  await choosePart('Choose a part', 'cape');
  await click('Let it follow');
  await find(driver, '[data-follower="cape"][data-anchored="true"]');
  expect(await textOf(driver, PANEL)).toMatch(/Stands off [\d.]+ mm to [\d.]+ mm/);
  await allSaved();
  expect(await follows()).toEqual({ driver: 0 });
  const before = await countCrossings();
  expect(before.own).toBeGreaterThan(100);
  expect(before.following).toBeLessThan(before.own / 4);
  const edits = await editCount();
  await click('Bake into its weights');
  await find(driver, BAR);
  await click('Keep', '//section[@aria-label="Proposal"]');
  await waitFor(driver, 'it is one line of the history', async () => (await editCount()) > edits);
  await allSaved();
  expect((await lastEdit()).label).toBe('Bake of what cape follows');
  // What is seen now are the weights.
  expect(await follows()).toEqual({ driver: 0, isOff: true });
  const after = await countCrossings();
  expect(after.own).toBeLessThan(before.own / 4);
  const { [CAPE]: rows } = await storedWeights();
  for (let p = 0; p < rows.pointCount; p++) expect(influenceCount(rows, p)).toBeLessThanOrEqual(4);
}, 180_000);

test('undone step by step, after a reload too, it is as it was', async () => {
  await driver.navigate().refresh();
  await find(driver, '[data-follower="cape"][data-anchored="true"]');
  expect(await isThere(BAR)).toBe(false);
  await press(Key.chord(Key.CONTROL, 'z'));
  await waitFor(driver, 'the weights are as before', async () => (await lastEdit()).kind === 'undo');
  await press(Key.chord(Key.CONTROL, 'z'));
  await waitFor(driver, 'it follows again', async () => {
    const own = await follows();
    return JSON.stringify(own) === JSON.stringify({ driver: 0 });
  });
  await press(Key.chord(Key.CONTROL, 'z'));
  await waitFor(driver, 'nothing follows', async () => !(await isThere('[data-follower]')));
  await allSaved();
  expect(await follows()).toBeUndefined();
});

test('what lies under the surface is told, and keeps its own weights by a mask', async () => {
  await choosePart('Choose a part', 'scarf');
  await click('Let it follow');
  const beyond = await find(driver, '[data-follower="scarf"] [data-beyond]');
  expect(Number(await beyond.getAttribute('data-beyond'))).toBeGreaterThan(10);
  await click('Keep their own weights', `//*[@data-follower="scarf"]`);
  await waitFor(driver, 'a mask says where it follows', async () => {
    const [own] = Object.values(await storedValues<{ mask?: string }>('parts/5/follows'));
    return own?.mask !== undefined;
  });
  const masks = Object.values(await storedValues<{ name: string }>('masks/'));
  expect(masks.map((mask) => mask?.name)).toEqual(['scarf follows']);
  await press(Key.chord(Key.CONTROL, 'z'));
  await waitFor(driver, 'it follows everywhere, and the mask is gone', async () => {
    const own = Object.values(await storedValues('parts/5/follows'));
    return JSON.stringify(own) === JSON.stringify([{ driver: 0 }]);
  });
  expect(Object.values(await storedValues('masks/'))).toEqual([]);
});

test('what lies under the surface is pushed out at rest; undone, it lies there again', async () => {
  const within = `//*[@data-follower="scarf"]`;
  const beyond = async (): Promise<number> => {
    const told = await driver.findElements(By.css('[data-follower="scarf"] [data-beyond]'));
    return told.length > 0 ? Number(await told[0].getAttribute('data-beyond')) : 0;
  };
  const anchored = (): Promise<boolean> => isThere('[data-follower="scarf"][data-anchored="true"]');
  const before = await beyond();
  expect(before).toBeGreaterThan(10);
  await click('Push out', within);
  await waitFor(
    driver,
    'points are moved',
    async () => Object.keys(await storedValues('moved/5/')).length > 0,
  );
  await waitFor(driver, 'nothing lies under it', async () => (await anchored()) && (await beyond()) === 0);
  await press(Key.chord(Key.CONTROL, 'z'));
  await waitFor(driver, 'it lies there again', async () => (await anchored()) && (await beyond()) === before);
  expect(await storedValues('moved/5/')).toEqual({});
});

test('a cage is made about a part, which follows it; painted, shaped, reloaded, left out of the file, undone', async () => {
  await goTo('Bind');
  await hands.pick('Page of Bind', 'Another');
  const CAGE = 8;
  const COUNT = '[aria-label="Cages"] [data-cage="Cage of satchel"]';
  const field = await find(driver, '[aria-label="Cages"] input[placeholder="Choose parts"]');
  await field.click();
  await field.sendKeys('satchel', Key.ENTER, Key.ESCAPE);
  const points = await find(driver, '[aria-label="Cages"] input[inputmode]');
  await points.sendKeys(Key.chord(Key.CONTROL, 'a'), '60', Key.ENTER);
  await click('Make a cage');
  await find(driver, COUNT);
  // The character is opened anew with it.
  await find(driver, '[data-follower="satchel"][data-anchored="true"]');
  expect(await textOf(driver, '[data-follower="satchel"]')).toMatch(/as in a cage/);
  expect(await isThere('[data-follower="satchel"] [data-beyond]')).toBe(false);
  await allSaved();
  const { [CAGE]: rows, length } = await storedWeights();
  expect(length).toBe(CAGE + 1);
  expect(rows.pointCount).toBeGreaterThan(30);
  expect(rows.pointCount).toBeLessThanOrEqual(60);
  for (let p = 0; p < rows.pointCount; p++) expect(influenceCount(rows, p)).toBeGreaterThan(0);

  await click('Show it alone', `//*[@data-cage="Cage of satchel"]`);
  await goTo('Paint');
  await hands.chooseJoint('satchel');
  const middle = await hands.lookAtJoint();
  await hands.chooseJoint('spine_1');
  await press('2');
  const edits = await editCount();
  await hands.drag(middle, 20, 0);
  await waitFor(driver, 'the stroke is stored', async () => (await editCount()) > edits);
  expect(await lastEdit()).toMatchObject({ label: 'Add, spine_1', part: CAGE });
  await goTo('Check-in');
  await hands.pick('Page of Check-in', 'Mesh');
  await hands.pick('What the brush does to the mesh', 'Out');
  await hands.drag(middle, 20, 0);
  const moved = async (): Promise<number> => Object.keys(await storedValues(`moved/${CAGE}/`)).length;
  await waitFor(driver, 'its points are moved', async () => (await moved()) > 0);

  await driver.navigate().refresh();
  await find(driver, 'canvas[data-frames]');
  expect((await hands.exported()).parts).toHaveLength(CAGE);
  const undo = (): Promise<void> => press(Key.chord(Key.CONTROL, 'z'));
  await undo();
  await waitFor(driver, 'its shape is undone', async () => (await moved()) === 0);
  await undo();
  await waitFor(driver, 'the stroke is undone', async () => (await lastEdit()).kind === 'undo');
  await undo();
  await waitFor(driver, 'the cage is gone', async () => (await storedWeights()).length === CAGE);
  expect(await storedValues(`parts/${CAGE}/`)).toEqual({});
  await press(Key.chord(Key.CONTROL, Key.SHIFT, 'z'));
  await waitFor(driver, 'it is there again', async () => (await storedWeights()).length > CAGE);
}, 180_000);
