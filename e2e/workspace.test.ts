import {
  existsSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  truncateSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from '@jest/globals';
import { openGlb, readCharacter, writeGlb } from '@judoka/core/formats';
import { weightOf, type WeightRows } from '@judoka/core/weights';
import { JOINT_NAMES, makeFerryKeeper } from '@judoka/demo';
import { validateBytes } from 'gltf-validator';
import { By, Key } from 'selenium-webdriver';
import { find, openBrowser, textOf, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const hands = handsOn(server, driver);
const { saveState, allSaved, characterId, storedWeights, lastEdit, editCount, storedValues } = hands;
const { goTo, pick, click, choose, press, chooseJoint, findSpot, drag, strokeWith } = hands;
const folder = mkdtempSync(join(tmpdir(), 'judoka-e2e-'));
const NECK = JOINT_NAMES.indexOf('neck_3');

afterAll(async () => {
  await browser.close();
  await server.close();
  rmSync(folder, { recursive: true, force: true });
});

const total = (rows: WeightRows, points: Uint32Array): number =>
  points.reduce((sum, point) => sum + weightOf(rows, point, NECK), 0);

describe('the shelf', () => {
  test('has the demo characters, with pictures and what is wrong', async () => {
    await driver.get(await server.entry());
    await find(driver, '[aria-label="The ferry-keeper"]');
    const text = await textOf(driver, '[aria-label="The ferry-keeper"]');
    expect(text).toMatch(/8 parts · [\d,]+ points · 60 joints/);
    expect(text).toMatch(/points have no weight/);
    const wide = await waitFor(driver, 'the picture is there', () =>
      driver.executeScript<number>('return document.querySelector(".card img").naturalWidth'),
    );
    expect(wide).toBe(480);
  });

  test('a file that cannot be used is refused with place and reason', async () => {
    const bad = join(folder, 'renamed.glb');
    writeFileSync(bad, 'this is a text');
    const cut = join(folder, 'cut.glb');
    writeFileSync(cut, (await makeFerryKeeper({ size: 'small', faults: true })).subarray(0, 60_000));
    const input = await find(driver, 'input[type=file]');
    await input.sendKeys(bad);
    await waitFor(driver, 'it is refused', async () =>
      /“renamed.glb” was not taken.*none of the files/s.test(await textOf(driver, '[role=alert]')),
    );
    await input.sendKeys(cut);
    await waitFor(driver, 'it is refused', async () =>
      /“cut.glb” was not taken.*breaks off/s.test(await textOf(driver, '[role=alert]')),
    );
  });

  test('300 MB are refused before they are sent', async () => {
    const huge = join(folder, 'huge.glb');
    writeFileSync(huge, '');
    truncateSync(huge, 300 * 1024 * 1024);
    await (await find(driver, 'input[type=file]')).sendKeys(huge);
    await waitFor(driver, 'it is refused', async () =>
      (await textOf(driver, '[role=alert]')).includes('It has 300 MB; at most 256 MB'),
    );
  });

  test('a mesh without a skin opens, and says where its joints come from', async () => {
    const container = openGlb(await makeFerryKeeper({ size: 'small', faults: false }));
    const json = JSON.parse(JSON.stringify(container.json)) as typeof container.json;
    delete json.skins;
    json.animations = [];
    for (const node of json.nodes ?? []) delete node.skin;
    for (const { primitives } of json.meshes ?? []) {
      for (const { attributes } of primitives) {
        delete attributes.JOINTS_0;
        delete attributes.WEIGHTS_0;
      }
    }
    const bare = join(folder, 'bare.glb');
    writeFileSync(bare, writeGlb({ ...container, json }));
    await (await find(driver, 'input[type=file]')).sendKeys(bare);
    await find(driver, 'canvas[data-frames]');
    expect(await textOf(driver, '[data-code="no-joints"]')).toMatch(/Bind/);
  });

  test('a .glb is taken in and opens', async () => {
    const file = join(folder, 'A visitor.glb');
    writeFileSync(file, await makeFerryKeeper({ size: 'small', faults: false }));
    await driver.get(await server.entry());
    await (await find(driver, 'input[type=file]')).sendKeys(file);
    await find(driver, 'canvas[data-frames]');
    expect(await textOf(driver, '.top-name')).toBe('A visitor');
    expect(await driver.getCurrentUrl()).toMatch(/check-in$/);
    await goTo('Paint');
    const rows = await storedWeights();
    expect(rows).toHaveLength(8);
  });
});

describe('the workspace', () => {
  test('a joint is chosen, and bent by a picture of the strip; the pose is kept over a reload', async () => {
    await chooseJoint('neck_3');
    await choose('What the strip shows', 'even turns');
    const picture = await find(driver, '.strip-cell:nth-of-type(4)');
    expect(await picture.getText()).toMatch(/^35°$/m);
    await picture.click();
    const field = (): Promise<string | null> =>
      find(driver, '[aria-label="Turn about x"]').then((input) => input.getAttribute('value'));
    await waitFor(driver, 'the stage has taken the pose', async () => (await field()) === '35°');
    await waitFor(driver, 'the pose is stored', async () => {
      const pose = await storedValues<{ rotation: number[] }>('pose/');
      return Math.abs((pose[NECK]?.rotation[0] ?? 0) - Math.sin((35 * Math.PI) / 360)) < 1e-4;
    });
    await driver.navigate().refresh();
    await find(driver, 'canvas[data-frames]');
    await chooseJoint('neck_3');
    expect(await field()).toBe('35°');
  });

  test('typed angles turn the joint; rest brings it back', async () => {
    const input = await find(driver, '[aria-label="Turn about y"]');
    await input.sendKeys(Key.chord(Key.CONTROL, 'a'), '20', Key.TAB);
    const stored = async (): Promise<number> =>
      (await storedValues<{ rotation: number[] }>('pose/'))[NECK]?.rotation[1] ?? 0;
    await waitFor(driver, 'the turn is stored', async () => (await stored()) > 0.1);
    await driver.findElement(By.xpath('//button[contains(., "Rest all")]')).click();
    await waitFor(driver, 'rest is stored', async () => (await stored()) === 0);
  });

  test('a click on its bone chooses a joint, and a ring turns it', async () => {
    await chooseJoint('neck_3');
    await press('1');
    const centre = await hands.lookAtJoint();
    await chooseJoint('root');
    await driver
      .actions({ async: true })
      .move({ ...centre, duration: 0 })
      .click()
      .perform();
    await waitFor(driver, 'the joint in the middle is chosen', async () =>
      (await find(driver, '[data-joint="neck_3"]'))
        .getAttribute('aria-selected')
        .then((chosen) => chosen === 'true'),
    );
    const angles = (): Promise<string> =>
      driver.executeScript(
        'return [...document.querySelectorAll("[aria-label^=Turn]")].map((field) => field.value).join()',
      );
    const before = await angles();
    for (let k = 0; k < 40 && (await angles()) === before; k++) {
      const [angle, reach] = [(k * Math.PI) / 5, 62 - 6 * Math.floor(k / 10)];
      const from = {
        x: Math.round(centre.x + Math.cos(angle) * reach),
        y: Math.round(centre.y + Math.sin(angle) * reach),
      };
      const to = {
        x: from.x - Math.round(Math.sin(angle) * 25),
        y: from.y + Math.round(Math.cos(angle) * 25),
        duration: 60,
      };
      await driver
        .actions({ async: true })
        .move({ ...from, duration: 0 })
        .press()
        .move(to)
        .release()
        .perform();
    }
    expect(await angles()).not.toBe(before);
    await driver.findElement(By.xpath('//button[contains(., "Rest this joint")]')).click();
    await waitFor(driver, 'it is back at rest', async () => (await angles()) === '0°,0°,0°');
  });

  test('parts are hidden, shown alone and shown again', async () => {
    const pressed = (): Promise<string[]> =>
      driver.executeScript(
        'return [...document.querySelectorAll(".chip[aria-pressed=true]")].map((chip) => chip.textContent)',
      );
    const cape = await driver.findElement(By.xpath('//button[. = "cape"]'));
    await cape.click();
    expect(await pressed()).not.toContain('cape');
    await driver.actions().keyDown(Key.SHIFT).click(cape).keyUp(Key.SHIFT).perform();
    expect(await pressed()).toEqual(['cape']);
    await driver.actions().keyDown(Key.SHIFT).click(cape).keyUp(Key.SHIFT).perform();
    expect(await pressed()).toHaveLength(8);
  });

  test('Add, Take away, Set to and Smooth change the stored weights on the bent surface, and stay normalized', async () => {
    await (await find(driver, '.strip-cell:nth-of-type(4)')).click();
    await press('2');
    const spot = await findSpot(({ weight }) => weight > 0.2 && weight < 0.75);

    let before = await storedWeights();
    let points = await strokeWith('2', 'Add', spot);
    let after = await storedWeights();
    expect(total(after[0], points)).toBeGreaterThan(total(before[0], points) + 0.05);

    before = after;
    points = await strokeWith('3', 'Take away', spot);
    after = await storedWeights();
    expect(total(after[0], points)).toBeLessThan(total(before[0], points) - 0.05);

    before = after;
    points = await strokeWith('4', 'Set to', spot);
    after = await storedWeights();
    expect(weightOf(after[0], points[0], NECK)).not.toBe(weightOf(before[0], points[0], NECK));
    expect(total(after[0], points)).toBeGreaterThan(total(before[0], points));

    before = after;
    points = await strokeWith('5', 'Smooth', spot);
    after = await storedWeights();
    expect(points.some((p) => weightOf(after[0], p, NECK) !== weightOf(before[0], p, NECK))).toBe(true);

    for (const rows of after) {
      for (let p = 0; p < rows.pointCount; p++) {
        let sum = 0;
        for (let k = 0; k < rows.stride; k++) sum += rows.values[p * rows.stride + k];
        expect(sum === 0 || Math.abs(sum - 1) < 1e-6).toBe(true);
      }
    }
  });

  test('undo and redo reach back over a reload, by name', async () => {
    const painted = await storedWeights();
    await driver.navigate().refresh();
    await find(driver, 'canvas[data-frames]');
    expect(await textOf(driver, 'header')).toContain('Undo “Smooth, neck_3”');
    for (let i = 0; i < 4; i++) await press(Key.chord(Key.CONTROL, 'z'));
    await waitFor(
      driver,
      'all four are undone',
      async () => !/Undo “(Smooth|Set to|Take away|Add), neck_3/.test(await textOf(driver, 'header')),
    );
    await allSaved();
    const bare = await storedWeights();
    const own = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: false })));
    expect(bare.map(({ values }) => values)).toEqual(own.rows.map(({ values }) => values));
    for (let i = 0; i < 4; i++) await press(Key.chord(Key.CONTROL, Key.SHIFT, 'z'));
    await waitFor(driver, 'all four are redone', async () =>
      (await textOf(driver, 'header')).includes('Undo “Smooth, neck_3”'),
    );
    await allSaved();
    expect(await storedWeights()).toEqual(painted);
  });

  test('a locked joint is left alone, with a sentence', async () => {
    await chooseJoint('neck_3');
    await (await find(driver, '[aria-label="Lock neck_3"]')).click();
    const before = await editCount();
    await press('2');
    await drag(await findSpot(({ weight }) => weight > 0.3));
    await waitFor(driver, 'it is told', async () =>
      (await textOf(driver, 'body')).includes('This joint is locked'),
    );
    expect(await editCount()).toBe(before);
    await (await find(driver, '[aria-label="Lock neck_3"]')).click();
  });

  test('the server is killed between strokes: nothing is lost, and it goes on when it is back', async () => {
    await press('2');
    const spot = await findSpot(({ weight }) => weight > 0.2 && weight < 0.8);
    await drag(spot);
    await allSaved();
    const before = await editCount();
    await server.kill();
    await drag(spot);
    await waitFor(
      driver,
      'the page says so',
      async () => (await saveState()) === 'Offline: 1 edit kept here',
    );
    await drag({ ...spot, x: spot.x - 3 });
    await waitFor(driver, 'both are kept', async () => (await saveState()) === 'Offline: 2 edits kept here');
    expect(await editCount()).toBe(before);
    await server.start();
    await allSaved();
    expect(await editCount()).toBe(before + 2);
  });

  test('the tab dies with unsent strokes: they are sent when the character is opened again', async () => {
    await press('2');
    const spot = await findSpot(({ weight }) => weight > 0.1 && weight < 0.9);
    await allSaved();
    const address = await driver.getCurrentUrl();
    const before = await editCount();
    await server.kill();
    await drag(spot);
    await waitFor(driver, 'it is kept', async () => (await saveState()) === 'Offline: 1 edit kept here');
    const id = await characterId();
    await driver.get('about:blank');
    await server.start();
    expect(await editCount(id)).toBe(before);
    await driver.get(address);
    await waitFor(driver, 'the stroke has arrived', async () => (await editCount()) === before + 1);
    await allSaved();
    expect((await lastEdit()).label).toBe('Add, neck_3');
  });

  test('leaving the workspace with unsent strokes and coming back in the same tab sends them', async () => {
    await chooseJoint('neck_3');
    await press('2');
    const spot = await findSpot(({ weight }) => weight > 0.1 && weight < 0.9);
    await allSaved();
    const before = await editCount();
    await server.kill();
    await drag(spot);
    await waitFor(driver, 'it is kept', async () => (await saveState()) === 'Offline: 1 edit kept here');
    await (await find(driver, '.top-name')).click();
    await find(driver, '[role=alert]');
    await server.start();
    await driver.findElement(By.xpath('//button[. = "Try again"]')).click();
    await (await find(driver, '[aria-label="A visitor"] .card-name')).click();
    await find(driver, 'canvas[data-frames]');
    await waitFor(driver, 'the stroke has arrived', async () => (await editCount()) === before + 1);
    await allSaved();
  });

  test('two tabs on one character: the second is told, and both strokes are there', async () => {
    const address = await driver.getCurrentUrl();
    const first = await driver.getWindowHandle();
    await chooseJoint('neck_3');
    await press('3');
    const here = await findSpot(({ weight }) => weight > 0.1 && weight < 0.9);
    await driver.switchTo().newWindow('tab');
    const second = await driver.getWindowHandle();
    await driver.get(address);
    await find(driver, 'canvas[data-frames]');
    await chooseJoint('neck_3');
    const before = await editCount();
    await press('2');
    const spot = await findSpot(({ weight }) => weight > 0.1 && weight < 0.9);
    await drag(spot);
    await allSaved();
    await driver.switchTo().window(first);
    await waitFor(driver, 'it is told', async () =>
      (await textOf(driver, 'body')).includes('in another tab or by someone else'),
    );
    await drag(here);
    await allSaved();
    await waitFor(driver, 'both are stored', async () => (await editCount()) === before + 2);
    expect((await lastEdit()).label).toBe('Take away, neck_3');
    await driver.switchTo().window(second);
    await driver.close();
    await driver.switchTo().window(first);
    // Two characters are opened and looked over at once.
  }, 120_000);

  test('export gives the source with the stored weights, and it validates', async () => {
    await driver.get((await driver.getCurrentUrl()).replace(/paint$/, 'deliver'));
    await find(driver, '[aria-label="Page of Deliver"]');
    await pick('Page of Deliver', 'Export');
    const stored = await storedWeights();
    await click('Deliver', '//section[.//h2="Export"]');
    const file = join(browser.downloads, 'A visitor.glb');
    await waitFor(driver, 'the file is there', () =>
      Promise.resolve(
        existsSync(file) && !readdirSync(browser.downloads).some((n) => n.endsWith('.crdownload')),
      ),
    );
    const bytes = new Uint8Array(readFileSync(file));
    const { issues } = (await validateBytes(bytes)) as { issues: { numErrors: number; numWarnings: number } };
    expect(issues.numErrors).toBe(0);
    const back = await readCharacter(openGlb(bytes));
    stored.forEach((rows, part) => {
      for (let p = 0; p < rows.pointCount; p++) {
        for (let j = 0; j < JOINT_NAMES.length; j++) {
          if (Math.abs(weightOf(back.rows[part], p, j) - weightOf(rows, p, j)) > 1e-6) {
            throw new Error(`point ${p} of part ${part} differs at joint ${j}`);
          }
        }
      }
    });
  });
});
