import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { weightOf } from '@judoka/core/weights';
import { makeFerryKeeper, makeHauling } from '@judoka/demo';
import { By, Key, until } from 'selenium-webdriver';
import { find, openBrowser, stopAtOnce, textOf, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
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
  press,
  type,
  isThere,
  choose,
} = handsOn(server, driver);
const keeper = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: true })));
const joint = (name: string): number => keeper.skeleton.joints.findIndex((one) => one.name === name);
const folder = mkdtempSync(join(tmpdir(), 'judoka-trial-page-'));
const file = (name: string, text: string): string => {
  const path = join(folder, name);
  writeFileSync(path, text);
  return path;
};

afterAll(async () => {
  rmSync(folder, { recursive: true, force: true });
  await browser.close();
  await server.close();
});
beforeAll(async () => {
  await openKeeper('The ferry-keeper');
  await goTo('Trial');
});

const page = (label: string): Promise<void> => pick('Page of Trial', label);
const rows = async (): Promise<{ name: string; figure: number }[]> =>
  driver.executeScript(
    `return [...document.querySelectorAll('.rank [data-joint]')]
       .map((row) => ({ name: row.dataset.joint, figure: Number(row.dataset.figure) }))`,
  );
const damageOf = async (name: string): Promise<number> =>
  (await rows()).find((row) => row.name === name)?.figure ?? NaN;
const frame = async (): Promise<number> =>
  Number(await (await find(driver, '[data-frame]')).getAttribute('data-frame'));
interface StoredMotion {
  readonly name: string;
  readonly attachment: string;
  readonly follows: Readonly<Record<string, number>>;
}

const storedMotions = async (): Promise<StoredMotion[]> =>
  Object.values(await storedValues<StoredMotion>('motions/')).flatMap((one) => one ?? []);
const storedPose = (): Promise<Record<string, { rotation: number[] } | undefined>> => storedValues('pose/');

describe('the range of motion', () => {
  test('is run; the worst bends come first, and a click takes the pose', async () => {
    await click('Run the range');
    await waitFor(driver, 'the range is measured, also as it came', async () => {
      const texts = await driver.findElements(By.xpath('//button[.="Run it again"]'));
      return texts.length > 0;
    });
    // The heel that follows the knee is stretched most; knee and hips are hurt most.
    const [first] = await rows();
    expect(first.name).toBe('ankle_R');
    expect(await textOf(driver, '.rank [data-joint="ankle_R"]')).toMatch(/stretched \d+\.\d times at knee_R/);
    await pick('Bends are ranked by', 'How much');
    expect((await rows()).slice(0, 5).map(({ name }) => name)).toEqual(
      expect.arrayContaining(['knee_L', 'neck_1', 'shoulder_L']),
    );
    await (await find(driver, '.rank [data-joint="shoulder_L"]')).click();
    await waitFor(
      driver,
      'the pose is the character’s own',
      async () => joint('shoulder_L') in (await storedPose()),
    );
    expect(await textOf(driver, '[aria-label="Report of the joint"]')).toMatch(/^Dual \d/m);
    expect(await isThere('[aria-label="How bad each pose is; a click shows it"]')).toBe(true);
    // Strain is what is looked at now.
    const view = await (await find(driver, 'input[aria-label="Weights drawn as"]')).getAttribute('value');
    expect(view).toBe('Strain');
  });

  test('painting makes the figure fall', async () => {
    const before = await damageOf('shoulder_L');
    await goTo('Paint');
    await pick('Page of Paint', 'Brush').catch(() => undefined);
    await press('5');
    for (let i = 0; i < 14; i++) await press('=');
    const canvas = await find(driver, 'canvas');
    const { x, y, width } = await canvas.getRect();
    const height = await driver.executeScript<number>(
      'return document.querySelector(".stage > div").clientHeight',
    );
    const edits = await editCount();
    for (let i = 0; i < 3; i++) {
      const at = (u: number, v: number) => ({ x: Math.round(x + u * width), y: Math.round(y + v * height) });
      await driver
        .actions({ async: true })
        .move({ ...at(0.4, 0.66 + 0.05 * i), duration: 0 })
        .press()
        .move({ ...at(0.5, 0.64 + 0.05 * i), duration: 200 })
        .move({ ...at(0.6, 0.6 + 0.05 * i), duration: 200 })
        .release()
        .perform();
    }
    await waitFor(driver, 'the strokes are stored', async () => (await editCount()) > edits);
    await goTo('Trial');
    await waitFor(
      driver,
      'the joint is measured anew',
      async () => (await damageOf('shoulder_L')) < 0.97 * before,
    );
    expect(await textOf(driver, '[aria-label="Worst bends"]')).toContain('Weights have changed since');
  });

  test('a range is set, for the partner too, and kept', async () => {
    await type('Bend, most', '50');
    await waitFor(driver, 'the range is stored', async () => {
      const ranges = await storedValues<{ bend: number[] }>('ranges/');
      return [joint('shoulder_L'), joint('shoulder_R')].every((each) => ranges[each]?.bend[1] === 50);
    });
    await click('Usual range');
  });

  test('the strip takes the joint’s own range, and tells its worst picture', async () => {
    await choose('What the strip shows', 'its range');
    await waitFor(driver, 'eight poses make seven pictures', async () => {
      const cells = await driver.findElements(By.css('.strip-cell'));
      return cells.length === 7;
    });
    await waitFor(driver, 'one of them is the worst', async () => {
      const worst = await driver.findElements(By.css('.strip-cell.worst .strip-figure'));
      return worst.length === 1 && /^(×\d|\d+%)/.test(await worst[0].getText());
    });
    await choose('What the strip shows', 'even turns');
  });
});

describe('clips', () => {
  test('the character’s own plays, pauses on a frame, and that pose is kept', async () => {
    await page('Clips');
    await click('walking');
    await find(driver, '[aria-label="Timeline"]');
    await (await find(driver, '[aria-label="Play"]')).click();
    await waitFor(driver, 'it has come some frames far', async () => (await frame()) > 4);
    await (await find(driver, '[aria-label="Pause"]')).click();
    const at = await frame();
    await waitFor(driver, 'the pose is stored', async () => joint('knee_L') in (await storedPose()));
    await (await find(driver, '[aria-label="A frame on"]')).click();
    expect(await frame()).toBe((at + 1) % 25);
    // It does not go on playing where nobody sees it.
    await (await find(driver, '[aria-label="Play"]')).click();
    await goTo('Paint');
    await find(driver, '[aria-label="Page of Paint"]');
    await goTo('Trial');
    await find(driver, '[aria-label="Play"]');
  });

  test('a run that is stopped leaves short questions answered', async () => {
    await page('Range');
    await stopAtOnce(driver, 'Run it again');
    await waitFor(driver, 'it has stopped', async () => !(await isThere('.group .mantine-Progress-root')));
    await page('Clips');
    await click('Bow');
    await waitFor(driver, 'the motion is on the stage', async () =>
      (await textOf(driver, '[aria-label="Timeline"]')).includes('Bow'),
    );
    await click('walking');
  });

  test('its worst frame is found, and gone to', async () => {
    await click('Measure 25 frames');
    await waitFor(
      driver,
      'it is measured',
      async () => (await rows()).length > 3 && !(await isThere('.group .mantine-Progress-root')),
    );
    const first = await find(driver, '.rank [data-joint]');
    const told = Number(/frame (\d+),/.exec(await first.getText())?.[1]);
    await first.click();
    await waitFor(driver, 'the frame is shown', async () => (await frame()) === told);
    expect(await textOf(driver, '.timeline-of')).toContain('damage of');
  });

  test('a .bvh that is cut off is refused in a sentence', async () => {
    const input = await driver.wait(until.elementLocated(By.css('input[aria-label="Motion file"]')), 10_000);
    await input.sendKeys(file('cut.bvh', makeHauling().slice(0, 6000)));
    await waitFor(driver, 'it says why', async () =>
      (await textOf(driver, '.mantine-Notification-root')).includes('cut off in frame'),
    );
    expect((await storedMotions()).map(({ name }) => name)).not.toContain('cut');
  });

  test('a .bvh that is dropped plays on the character, and is corrected in the table', async () => {
    const input = await driver.findElement(By.css('input[aria-label="Motion file"]'));
    await input.sendKeys(file('my hauling.bvh', makeHauling()));
    await waitFor(driver, 'it is on the stage', async () =>
      (await textOf(driver, '[aria-label="Timeline"]')).includes('my hauling'),
    );
    await (await find(driver, '[aria-label="Play"]')).click();
    await waitFor(driver, 'it plays', async () => (await frame()) > 8);
    await (await find(driver, '[aria-label="Pause"]')).click();
    await waitFor(driver, 'both elbows move', async () => {
      const pose = await storedPose();
      return ['elbow_L', 'elbow_R'].every((name) => joint(name) in pose);
    });
    const follows = await find(driver, 'input[aria-label="elbow_L follows"]');
    await driver.executeScript('arguments[0].scrollIntoView({ block: "center" })', follows);
    await follows.sendKeys(Key.chord(Key.CONTROL, 'a'), 'nothing', Key.ARROW_DOWN, Key.ENTER);
    await waitFor(driver, 'that is kept with the motion', async () => {
      const motion = (await storedMotions()).find(({ name }) => name === 'my hauling');
      return motion?.follows[joint('elbow_L')] === -1;
    });
    const { attachment } = (await storedMotions()).find(({ name }) => name === 'my hauling') ?? {
      attachment: '',
    };
    const [{ bytes }] = await server.query<{ bytes: Buffer }>('select bytes from attachments where id = $1', [
      attachment,
    ]);
    expect(bytes.equals(readFileSync(join(folder, 'my hauling.bvh')))).toBe(true);
  });

  test('the shelf’s motions go onto the character', async () => {
    await click('Crouch');
    await waitFor(driver, 'it is on the stage', async () =>
      (await textOf(driver, '[aria-label="Timeline"]')).includes('Crouch'),
    );
    const slider = await find(driver, '[aria-label="Frame of the clip"]');
    for (let i = 0; i < 4; i++) await slider.sendKeys(Key.PAGE_DOWN);
    expect(await frame()).toBe(40);
    await waitFor(driver, 'the knees are bent', async () => {
      const [, , , w] = (await storedPose())[joint('knee_L')]?.rotation ?? [0, 0, 0, 1];
      return w < 0.95;
    });
    // A click on it again keeps it; it is put away, and the pose from before is back.
    await click('Crouch');
    expect(await isThere('[aria-label="Timeline"]')).toBe(true);
    await (await find(driver, '[aria-label="Put the clip away"]')).click();
    expect(await isThere('[aria-label="Timeline"]')).toBe(false);
    await waitFor(driver, 'the knees are as before', async () => {
      const [, , , w] = (await storedPose())[joint('knee_L')]?.rotation ?? [0, 0, 0, 1];
      return w > 0.97;
    });
  });
});

describe('strays', () => {
  test('are listed by what they move; one is dismissed and stays so', async () => {
    await page('Strays');
    await find(driver, '[data-strays="5"]');
    const first = await find(driver, '[aria-label="Found strays"] .rank li');
    expect(await first.getText()).toContain('with knee_R, in a patch apart');
    const last = By.xpath('(//*[@aria-label="Found strays"]//li)[5]//button[.="it is meant"]');
    await (await driver.findElement(last)).click();
    await find(driver, '[data-strays="4"]');
  });

  test('all of them are removed as one, and the weights say so', async () => {
    const before = await storedWeights();
    const points = (rowsOf: typeof before, name: string): number[] =>
      Array.from({ length: rowsOf[0].pointCount }, (_, p) => p).filter(
        (p) => weightOf(rowsOf[0], p, joint(name)) > 0,
      );
    expect(points(before, 'root').length).toBe(15);
    await (await find(driver, '[aria-label="Found strays"] .mantine-Button-root:last-of-type')).click();
    await waitFor(driver, 'the edit is stored', async () => (await lastEdit()).label === '4 strays removed');
    await allSaved();
    const after = await storedWeights();
    expect(points(after, 'root')).toEqual([]);
    // The other leg's patch, and the heel.
    expect(points(before, 'knee_R').length - points(after, 'knee_R').length).toBe(19 + 73);
  });

  test('what is bound to nothing stays behind, and is counted', async () => {
    await click('Carry it aside');
    const behind = Number(await (await find(driver, '[data-behind]')).getAttribute('data-behind'));
    // The strip of the cape that never got weights.
    const unweighted = (await storedWeights()).reduce((sum, { values, stride, pointCount }) => {
      for (let p = 0; p < pointCount; p++) if (values[p * stride] === 0) sum++;
      return sum;
    }, 0);
    expect(behind).toBe(unweighted);
    expect(behind).toBeGreaterThan(20);
    await click('Put it back');
  });
});

describe('side by side', () => {
  test('the weights as they came stand beside; parts that cross are counted', async () => {
    await page('Beside');
    await pick('What stands beside', 'Now, other');
    await waitFor(driver, 'both have names', async () =>
      (await textOf(driver, '.stage')).includes('As the file came'),
    );
    await pick('What stands beside', 'One view');
    await click('Over the range');
    const crossed = Number(await (await find(driver, '[data-crossed]')).getAttribute('data-crossed'));
    expect(crossed).toBeGreaterThan(0);
    await (await find(driver, '[data-crossed] button')).click();
    await chooseJoint('knee_L');
  });

  test('dual quaternions are a switch of the character, and change the surface', async () => {
    await page('Range');
    const shot = async (): Promise<string> =>
      driver.executeScript('return document.querySelector("canvas").toDataURL()');
    const before = await shot();
    await pick('Skinning', 'Dual quaternions');
    await waitFor(driver, 'it looks otherwise', async () => (await shot()) !== before);
    await waitFor(driver, 'it is kept', async () => {
      return (await storedValues('skinning'))[''] === 'dual';
    });
  });

  test('the surface is drawn subdivided, and as it is again', async () => {
    const shot = async (): Promise<string> =>
      driver.executeScript('return document.querySelector("canvas").toDataURL()');
    const before = await shot();
    await pick('Subdivided for the eye', 'Twice');
    await waitFor(driver, 'it is drawn finer', async () => (await shot()) !== before);
    await pick('Subdivided for the eye', 'As it is');
    await waitFor(driver, 'it is as before', async () => (await shot()) === before);
  });

  test('the surface is relaxed where it bends, less so with fewer passes; the switch is undone', async () => {
    await pick('Skinning', 'Linear');
    await chooseJoint('knee_L');
    const worst = async (): Promise<number> => {
      const figures = await driver.findElements(By.css('.strip-cell.worst .strip-figure'));
      return figures.length > 0 ? Number((await figures[0].getText()).replace('×', '')) : 0;
    };
    const skinned = await waitFor(driver, 'the worst bend is told', worst);
    await (await find(driver, '[aria-label="Look"] input[type="checkbox"]')).click();
    const relaxed = await waitFor(driver, 'it is relaxed', async () => {
      const now = await worst();
      return now > 0 && now < 0.8 * skinned && now;
    });
    const passes = await find(driver, '[aria-label="Look"] input[type="text"]');
    await passes.sendKeys(Key.chord(Key.CONTROL, 'a'), '1', Key.ENTER);
    await waitFor(driver, 'it is relaxed less', async () => (await worst()) > relaxed);
    await waitFor(driver, 'it is kept', async () => {
      const kept = (await storedValues<{ passes: number }>('relaxing'))[''];
      return kept?.passes === 1;
    });
    await driver.executeScript('document.activeElement.blur()');
    for (let i = 0; i < 2; i++)
      await driver.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform();
    await waitFor(driver, 'it is as it was', async () => (await worst()) === skinned);
    await waitFor(driver, 'nothing of it is kept', async () => !('' in (await storedValues('relaxing'))));
  });
});
