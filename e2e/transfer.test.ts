import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from '@jest/globals';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { weightOf, type WeightRows } from '@judoka/core/weights';
import { JOINT_NAMES, makeFerryKeeper, makePorter } from '@judoka/demo';
import { Key } from 'selenium-webdriver';
import { find, openBrowser, stopAtOnce, textOf, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

// A better shoulder lies in another file, on a mesh with other points.

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const hands = handsOn(server, driver);
const { allSaved, storedWeights, goTo, click, pick, openKeeper, lastEdit, isThere } = hands;

afterAll(async () => {
  await browser.close();
  await server.close();
});

const FILE = 'input[aria-label="File with weights"]';
const other = join(browser.downloads, '..', 'finer.glb');
const bare = join(browser.downloads, '..', 'bare.glb');

async function drop(file: string): Promise<void> {
  await (await find(driver, FILE)).sendKeys(file);
}

/** Half the summed difference of two rows. */
function distance(a: WeightRows, b: WeightRows, p: number): number {
  let sum = 0;
  for (let joint = 0; joint < JOINT_NAMES.length; joint++)
    sum += Math.abs(weightOf(a, p, joint) - weightOf(b, p, joint));
  return sum / 2;
}

describe('weights from a dropped file', () => {
  test('what cannot be taken is refused in a sentence, and nothing is proposed', async () => {
    writeFileSync(other, await makeFerryKeeper({ size: 'large', faults: false }));
    writeFileSync(bare, 'this is a text');
    await openKeeper('The ferry-keeper');
    await goTo('Bind');
    await pick('Page of Bind', 'Another');
    await drop(bare);
    await waitFor(driver, 'it is refused', async () =>
      /glTF|\.glb|file/i.test(await textOf(driver, '[role="alert"]')),
    );
    expect(await isThere('[aria-label="Proposal"]')).toBe(false);
  });

  test('the source is read, matched and shown over the character', async () => {
    await drop(other);
    await waitFor(driver, 'its joints are listed', () => isThere('.transfer-joints li'));
    expect(await textOf(driver, '[aria-label="How it lies"] .card-line')).toBe(
      'It stands just as this character does.',
    );
    expect(await textOf(driver, '[aria-label="Joints"] .card-line')).toMatch(/all surely matched/);
    expect(await textOf(driver, '.stage-note')).toMatch(/source lies over the character/);
  });

  test('one that is stopped half way leaves nothing behind, and can be begun anew', async () => {
    const before = await storedWeights();
    await stopAtOnce(driver, 'Take its weights');
    await waitFor(driver, 'it is stopped', async () => !(await isThere('.transfer-busy')));
    expect(await isThere('[aria-label="Proposal"]')).toBe(false);
    expect(await storedWeights()).toEqual(before);
    await waitFor(driver, 'its joints are listed again', () => isThere('.transfer-joints li'));
  });

  test('its weights are proposed, told, followed while a gate is changed, and kept as one edit that can be undone', async () => {
    const before = await storedWeights();
    await click('Take its weights');
    await find(driver, '[aria-label="Proposal"]');
    const filled = async (): Promise<number> =>
      Number(await (await find(driver, '[data-filled]')).getAttribute('data-filled'));
    await waitFor(driver, 'it is told', async () => (await filled()) >= 0);
    await waitFor(driver, 'it is done', async () => !(await isThere('.transfer-busy')));
    const few = await filled();
    const field = await find(driver, '[aria-label="What is taken"] input');
    await field.sendKeys(Key.chord(Key.CONTROL, 'a'), '0.02', Key.ENTER);
    await waitFor(driver, 'more is filled within a smaller distance', async () => (await filled()) > few);
    await field.sendKeys(Key.chord(Key.CONTROL, 'a'), '5', Key.ENTER);
    await waitFor(driver, 'it is as before', async () => (await filled()) === few);
    expect(await storedWeights()).toEqual(before);
    await click('Keep');
    await allSaved();
    expect((await lastEdit()).label).toBe('Weights from finer.glb');
    const clean = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: false })));
    const now = await storedWeights();
    let [sum, count] = [0, 0];
    for (let p = 0; p < now[0].pointCount; p++, count++) sum += distance(now[0], clean.rows[0], p);
    expect(sum / count).toBeLessThan(0.02);
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform();
    await waitFor(driver, 'it is undone', async () =>
      Buffer.from((await storedWeights())[0].values.buffer).equals(Buffer.from(before[0].values.buffer)),
    );
  });

  test('joints that only the source has go to what they hang on, or are added; the table can be corrected', async () => {
    const seal = join(browser.downloads, '..', 'seal.glb');
    writeFileSync(seal, await makePorter({ faults: false }));
    await drop(seal);
    await waitFor(driver, 'the seal is matched', async () =>
      (await textOf(driver, '.transfer-parts legend')).startsWith('seal.glb'),
    );
    const missing = async (): Promise<number> =>
      Number(await (await find(driver, '[data-missing]')).getAttribute('data-missing'));
    const before = await waitFor(driver, 'some are missing', missing);
    const first = await textOf(driver, '.transfer-joints li:first-child .transfer-name');
    await (await find(driver, `input[aria-label="Where ${first} goes"]`)).click();
    await driver.switchTo().activeElement().sendKeys(Key.chord(Key.CONTROL, 'a'), 'chest', Key.ENTER);
    await waitFor(driver, 'one less is missing', async () => (await missing()) === before - 1);
    if (before > 1) {
      await driver.executeScript(
        `document.querySelector('[data-action="Add the source’s joints that are missing"]').click()`,
      );
      await allSaved();
      await waitFor(driver, 'none is missing', async () => (await missing()) === 0);
    }
  });
});
