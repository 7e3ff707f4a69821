import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { openCharacterFile, openGlb, readCharacter, writeGltf, zip } from '@judoka/core/formats';
import { influenceCount } from '@judoka/core/weights';
import { makeFerryKeeper } from '@judoka/demo';
import { validateBytes } from 'gltf-validator';
import { By, Key, type WebElement } from 'selenium-webdriver';
import { downloaded, find, openBrowser, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

// A character that came zipped meets its limits, leaves, and leaves again as it was.

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const hands = handsOn(server, driver);
const { goTo, pick, click, allSaved, openKeeper, storedWeights } = hands;
const folder = mkdtempSync(join(tmpdir(), 'judoka-deliver-'));
beforeAll(async () => {
  const container = openGlb(await makeFerryKeeper({ size: 'small', faults: true }));
  const { text, binary } = writeGltf(container, 'keeper.bin');
  const files = new Map([
    ['keeper/keeper.gltf', new TextEncoder().encode(text)],
    ['keeper/keeper.bin', binary],
  ]);
  writeFileSync(join(folder, 'zipped.zip'), zip(files));
  for (const [path, bytes] of files) writeFileSync(join(folder, path.replace('keeper/', '')), bytes);
  await openKeeper('The ferry-keeper');
  await driver.get(`${server.address}/`);
  await (await find(driver, '[aria-label="Character file"]')).sendKeys(join(folder, 'zipped.zip'));
  await find(driver, 'canvas[data-frames]');
}, 180_000);
afterAll(async () => {
  rmSync(folder, { recursive: true, force: true });
  await browser.close();
  await server.close();
});

const figure = async (name: string): Promise<string> =>
  (await find(driver, `[data-figure="${name}"]`)).getText();
const isMet = async (limit: string): Promise<boolean> =>
  (await (await find(driver, `[data-limit="${limit}"]`)).getAttribute('data-met')) === 'true';
const overLimit = async (): Promise<number> =>
  (await storedWeights()).reduce((sum, rows) => {
    let own = 0;
    for (let p = 0; p < rows.pointCount; p++) if (influenceCount(rows, p) > 4) own++;
    return sum + own;
  }, 0);

test('a .gltf and the file that it names come together; alone it is refused by that name', async () => {
  const here = await driver.getCurrentUrl();
  await driver.get(`${server.address}/`);
  const field = (): Promise<WebElement> => find(driver, '[aria-label="Character file"]');
  await (await field()).sendKeys(join(folder, 'keeper.gltf'));
  const alert = await find(driver, '[role="alert"]');
  await waitFor(driver, 'it is refused', async () => (await alert.getText()).includes('keeper.bin'));
  await (await field()).sendKeys(`${join(folder, 'keeper.gltf')}\n${join(folder, 'keeper.bin')}`);
  await find(driver, 'canvas[data-frames]');
  expect((await storedWeights()).length).toBe(8);
  await driver.get(here);
  await find(driver, 'canvas[data-frames]');
});

describe('limits', () => {
  test('the worst line stands first, and its cure says what it costs before it is taken', async () => {
    await goTo('Deliver');
    const first = await find(driver, '[aria-label="Limits"] [role="listitem"]');
    expect(await first.getAttribute('data-limit')).toBe('influences');
    expect(await isMet('influences')).toBe(false);
    expect(await overLimit()).toBeGreaterThan(100);
    await click('Fewer influences, by least movement');
    const [fitted, plain] = [await figure('greatest'), await figure('plain')];
    expect(fitted).toMatch(/^[\d.]+ mm \([\d.]+% of its size\)$/);
    expect(parseFloat(fitted)).toBeLessThanOrEqual(0.7 * parseFloat(plain));
    // Nothing is written before it is kept.
    expect(await overLimit()).toBeGreaterThan(100);
    expect(await figure('rms')).toMatch(/ mm$/);
  });

  test('the slider goes back to nothing lost, and half of the way is half of the points', async () => {
    const slider = await find(driver, '[role="slider"][aria-label="How far"]');
    const all = Number(await slider.getAttribute('aria-valuemax'));
    await slider.sendKeys(Key.HOME);
    await waitFor(driver, 'nothing is taken', async () => (await figure('left')) === `${all} points`);
    expect(await figure('greatest')).toBe('nothing');
    await waitFor(
      driver,
      'nothing is proposed',
      async () => !(await hands.isThere('[aria-label="Proposal"]')),
    );
    for (let i = 0; i < 20; i++) await slider.sendKeys(Key.ARROW_RIGHT);
    await waitFor(driver, 'twenty are taken', async () => (await figure('left')) === `${all - 20} points`);
    await waitFor(driver, 'they are proposed', async () =>
      (await (await find(driver, '[aria-label="Proposal"]')).getText()).includes('20 points'),
    );
    await slider.sendKeys(Key.END);
    await waitFor(driver, 'all are taken', async () => (await figure('left')) === '0 points');
  });

  test('kept, every point is within the limit, in one step that is undone', async () => {
    await click('Keep');
    await allSaved();
    await waitFor(driver, 'the limit is met', () => isMet('influences'));
    expect(await overLimit()).toBe(0);
    await hands.press(Key.chord(Key.CONTROL, 'z'));
    await waitFor(driver, 'it is undone', async () => (await overLimit()) > 100);
    await hands.press(Key.chord(Key.CONTROL, Key.SHIFT, 'z'));
    await waitFor(driver, 'it is done again', async () => (await overLimit()) === 0);
    await allSaved();
  });

  test('a phone takes weights of 8 bits: the file is rounded, the character is not', async () => {
    await hands.choose('Limits of', 'Phone');
    await waitFor(driver, 'the line is there', () =>
      hands.isThere('[data-limit="weights"][data-met="false"]'),
    );
    await click('Measure what it costs');
    expect(parseFloat(await figure('rounding'))).toBeGreaterThan(0);
    await click('Round weights to 8 bits');
    await waitFor(driver, 'it is met', () => isMet('weights'));
    expect(
      (await storedWeights())[0].values.some((x) => Math.abs(x * 255 - Math.round(x * 255)) > 0.01),
    ).toBe(true);
  });
});

describe('leaving', () => {
  test('after a reload it is still held against the phone', async () => {
    await driver.navigate().refresh();
    await find(driver, 'canvas[data-frames]');
    await goTo('Deliver');
    const chosen = await find(driver, 'input[aria-label="Limits of"]');
    await waitFor(
      driver,
      'the phone is chosen',
      async () => (await chosen.getAttribute('value')) === 'Phone',
    );
    await waitFor(driver, 'it is met', () => isMet('weights'));
  });

  test('what is delivered meets the profile, and validates', async () => {
    await pick('Page of Deliver', 'Export');
    await click('Deliver', '//section[.//h2="Export"]');
    const file = await downloaded(browser, '.glb');
    const bytes = new Uint8Array(readFileSync(file));
    rmSync(file);
    const { issues } = (await validateBytes(bytes)) as { issues: { numErrors: number; numWarnings: number } };
    expect(issues).toMatchObject({ numErrors: 0, numWarnings: 0 });
    const { rows } = await readCharacter(openCharacterFile(bytes));
    expect(Math.max(...rows[0].values.map((x) => Math.abs(x * 255 - Math.round(x * 255))))).toBeLessThan(
      1e-3,
    );
    await pick('Page of Deliver', 'Delivered');
    const line = await find(driver, '[aria-label="Deliveries"] [role="listitem"]');
    expect(await line.getText()).toMatch(
      /weights in 8 bits, rounding costs [\d.]+ mm[^]*Met “Phone”\.[^]*Nothing has changed since/,
    );
    await click('Fetch again');
    const again = await downloaded(browser, '.glb');
    expect(new Uint8Array(readFileSync(again))).toEqual(bytes);
    rmSync(again);
  });

  test('what was done since is told and shown, and the delivery stays as it was', async () => {
    await driver.findElement(By.css('[aria-label^="Lock "]')).click();
    await allSaved();
    await waitFor(driver, 'a step is counted', async () =>
      (await (await find(driver, '[aria-label="Deliveries"]')).getText()).includes('1 step since'),
    );
    await click('What changed');
    await waitFor(driver, 'Trial is open', async () => (await driver.getCurrentUrl()).endsWith('/trial'));
  });

  test('the report is made, and is a page of its own', async () => {
    await goTo('Deliver');
    await pick('Page of Deliver', 'Delivered');
    await click('Make the report');
    const link = await driver.wait(
      () => driver.findElements(By.linkText('Open the report')).then((found) => found.at(0)),
      60_000,
    );
    const page = await driver.executeAsyncScript<string>(
      'const done = arguments[1]; fetch(arguments[0]).then((answer) => answer.text()).then(done)',
      await link?.getAttribute('href'),
    );
    expect(page).toContain('<h1>zipped</h1>');
    expect(page).not.toMatch(/<script/);
  });
});
