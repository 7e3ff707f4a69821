import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from '@jest/globals';
import { openGlb, readCharacter } from '@judoka/core/formats';
import type { LayerOutlines } from '@judoka/core/drawing';
import { influenceCount, influencesOf, rowsEqual, weightOf, type WeightRows } from '@judoka/core/weights';
import { LAMPLIGHTER_JOINTS as JOINTS, makeLamplighterDrawing } from '@judoka/demo';
import { encode } from 'fast-png';
import { unzipSync } from 'fflate';
import { validateBytes } from 'gltf-validator';
import { By, Key, until } from 'selenium-webdriver';
import { downloaded, find, openBrowser, textOf, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

// A drawing in layers comes in, gets joints by clicks, is bound, bent, and goes out as a drawing again.

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver, downloads } = browser;
const hands = handsOn(server, driver);
const { goTo, pick, click, allSaved, storedDocument, storedWeights, openKeeper, chooseJoint, editCount } =
  hands;

afterAll(async () => {
  await browser.close();
  await server.close();
});

/** Where a place of the page is on the screen: the pole and the hat say how the drawing lies. */
async function onScreen(): Promise<(x: number, y: number) => { x: number; y: number }> {
  const canvas = await find(driver, 'canvas');
  const { x, y } = await canvas.getRect();
  const at = async (): Promise<number[]> =>
    ((await canvas.getAttribute('data-handles')) ?? '').split(',').map(Number);
  await chooseJoint('ankle_front');
  const isPlaced = (now: readonly number[]): boolean => now.length > 1 && now.every(Number.isFinite);
  await waitFor(driver, 'its handles are placed', async () => isPlaced(await at()));
  const [lowX, lowY] = await at();
  await chooseJoint('lantern');
  await waitFor(driver, 'the handles have moved', async () => {
    const now = await at();
    return isPlaced(now) && now[1] !== lowY;
  });
  const [highX, highY] = await at();
  const scale = (highX - lowX) / (470 - 262);
  expect((lowY - highY) / (818 - 128)).toBeCloseTo(scale, 1);
  return (px, py) => ({
    x: Math.round(x + lowX + (px - 262) * scale),
    y: Math.round(y + lowY + (py - 818) * scale),
  });
}

async function clickAt({ x, y }: { x: number; y: number }): Promise<void> {
  await driver.actions({ async: true }).move({ x, y, duration: 0 }).press().release().perform();
}

let place: Awaited<ReturnType<typeof onScreen>>;

describe('the lamplighter', () => {
  test('has a handle away from its anchor, which one click repairs', async () => {
    await openKeeper('The lamplighter');
    place = await onScreen();
    await goTo('Check-in');
    const finding = '//*[@role="listitem"][contains(., "Handles away from their anchors")]';
    await driver.wait(async () => (await driver.findElements(By.xpath(finding))).length > 0, 30_000);
    const before = await editCount();
    await click('Repair', finding);
    await waitFor(driver, 'it is repaired', async () => (await editCount()) === before + 1);
    await waitFor(
      driver,
      'it is no longer told',
      async () => (await driver.findElements(By.xpath(finding))).length === 0,
    );
  });

  test('its torn knee is mended by a stroke on the layer that lies in front there', async () => {
    await goTo('Paint');
    await chooseJoint('knee_front');
    const before = await storedWeights();
    const layer = 8;
    await hands.press('2');
    for (let n = 0; n < 8; n++) await hands.press('=');
    const { x, y } = place(JOINTS.knee_front.x - 14, JOINTS.knee_front.y + 6);
    await hands.drag({ x, y }, 4, 10);
    await allSaved();
    expect((await hands.lastEdit()).label).toBe('Add, knee_front');
    const now = await storedWeights();
    const knee = 15;
    const gained = (part: number): number => {
      let sum = 0;
      for (let p = 0; p < now[part].pointCount; p++)
        sum += weightOf(now[part], p, knee) - weightOf(before[part], p, knee);
      return sum;
    };
    expect(gained(layer)).toBeGreaterThan(0.3);
    expect(now.map((_, part) => gained(part)).filter((gain) => gain !== 0)).toHaveLength(1);
    await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform();
    await waitFor(driver, 'it is undone', async () =>
      Buffer.from((await storedWeights())[layer].values.buffer).equals(
        Buffer.from(before[layer].values.buffer),
      ),
    );
  });

  test('a hand that hides behind the coat is painted while the layers are pulled apart', async () => {
    await chooseJoint('wrist_front');
    await (await find(driver, '[role="slider"][aria-label="Layers apart"]')).sendKeys(Key.END);
    await hands.press('2');
    const before = await storedWeights();
    const hand = 7;
    // So far each layer goes to its side: two and a half pages for all of them.
    const aside = (hand / 17 - 0.5) * 2.5 * 600;
    const { x, y } = place(JOINTS.wrist_front.x + 2 + aside, JOINTS.wrist_front.y + 10);
    await hands.drag({ x, y }, 3, 8);
    await allSaved();
    const now = await storedWeights();
    now.forEach((rows, part) => {
      const isSame = Buffer.from(rows.values.buffer).equals(Buffer.from(before[part].values.buffer));
      expect(isSame).toBe(part !== hand);
    });
    await (await find(driver, '[role="slider"][aria-label="Layers apart"]')).sendKeys(Key.HOME);
  });

  test('a leg turns in the page, and the pose goes out as a drawing', async () => {
    await goTo('Paint');
    await chooseJoint('knee_front');
    const cells = await driver.findElements(By.css('.strip button, .strip-cell'));
    await cells[cells.length - 1].click();
    await allSaved();
    await goTo('Deliver');
    await pick('Page of Deliver', 'Export');
    await click('Save the pose as .svg');
    const file = await downloaded(browser, '.svg');
    const text = readFileSync(file, 'utf8');
    rmSync(file);
    const layer = (drawing: string, name: string): string =>
      new RegExp(`aria-label="${name}">([^]*?)</g>`).exec(drawing)?.[1] ?? '';
    const came = makeLamplighterDrawing(true);
    expect(text.match(/<g /g)).toHaveLength(18);
    // What hangs on the knee has moved, the rest has not.
    const numbers = (drawing: string): number[] => (drawing.match(/-?\d+(\.\d+)?/g) ?? []).map(Number);
    const [hat, boot] = ['hat band', 'boot front'].map((name) => [
      numbers(/d="([^"]*)"/.exec(layer(text, name))?.[1] ?? ''),
      numbers(/d="([^"]*)"/.exec(layer(came, name))?.[1] ?? ''),
    ]);
    expect(hat[0].slice(0, 8).every((value, k) => Math.abs(value - hat[1][k]) < 0.01)).toBe(true);
    expect(Math.abs(boot[0][0] - boot[1][0]) + Math.abs(boot[0][1] - boot[1][1])).toBeGreaterThan(100);
  });

  test('a clip goes out as numbered drawings, the .glb as filled meshes that validate', async () => {
    await goTo('Trial');
    await pick('Page of Trial', 'Clips');
    await click('walk');
    await find(driver, '[aria-label="Timeline"]');
    await goTo('Deliver');
    await pick('Page of Deliver', 'Export');
    await click('Save the clip as numbered .svg');
    const file = await downloaded(browser, '.zip');
    const frames = unzipSync(new Uint8Array(readFileSync(file)));
    const names = Object.keys(frames).sort();
    expect(names).toHaveLength(37);
    expect(names[0]).toBe('0001.svg');
    // The boot comes back to where it began.
    const [first, middle, last] = [0, 9, 36].map((k) => {
      const text = Buffer.from(frames[names[k]]).toString();
      return (/aria-label="boot front">[^]*?d="M([^C]*)/.exec(text)?.[1] ?? '').split(' ').map(Number);
    });
    expect(Math.hypot(middle[0] - first[0], middle[1] - first[1])).toBeGreaterThan(20);
    expect(Math.hypot(last[0] - first[0], last[1] - first[1])).toBeLessThan(0.1);
    const bytes = await hands.exportedBytes('as=meshes');
    const { issues } = (await validateBytes(bytes)) as { issues: { numErrors: number; numWarnings: number } };
    expect(issues).toMatchObject({ numErrors: 0, numWarnings: 0 });
    const { parts, clips, drawing } = await readCharacter(openGlb(bytes));
    expect(parts.length).toBeGreaterThan(18);
    expect(clips.map(({ name }) => name)).toEqual(['walk']);
    expect(drawing).toBeUndefined();
  });
});

describe('outlines', () => {
  const arm = 17;
  const pointCount = async (): Promise<number> => (await storedWeights())[arm].pointCount;
  const undo = (): Promise<void> =>
    driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform();
  /** The stage is laid out anew once the points are saved. */
  const laidOut = async (points: number): Promise<void> => {
    await waitFor(driver, 'the points are kept', async () => (await pointCount()) === points);
    await waitFor(driver, 'the stage knows them', async () =>
      driver.executeScript<boolean>(
        `return document.querySelector('canvas[data-frames]')?.dataset.points === arguments[0]`,
        String((await storedWeights()).reduce((sum, rows) => sum + rows.pointCount, 0)),
      ),
    );
  };
  let came = 0;

  test('get points at an elbow on both sides, with weights; they are painted, undone, and done again', async () => {
    await goTo('Bind');
    await pick('Page of Bind', 'Outlines');
    await chooseJoint('elbow_front');
    came = await pointCount();
    await click('Add at elbow_front');
    await laidOut(came + 18);
    const before = await storedWeights();
    for (let p = came; p < came + 18; p++) expect(influenceCount(before[arm], p)).toBeGreaterThan(0);
    await goTo('Paint');
    await hands.press('2');
    const { x, y } = place(JOINTS.elbow_front.x + 14, JOINTS.elbow_front.y);
    await hands.drag({ x, y }, 4, 10);
    await allSaved();
    const painted = await storedWeights();
    const changed = Array.from({ length: 18 }, (_, k) => came + k).filter(
      (p) => !rowsEqual(painted[arm], p, before[arm], p),
    );
    expect(changed.length).toBeGreaterThan(0);
    await undo();
    await waitFor(
      driver,
      'the stroke is undone',
      async () => rowsOfAll(await storedWeights()) === rowsOfAll(before),
    );
    await undo();
    await laidOut(came);
    await driver
      .actions()
      .keyDown(Key.CONTROL)
      .keyDown(Key.SHIFT)
      .sendKeys('z')
      .keyUp(Key.SHIFT)
      .keyUp(Key.CONTROL)
      .perform();
    await laidOut(came + 18);
    expect(rowsOfAll(await storedWeights())).toBe(rowsOfAll(before));
  });

  test('go out with what was added, as points and as meshes', async () => {
    for (const query of ['', 'as=meshes']) {
      const bytes = await hands.exportedBytes(query);
      const { issues } = (await validateBytes(bytes)) as { issues: { numErrors: number } };
      expect(issues.numErrors).toBe(0);
      const { parts, drawing, rows } = await readCharacter(openGlb(bytes));
      expect(drawing === undefined).toBe(query !== '');
      if (drawing) {
        expect(parts[arm].pointCount).toBe(came + 18);
        expect(rowsOfAll(rows.slice(arm, arm + 1)).length).toBeGreaterThan(100);
      }
    }
  });

  test('get a point by a click, are dragged into shape, and lose a point with Shift', async () => {
    await goTo('Bind');
    await pick('Page of Bind', 'Outlines');
    await click('Shape outlines');
    const pole = 1;
    const poleCount = async (): Promise<number> => (await storedWeights())[pole].pointCount;
    // The left edge of the pole, between lantern and hand.
    const edge = place(458, 220);
    const labelAfter = async (work: () => Promise<void>): Promise<string> => {
      const stage = await find(driver, '.stage');
      await work();
      // The stage is laid out anew once the edit is saved; its canvas is kept.
      await driver.wait(until.stalenessOf(stage), 15_000);
      await find(driver, 'canvas[data-frames]');
      return (await storedDocument()).done[0].label;
    };
    const came = await poleCount();
    expect(await labelAfter(() => clickAt(edge))).toBe('Add a point to pole');
    const added = await poleCount();
    expect(added).toBeGreaterThan(came);
    const drag = async (): Promise<void> => {
      await driver
        .actions({ async: true })
        .move({ ...edge, duration: 0 })
        .press()
        .move({ x: edge.x + 12, y: edge.y, duration: 20 })
        .move({ x: edge.x + 24, y: edge.y, duration: 20 })
        .release()
        .perform();
    };
    expect(await labelAfter(drag)).toBe('Shape pole');
    const { values } = await storedDocument();
    const { places } = values[`parts/${pole}/outlines`] as unknown as LayerOutlines;
    expect(Object.keys(places).length).toBeGreaterThan(0);
    expect(await poleCount()).toBe(added);
    const takeOut = async (): Promise<void> => {
      await driver.actions().keyDown(Key.SHIFT).perform();
      await clickAt({ x: edge.x + 24, y: edge.y });
      await driver.actions().keyUp(Key.SHIFT).perform();
    };
    expect(await labelAfter(takeOut)).toBe('Take out 1 point');
  });
});

const rowsOfAll = (rows: readonly WeightRows[]): string =>
  rows
    .map(
      ({ values, joints }) => `${Buffer.from(values.slice().buffer).toString('base64')} ${joints.join(',')}`,
    )
    .join('|');

describe('the order of layers', () => {
  test('is another one while a joint is turned, on the stage and in what is saved', async () => {
    await goTo('Bind');
    await pick('Page of Bind', 'Outlines');
    await chooseJoint('shoulder_front');
    await pickStripCell(3);
    await find(driver, '[aria-label="Order of the layers"]');
    await driver
      .findElement(By.xpath('//section[@aria-label="Order of the layers"]//label[contains(., "Only while")]'))
      .click();
    await driver
      .findElement(By.xpath('//ol[contains(@class, "layer-order")]//button[. = "hand front"]'))
      .click();
    for (const other of ['leg front', 'boot front']) {
      await click('Nearer');
      await find(driver, `[aria-label="Forget: hand front over ${other}"]`);
    }
    await allSaved();
    const { values } = await storedDocument();
    const rules = Object.entries(values).filter(([path]) => path.startsWith('orderRules/'));
    expect(rules.map(([, rule]) => rule)).toMatchObject([{ layer: 7, isOver: true, other: 9 }]);
    const turned = await layersOfSavedPose();
    expect(turned.indexOf('hand front')).toBe(turned.indexOf('boot front') + 1);
    await goTo('Paint');
    await pickStripCell(2);
    const rest = await layersOfSavedPose();
    expect(rest.indexOf('hand front')).toBe(rest.indexOf('leg front') - 1);
  });
});

async function pickStripCell(n: number): Promise<void> {
  await waitFor(
    driver,
    'the strip is there',
    async () => (await driver.findElements(By.css('.strip button, .strip-cell'))).length > n,
  );
  await (await driver.findElements(By.css('.strip button, .strip-cell')))[n].click();
  await allSaved();
}

/** The names of the layers in the pose that is saved as a drawing, from back to front. */
async function layersOfSavedPose(): Promise<string[]> {
  await goTo('Deliver');
  await pick('Page of Deliver', 'Export');
  await click('Save the pose as .svg');
  const file = await downloaded(browser, '.svg');
  const names = [...readFileSync(file, 'utf8').matchAll(/<g aria-label="([^"]*)"/g)].map(([, name]) => name);
  rmSync(file);
  return names;
}

describe('a drawing that is dropped', () => {
  test('comes in with its layers as parts; what is no drawing is refused in a sentence', async () => {
    const bad = join(downloads, '..', 'bad.svg');
    writeFileSync(bad, '<svg xmlns="http://www.w3.org/2000/svg"><text>Hello</text></svg>');
    const good = join(downloads, '..', 'puppet.svg');
    writeFileSync(good, makeLamplighterDrawing());
    await driver.get(`${server.address}/`);
    await (await find(driver, '[aria-label="Character file"]')).sendKeys(bad);
    await waitFor(driver, 'it is refused', async () =>
      (await textOf(driver, '[role="alert"]')).includes('nothing to bend'),
    );
    await (await find(driver, '[aria-label="Character file"]')).sendKeys(good);
    await find(driver, 'canvas[data-frames]');
    const { rows } = await storedDocument();
    expect(rows).toHaveLength(18);
    expect(rows.every((own) => influenceCount(own, 0) === 0)).toBe(true);
  });

  test('gets joints by clicks anywhere on the page, and is bound layer by layer', async () => {
    await goTo('Bind');
    await pick('Page of Bind', 'Joints');
    await click('Add joints by clicking');
    for (const [x, y] of [
      [292, 500],
      [268, 600],
      [268, 676],
      [262, 818],
    ])
      await clickAt(place(x, y));
    await allSaved();
    const joints = await driver.executeScript<string[]>(
      `return [...document.querySelectorAll('[data-joint]')].map((each) => each.dataset.joint)`,
    );
    expect(joints).toHaveLength(4);
    await pick('Page of Bind', 'Binding');
    await click('Bind', '//section[.//h2="First binding"]');
    await click('Keep');
    await allSaved();
    const rows = await storedWeights();
    // The boot hangs on the last joint as a whole; the leg is shared softly.
    const held = (part: number): Set<number> =>
      new Set(
        Array.from({ length: rows[part].pointCount }, (_, p) =>
          influencesOf(rows[part], p).map(({ joint }) => joint),
        ).flat(),
      );
    const names: string[] = makeLamplighterDrawing().match(/aria-label="(?!lamplighter)[^"]*"/g) ?? [];
    const part = (name: string): number => names.indexOf(`aria-label="${name}"`);
    expect([...held(part('boot front'))]).toEqual([3]);
    expect(held(part('leg front')).size).toBeGreaterThan(1);
  });

  test('with pictures in its layers comes in by their outlines, and goes out with them', async () => {
    const file = join(downloads, '..', 'pictures.svg');
    const [width, height] = [80, 40];
    const data = new Uint8Array(width * height * 4);
    for (let p = 0; p < width * height; p++) {
      const isSeen = Math.hypot((p % width) - 40, Math.floor(p / width) - 20) < 18;
      data.set(isSeen ? [40, 90, 200, 255] : [0, 0, 0, 0], p * 4);
    }
    const png = Buffer.from(encode({ width, height, data, channels: 4 })).toString('base64');
    writeFileSync(
      file,
      `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 200 100"><g id="lamp"><image x="20" y="20" width="160" height="80" href="data:image/png;base64,${png}"/></g></svg>`,
    );
    await driver.get(`${server.address}/`);
    await (await find(driver, '[aria-label="Character file"]')).sendKeys(file);
    await find(driver, 'canvas[data-frames]');
    const { rows } = await storedDocument();
    expect(rows[0].pointCount).toBeGreaterThan(7);
    await goTo('Deliver');
    await pick('Page of Deliver', 'Export');
    await click('Save the pose as .svg');
    const saved = await downloaded(browser, '.svg');
    expect(readFileSync(saved, 'utf8')).toMatch(/<use href="#picture-1" transform="matrix\(2 0 0 2 20 20\)"/);
    rmSync(saved);
    const bytes = await hands.exportedBytes('as=meshes');
    expect(openGlb(bytes).json.images).toHaveLength(1);
    const { issues } = (await validateBytes(bytes)) as { issues: { numErrors: number; numWarnings: number } };
    expect(issues).toMatchObject({ numErrors: 0, numWarnings: 0 });
  });
});
