import { afterAll, beforeAll, describe, expect, jest, test } from '@jest/globals';
import { By, Key, type WebElement } from 'selenium-webdriver';
import { find, openBrowser, stands, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

// The page around the work: keys, commands, views, the roster, and that everything on it can be read.

jest.setTimeout(240_000);

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const hands = handsOn(server, driver);

beforeAll(async () => {
  await hands.openKeeper('The ferry-keeper');
});
afterAll(async () => {
  await browser.close();
  await server.close();
});

/** Every page of the panels, as a person reaches it. */
const PAGES: readonly (readonly [string, string?, string?])[] = [
  ['Check-in'],
  ['Bind', 'Page of Bind', 'Joints'],
  ['Bind', 'Page of Bind', 'Binding'],
  ['Bind', 'Page of Bind', 'By hand'],
  ['Bind', 'Page of Bind', 'Reach'],
  ['Paint', 'Page of Paint', 'Brush'],
  ['Paint', 'Page of Paint', 'Select'],
  ['Paint', 'Page of Paint', 'Exact'],
  ['Paint', 'Page of Paint', 'Mirror'],
  ['Paint', 'Page of Paint', 'Masks'],
  ['Trial', 'Page of Trial', 'Range'],
  ['Trial', 'Page of Trial', 'Strays'],
  ['Trial', 'Page of Trial', 'Beside'],
  ['Deliver', 'Page of Deliver', 'Limits'],
  ['Deliver', 'Page of Deliver', 'Export'],
  ['Deliver', 'Page of Deliver', 'Delivered'],
];
async function openPage([stage, group, label]: (typeof PAGES)[number]): Promise<void> {
  await hands.goTo(stage);
  if (group !== undefined && label !== undefined) await hands.pick(group, label);
}

/** Keys that go to whatever has the focus. */
const type = (...keys: string[]): Promise<void> =>
  driver
    .actions()
    .sendKeys(...keys)
    .perform();
const chord = (key: string): Promise<void> =>
  driver.actions().keyDown(Key.CONTROL).sendKeys(key).keyUp(Key.CONTROL).perform();

const COMMAND_FIELD = 'input[placeholder="Do, or find a joint"]';

/** Where commands are typed, once it takes keys. */
async function commandField(): Promise<WebElement> {
  const field = await find(driver, COMMAND_FIELD);
  await waitFor(driver, 'commands are open', () => field.isDisplayed());
  return field;
}

async function command(words: string): Promise<void> {
  await chord('k');
  const field = await commandField();
  await field.sendKeys(words);
  await waitFor(driver, `“${words}” is the first command`, async () => {
    const [first] = await driver.findElements(By.css('.mantine-Spotlight-action'));
    return (await first.getText()).startsWith(words);
  });
  await field.sendKeys(Key.ENTER);
  await waitFor(driver, 'commands are gone', async () => !(await hands.isThere(COMMAND_FIELD)));
}

describe('commands', () => {
  test('hold every button of every panel', async () => {
    const offered = new Set<string>();
    await hands.chooseJoint('neck_3');
    for (const page of PAGES) {
      await openPage(page);
      await waitFor(driver, 'its panel is there', async () => {
        const names = await driver.executeScript<string[]>(
          `return [...document.querySelectorAll('[data-action]')].map((each) => each.dataset.action)`,
        );
        names.forEach((name) => offered.add(name));
        return (await driver.findElements(By.css('.side-scroll section'))).length > 0;
      });
    }
    expect(offered.size).toBeGreaterThan(40);
    await chord('k');
    const field = await commandField();
    for (const name of offered) {
      await field.sendKeys(Key.chord(Key.CONTROL, 'a'), name);
      await waitFor(driver, `“${name}” is a command`, async () => {
        const found = await driver.findElements(By.css('.mantine-Spotlight-action'));
        return (await Promise.all(found.map((each) => each.getText()))).some((text) => text.startsWith(name));
      });
    }
    await field.sendKeys(Key.ESCAPE);
    await waitFor(driver, 'commands are gone', async () => !(await hands.isThere(COMMAND_FIELD)));
  });

  test('a command goes where its button is, and presses it', async () => {
    await hands.goTo('Deliver');
    await command('Selection: all');
    await waitFor(driver, 'all is selected', async () =>
      (await (await find(driver, '[data-selected]')).getText()).includes('points are selected'),
    );
    expect(await driver.getCurrentUrl()).toMatch(/paint$/);
    await command('Selection: none');
    await command('Stage: Trial');
    await waitFor(driver, 'Trial is open', async () => (await driver.getCurrentUrl()).endsWith('/trial'));
  });
});

describe('keys', () => {
  const tool = async (): Promise<string> =>
    driver.executeScript<string>(
      `return document.querySelector('[aria-label="Page of Paint"] input:checked')?.value + ' ' +
        (document.querySelector('.side-scroll button[aria-pressed="true"]')?.textContent ?? '')`,
    );

  test('work after a click on a stage, a segment, a dropdown and a switch; undo too', async () => {
    await hands.goTo('Paint');
    await hands.pick('Page of Paint', 'Exact');
    await type('3');
    await waitFor(driver, 'the brush is out', async () => /^brush Take away/.test(await tool()));
    await hands.choose('Weights drawn as', 'Grey');
    await type('5');
    await waitFor(driver, 'Smooth is taken', async () => /^brush Smooth/.test(await tool()));
    await (await find(driver, '[aria-label="Lock neck_3"]')).click();
    await hands.allSaved();
    await hands.pick('Page of Paint', 'Mirror');
    await chord('z');
    await waitFor(driver, 'the lock is undone', async () => {
      const lock = await find(driver, '[aria-label="Lock neck_3"]');
      return (await lock.getAttribute('aria-pressed')) === 'false';
    });
    await hands.choose('Weights drawn as', 'Tide');
  });

  test('each can be another one, over a reload, and as it was again', async () => {
    const edges = async (): Promise<boolean> =>
      driver.executeScript<boolean>(
        `return JSON.parse(localStorage.getItem('judoka.uiSettings') ?? '{}').edges === true`,
      );
    await hands.press('?');
    await (await find(driver, '[aria-label="Key of “Edges over the surface, or not”: G"]')).click();
    await type('q');
    await find(driver, '[aria-label="Key of “Edges over the surface, or not”: Q"]');
    await type(Key.ESCAPE);
    await driver.navigate().refresh();
    await find(driver, 'canvas[data-frames]');
    await hands.press('q');
    await waitFor(driver, 'edges are drawn', edges);
    await hands.press('g');
    await hands.press('q');
    await waitFor(driver, 'they are not', async () => !(await edges()));
    await hands.press('?');
    await hands.click('All as they were');
    await find(driver, '[aria-label="Key of “Edges over the surface, or not”: G"]');
    await type(Key.ESCAPE);
  });
});

describe('the roster', () => {
  const rows = async (): Promise<string[]> =>
    driver.executeScript<string[]>(
      `return [...document.querySelectorAll('.joint-row')].map((row) => row.dataset.joint)`,
    );
  const chosen = async (): Promise<string[]> =>
    driver.executeScript<string[]>(
      `return [...document.querySelectorAll('.joint-row[aria-selected="true"]')].map((row) => row.dataset.joint)`,
    );

  test('a branch closes and opens; Shift draws a range by arrows and by clicks; Escape clears the search', async () => {
    await hands.chooseJoint('neck_1');
    const grid = await find(driver, '[role="grid"][aria-label="Joints"]');
    await grid.sendKeys(Key.ARROW_LEFT);
    await waitFor(driver, 'the branch is closed', async () => !(await rows()).includes('neck_2'));
    await grid.sendKeys(Key.ARROW_RIGHT);
    await waitFor(driver, 'it is open', async () => (await rows()).includes('neck_2'));
    await grid.sendKeys(Key.chord(Key.SHIFT, Key.ARROW_DOWN), Key.chord(Key.SHIFT, Key.ARROW_DOWN));
    await waitFor(driver, 'three are chosen', async () => (await chosen()).join() === 'neck_1,neck_2,neck_3');
    const row = await find(driver, '[data-joint="neck_2"]');
    // The list scrolls to where the arrow went.
    await stands(driver, row);
    await driver.actions().keyDown(Key.SHIFT).click(row).keyUp(Key.SHIFT).perform();
    await waitFor(driver, 'two are chosen', async () => (await chosen()).join() === 'neck_1,neck_2');
    const search = await find(driver, 'input[aria-label="Find a joint"]');
    await search.sendKeys('lantern');
    await waitFor(driver, 'it is found', async () =>
      (await rows()).every((name) => name.includes('lantern')),
    );
    await search.sendKeys(Key.ESCAPE);
    expect(await search.getAttribute('value')).toBe('');
  });
});

/** Texts that do not fit what they stand in, and controls that reach out of their panel. */
const CLIPPED = `
  const found = [];
  const own = (el) => [...el.childNodes].some((node) => node.nodeType === 3 && node.textContent.trim() !== '');
  for (const el of document.querySelectorAll('button, a, label, input, h2, strong, span, p, td, th, [role="tab"]')) {
    if (el.closest('canvas, .roster-hidden, [aria-hidden="true"], .mantine-VisuallyHidden-root')) continue;
    const box = el.getBoundingClientRect();
    if (box.width === 0 || box.height === 0) continue;
    const style = getComputedStyle(el);
    if (style.visibility === 'hidden' || style.clip !== 'auto') continue;
    const text = el.tagName === 'INPUT' ? el.value : el.textContent.trim();
    if (text === '') continue;
    // Names that people give are elided, and whole in a tooltip.
    if (el.title !== '' || el.closest('[title]') || el.matches('.top-name, .name-head, .name-tail, .work-name')) continue;
    const cut = el.tagName === 'INPUT' || own(el) ? el.scrollWidth > el.clientWidth + 1 && el.clientWidth > 0 : false;
    const side = el.closest('.side');
    const out = side && box.right > side.getBoundingClientRect().right + 1;
    if ((cut && style.overflow !== 'visible') || out || box.right > innerWidth + 1) found.push(el.tagName + ' ' + text.slice(0, 50));
  }
  return [...new Set(found)];
`;

describe.each([
  [1024, 700],
  [1280, 800],
  [1920, 1080],
])('at %i by %i', (width, height) => {
  test('nothing is cut off, on any page', async () => {
    await driver.manage().window().setRect({ width, height });
    await hands.chooseJoint('neck_3');
    const wrong: Record<string, string[]> = {};
    for (const page of PAGES) {
      await openPage(page);
      await find(driver, '.side-scroll section');
      const found = await driver.executeScript<string[]>(CLIPPED);
      if (found.length > 0) wrong[page.join(' ')] = found;
    }
    expect(wrong).toEqual({});
  });
});

test('what is cut off would be seen', async () => {
  await driver.executeScript(
    `document.querySelector('.side-scroll').insertAdjacentHTML('beforeend',
       '<button style="width: 40px; overflow: hidden; white-space: nowrap">far too long a name</button>')`,
  );
  expect(await driver.executeScript(CLIPPED)).toEqual(['BUTTON far too long a name']);
});
