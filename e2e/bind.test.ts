import { afterAll, describe, expect, test } from '@jest/globals';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { rowSum, weightOf } from '@judoka/core/weights';
import { makePorter } from '@judoka/demo';
import { By, Key } from 'selenium-webdriver';
import { find, openBrowser, textOf, waitFor } from './browser.ts';
import { handsOn, named, placeIn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const hands = handsOn(server, driver);
const {
  allSaved,
  storedWeights,
  editCount,
  storedValues,
  lastEdit,
  openKeeper,
  chooseJoint,
  goTo,
  click,
  pick,
  type,
  isThere,
} = hands;
const good = await readCharacter(openGlb(await makePorter({ faults: false })));

afterAll(async () => {
  await browser.close();
  await server.close();
});

/** The page's own index of a joint: that of the file, whatever was added since. */
const joint = (name: string): number => named(good.skeleton, name);
const undo = async (): Promise<void> => {
  await (
    await driver.findElement(By.xpath('//header//button[starts-with(normalize-space(.), "Undo")]'))
  ).click();
};
const undoLabel = (): Promise<string> => textOf(driver, 'header');

/** Drags the left button over the stage, between shares of its width and height. */
async function dragAcross(from: readonly [number, number], to: readonly [number, number]): Promise<void> {
  const { x, y, width } = await (await find(driver, 'canvas')).getRect();
  const height = await driver.executeScript<number>(
    'return document.querySelector(".stage > div").clientHeight',
  );
  const at = ([u, v]: readonly [number, number]) => ({
    x: Math.round(x + u * width),
    y: Math.round(y + v * height),
  });
  await driver
    .actions({ async: true })
    .move({ ...at(from), duration: 0 })
    .press()
    .move({ ...at([(from[0] + to[0]) / 2, (from[1] + to[1]) / 2]), duration: 60 })
    .move({ ...at(to), duration: 60 })
    .release()
    .perform();
}

const selectedCount = (): Promise<number> =>
  driver.executeScript<number>('return Number(document.querySelector("[data-selected]")?.dataset.selected)');

describe('the porter, bound from nothing by mouse', () => {
  test('volume gives every point its weights, close to what its maker meant', async () => {
    await openKeeper('The porter');
    await goTo('Bind');
    await pick('Page of Bind', 'Binding');
    await (await find(driver, '[role="radio"][aria-checked]')).click();
    await click('Bind');
    await find(driver, '[aria-label="Proposal"]');
    await click('Keep');
    await waitFor(driver, 'it is in the history', async () =>
      /Undo “Bind by volume”/.test(await undoLabel()),
    );
    await allSaved();
    const rows = (await storedWeights())[0];
    let apart = 0;
    for (let p = 0; p < rows.pointCount; p++) {
      expect(Math.abs(rowSum(rows, p) - 1)).toBeLessThan(1e-5);
      good.skeleton.joints.forEach((_, each) => {
        apart += Math.abs(weightOf(rows, p, each) - weightOf(good.rows[0], p, each)) / 2;
      });
    }
    expect(apart / rows.pointCount).toBeLessThan(0.3);
  });
});

describe('joints at rest', () => {
  test('a typed place moves the joint and its partner; undo puts both back', async () => {
    await pick('Page of Bind', 'Joints');
    await chooseJoint('wrist_L');
    const before = await hands.exported();
    await type('Place along y', '0.36');
    await waitFor(driver, 'it is told', async () => /Undo “Place wrist_L”/.test(await undoLabel()));
    await allSaved();
    const after = await hands.exported();
    expect(placeIn(after.skeleton, 'wrist_L')[1]).toBeCloseTo(0.36, 4);
    expect(placeIn(after.skeleton, 'wrist_R')[1]).toBeCloseTo(0.36, 4);
    // What hangs elsewhere stays, and so do all weights.
    expect(placeIn(after.skeleton, 'elbow_L')).toEqual(placeIn(before.skeleton, 'elbow_L'));
    expect(after.rows[0].values).toEqual(before.rows[0].values);
    await undo();
    await allSaved();
    expect(placeIn((await hands.exported()).skeleton, 'wrist_L')).toEqual(
      placeIn(before.skeleton, 'wrist_L'),
    );
  });

  test('a joint dragged on the stage follows the pointer, one edit when it is let go', async () => {
    await click('Place joints on the stage');
    const edits = await editCount();
    await chooseJoint('elbow_L');
    const stands = await hands.lookAtJoint();
    const before = (await hands.exported()).skeleton;
    await hands.drag(stands, 0, -40);
    await waitFor(driver, 'it is stored', async () => (await editCount()) === edits + 1);
    await allSaved();
    const after = (await hands.exported()).skeleton;
    const risen = placeIn(after, 'elbow_L')[1] - placeIn(before, 'elbow_L')[1];
    expect(risen).toBeGreaterThan(0.005);
    expect(placeIn(after, 'elbow_R')[1]).toBeCloseTo(placeIn(after, 'elbow_L')[1], 4);
    await undo();
    await allSaved();
  });

  test('a joint is added, renamed and hung elsewhere', async () => {
    await chooseJoint('head');
    await click('Add a joint below');
    await find(driver, '[data-joint="head_new"][aria-selected="true"]');
    const name = await driver.findElement(
      By.xpath('//section[@aria-label="The chosen joint"]//label[.="Name"]/following::input[1]'),
    );
    await name.sendKeys(Key.chord(Key.CONTROL, 'a'), 'whisker “1” <b>', Key.ENTER);
    await find(driver, '[data-joint="whisker “1” <b>"]');
    await name.sendKeys(Key.chord(Key.CONTROL, 'a'), 'chest', Key.ENTER);
    await waitFor(driver, 'a name that is taken is refused', () =>
      driver
        .findElements(By.xpath('//*[contains(., "There is a joint “chest” already")]'))
        .then((found) => found.length > 0),
    );
    await allSaved();
    const { skeleton } = await hands.exported();
    const added = named(skeleton, 'whisker “1” <b>');
    expect(skeleton.joints[skeleton.joints[added].parent].name).toBe('head');
  });

  test('a removed joint’s weight goes where it was told, and what hung on it stays', async () => {
    const before = await hands.exported();
    await chooseJoint('elbow_R');
    await click('Remove elbow_R…');
    expect(await textOf(driver, '[aria-label="Removal"]')).toMatch(/points have weight of it, which goes to/);
    expect(await textOf(driver, '[aria-label="Removal"]')).toContain(
      'wrist_R hangs on shoulder_R from then on',
    );
    await click('Remove');
    await waitFor(driver, 'it is gone', async () => !(await isThere('[data-joint="elbow_R"]')));
    await allSaved();
    const after = await hands.exported();
    expect(named(after.skeleton, 'elbow_R')).toBe(-1);
    placeIn(after.skeleton, 'wrist_R').forEach((x, k) =>
      expect(x).toBeCloseTo(placeIn(before.skeleton, 'wrist_R')[k], 5),
    );
    const held = (character: typeof before, name: string, p: number): number =>
      weightOf(character.rows[0], p, named(character.skeleton, name));
    for (let p = 0; p < before.rows[0].pointCount; p++)
      expect(held(after, 'shoulder_R', p)).toBeCloseTo(
        held(before, 'shoulder_R', p) + held(before, 'elbow_R', p),
        5,
      );
    await undo();
    await find(driver, '[data-joint="elbow_R"]');
    await allSaved();
    expect((await hands.exported()).rows[0].values).toEqual(before.rows[0].values);
  });

  test('pairs are shown, and correctable', async () => {
    await chooseJoint('muzzle');
    const label = By.xpath('//section[@aria-label="The chosen joint"]//label[starts-with(., "Other side")]');
    const field = By.xpath(
      '//section[@aria-label="The chosen joint"]//label[starts-with(., "Other side")]/following::input[1]',
    );
    expect(await (await driver.findElement(field)).getAttribute('value')).toBe('itself: on the middle');
    await (
      await driver.findElement(field)
    ).sendKeys(Key.chord(Key.CONTROL, 'a'), 'whisker', Key.ARROW_DOWN, Key.ENTER);
    await waitFor(driver, 'it is set', async () =>
      /set by hand/.test(await (await driver.findElement(label)).getText()),
    );
    await (await find(driver, '[aria-label="Fold pairs"]')).click();
    await waitFor(
      driver,
      'left and right share a row',
      async () => !(await isThere('[data-joint="wrist_R"]')),
    );
    await (await find(driver, '[data-joint="wrist_L"] button[aria-label="wrist_R"]')).click();
    await waitFor(driver, 'the right one is chosen', () =>
      isThere('[data-joint="wrist_L"] button[aria-label="wrist_R"][aria-pressed="true"]'),
    );
    await (await find(driver, '[aria-label="Fold pairs"]')).click();
  });
});

describe('by hand', () => {
  test('a box selects, the selection is given whole, borders are blended', async () => {
    await pick('Page of Bind', 'By hand');
    await hands.press('e');
    await click('Select points');
    await dragAcross([0.1, 0.02], [0.9, 0.4]);
    const count = await waitFor(driver, 'something is selected', selectedCount);
    await chooseJoint('head');
    await click(`Give ${count.toLocaleString('en')} points to head`);
    await waitFor(driver, 'it is told', async () => /Undo “Give/.test(await undoLabel()));
    await allSaved();
    const { points, part } = await lastEdit();
    const head = joint('head');
    const given = (await storedWeights())[part];
    for (const p of points) expect(weightOf(given, p, head)).toBe(1);
    await click('None');
    await click('Blend');
    await waitFor(driver, 'borders are blended', async () =>
      /Undo “Blend borders over 3 rings”/.test(await undoLabel()),
    );
    await allSaved();
    const blended = (await storedWeights())[part];
    const between = [...points].filter((p) => weightOf(blended, p, head) < 0.999);
    expect(between.length).toBeGreaterThan(5);
    expect(between.length).toBeLessThan(points.length);
    for (let p = 0; p < blended.pointCount; p++) expect(Math.abs(rowSum(blended, p) - 1)).toBeLessThan(1e-5);
  });

  test('a saved selection comes back after a reload, and confines a joint in bindings', async () => {
    await dragAcross([0.1, 0.02], [0.9, 0.35]);
    const count = await waitFor(driver, 'something is selected', selectedCount);
    await type('Name of the selection', 'upper half');
    await find(driver, '[data-selection="upper half"]');
    await driver.navigate().refresh();
    await (await find(driver, '[data-selection="upper half"] .saved-name')).click();
    expect(await waitFor(driver, 'it is selected', selectedCount)).toBe(count);
    await chooseJoint('chest');
    await click('confine chest to it');
    await pick('Page of Bind', 'Binding');
    await click('Bind');
    await find(driver, '[aria-label="Proposal"]');
    await click('Keep');
    await allSaved();
    const chest = joint('chest');
    const rows = (await storedWeights())[0];
    expect(Object.keys(await storedValues('selections/'))).toHaveLength(1);
    let weighted = 0;
    for (let p = 0; p < rows.pointCount; p++) if (weightOf(rows, p, chest) > 0) weighted++;
    expect(weighted).toBeGreaterThan(0);
    expect(weighted).toBeLessThanOrEqual(count);
    await pick('Page of Bind', 'By hand');
    await click('chest is confined to it: let go');
  });

  test('a chain: shown while its overlap is dragged, kept as one edit', async () => {
    await pick('Page of Bind', 'By hand');
    await click('All');
    await chooseJoint('pelvis');
    await (await find(driver, '[data-joint="head"]')).click();
    await driver
      .actions()
      .keyDown(Key.CONTROL)
      .click(await find(driver, '[data-joint="pelvis"]'))
      .keyUp(Key.CONTROL)
      .perform();
    expect(await textOf(driver, '[aria-label="Chain"]')).toContain('4 joints: pelvis to head');
    const edits = await editCount();
    await click('Spread the selection');
    const overlap = await find(driver, '[aria-label="Chain"] [role="slider"]');
    await overlap.sendKeys(Key.ARROW_LEFT, Key.ARROW_LEFT);
    expect(await editCount()).toBe(edits);
    await click('Keep', '//section[@aria-label="Proposal"]');
    await allSaved();
    expect(await editCount()).toBe(edits + 1);
    expect((await lastEdit()).label).toBe('Spread along pelvis to head');
    const chain = ['pelvis', 'spine', 'chest', 'head'].map(joint);
    const rows = (await storedWeights())[0];
    for (let p = 0; p < rows.pointCount; p++)
      expect(chain.reduce((sum, each) => sum + weightOf(rows, p, each), 0)).toBeCloseTo(1, 4);
  });
});

describe('reach', () => {
  test('dragging an edge takes points at once; dropping takes all of it back', async () => {
    const before = await storedWeights();
    await pick('Page of Bind', 'Reach');
    await chooseJoint('head');
    await click('For head only');
    await find(driver, 'section[aria-label="Reach"]');
    const field = async (label: string) =>
      driver.findElement(By.xpath(`//section[@aria-label="Reach"]//label[.="${label}"]/following::input[1]`));
    await (await field('Strength')).sendKeys(Key.chord(Key.CONTROL, 'a'), '0.5', Key.TAB);
    await (await field('Outer')).sendKeys(Key.chord(Key.CONTROL, 'a'), '0.3', Key.TAB);
    await click('Drop');
    await find(driver, '[data-joint="head"]');
    expect((await storedWeights())[0].values).toEqual(before[0].values);
    await click('For head only');
    await (await field('Outer')).sendKeys(Key.chord(Key.CONTROL, 'a'), '0.3', Key.TAB);
    await (await field('Inner')).sendKeys(Key.chord(Key.CONTROL, 'a'), '0.2', Key.TAB);
    await click('Keep', '//section[@aria-label="Reach"]');
    await waitFor(driver, 'it is kept', async () => /Undo “Weights by reach”/.test(await undoLabel()));
    await allSaved();
    const head = joint('head');
    const rows = (await storedWeights())[0];
    const { points } = await lastEdit();
    // All of what lies within is the head's; what is far away is left alone.
    expect(points.filter((p) => weightOf(rows, p, head) === 1).length).toBeGreaterThan(20);
    expect(points.length).toBeLessThan(rows.pointCount / 2);
    for (const p of points) expect(rowSum(rows, p)).toBeCloseTo(1, 5);
  });
});

describe('poses and parts', () => {
  test('a pose is kept under a name with a picture, taken again, and copied across', async () => {
    await pick('What the handles do', 'Move');
    await chooseJoint('shoulder_L');
    await type('Move along y', '0.05');
    await pick('What the handles do', 'Turn');
    await type('Turn about x', '30');
    await click('Copy across');
    await type('Name of the pose', 'Flap');
    await find(driver, '[aria-label="Take the pose Flap"] img');
    await click('Rest all 2');
    await (await find(driver, '[aria-label="Take the pose Flap"]')).click();
    await find(driver, '[aria-label="Saved poses"]');
    await allSaved();
    const [{ joints, picture } = { joints: {}, picture: '' }] = Object.values(
      await storedValues<{ joints: Record<string, { translation: number[] }>; picture: string }>('poses/'),
    );
    const [left, right] = ['shoulder_L', 'shoulder_R'].map((name) => joints[joint(name)]);
    expect(left.translation[1]).toBeCloseTo(0.05, 5);
    expect(Math.hypot(...right.translation)).toBeCloseTo(0.05, 4);
    const [{ bytes }] = await server.query<{ bytes: Buffer }>('select bytes from attachments where id = $1', [
      picture,
    ]);
    expect(bytes.toString('latin1', 1, 4)).toBe('PNG');
    await waitFor(driver, 'the pose is taken', () =>
      driver.findElements(By.xpath('//button[.="Rest all 2"]')).then((found) => found.length > 0),
    );
  });

  test('a kept pose is dialled by half, its dial kept over a reload, and taken out', async () => {
    const heightOf = async (): Promise<number> =>
      (await storedValues<{ translation: number[] }>('pose/'))[joint('shoulder_L')]?.translation[1] ?? 0;
    await type('How much of Flap, as a number', '0.5');
    await waitFor(driver, 'half of it is posed', async () => Math.abs((await heightOf()) - 0.025) < 1e-5);
    await allSaved();
    await driver.navigate().refresh();
    await find(driver, 'canvas[data-frames]');
    await waitFor(
      driver,
      'its dial is as it was',
      async () =>
        (await (await find(driver, '[aria-label="How much of Flap, as a number"]')).getAttribute('value')) ===
        '0.5',
    );
    await click('Take the dialled pose out');
    await waitFor(driver, 'it is out', async () => Object.keys(await storedValues('pose/')).length === 0);
    expect(await storedValues('dials/')).toEqual({});
    await (await find(driver, '[aria-label="Take the pose Flap"]')).click();
    await waitFor(driver, 'all of it is in the pose', async () =>
      Object.values(await storedValues('dials/')).includes(1),
    );
    await chooseJoint('shoulder_L');
    await click('Rest its chain');
    await click('Rest all 1');
  });

  test('a part is renamed, split into its islands and joined again', async () => {
    await click('Parts…');
    const name = await find(driver, '[data-part="eyes"] input');
    await name.sendKeys(Key.chord(Key.CONTROL, 'a'), 'eyeballs', Key.ENTER);
    await click('split', '//*[@data-part="eyes"]');
    await waitFor(
      driver,
      'there are two pieces',
      async () => (await driver.findElements(By.css('[data-part="eyes"] .piece-row'))).length === 2,
    );
    await click('hide', '(//*[@data-part="eyes"]//*[contains(@class, "piece-row")])[1]');
    await waitFor(driver, 'one is hidden', () =>
      isThere('[data-part="eyes"] .piece-row[data-hidden="true"]'),
    );
    await driver.navigate().refresh();
    await waitFor(driver, 'the name is kept', () =>
      driver.findElements(By.xpath('//button[.="eyeballs"]')).then((found) => found.length > 0),
    );
    await click('Parts…');
    await click('join all', '//*[@data-part="eyes"]');
    await waitFor(driver, 'it is one again', async () => !(await isThere('.piece-row')));
  });
});
