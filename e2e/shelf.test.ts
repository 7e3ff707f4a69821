import { afterAll, beforeAll, expect, jest, test } from '@jest/globals';
import { By } from 'selenium-webdriver';
import { find, openBrowser, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

// Work that is asked for on the shelf and done without the page: reports and bindings, of one or of several characters.

jest.setTimeout(180_000);

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const hands = handsOn(server, driver);

beforeAll(async () => {
  await driver.get(await server.entry());
  await find(driver, '[aria-label="The porter"]');
});
afterAll(async () => {
  await browser.close();
  await server.close();
});

const batch = (title: string): By => By.css(`.batch[aria-label="${title}"]`);
const menu = async (name: string, item: string): Promise<void> => {
  await (await find(driver, `[aria-label="More for ${name}"]`)).click();
  await waitFor(driver, `“${item}” is there`, async () => {
    const [found] = await driver.findElements(
      By.xpath(`//*[@role="menuitem"][normalize-space(.)="${item}"]`),
    );
    await found.click();
    return true;
  });
};
const linksIn = async (title: string, words: string): Promise<string[]> => {
  const [found] = await driver.findElements(batch(title));
  const links = await found.findElements(By.linkText(words));
  return Promise.all(links.map(async (link) => (await link.getAttribute('href')) ?? ''));
};

test('reports of several characters are made, opened, and put away', async () => {
  await hands.click('Choose several');
  for (const name of ['The ferry-keeper', 'The porter'])
    await (await find(driver, `input[aria-label="Choose ${name}"]`)).click();
  await hands.click('Report');
  await waitFor(driver, 'both are made', async () => {
    return (await linksIn('Reports of 2 characters', 'Open the report')).length === 2;
  });
  const shelf = await driver.getCurrentUrl();
  for (const link of await linksIn('Reports of 2 characters', 'Open the report')) {
    await driver.get(link);
    expect(await (await find(driver, 'h1')).getText()).toMatch(/^The (ferry-keeper|porter)$/);
    // A page that carries its pictures: each of them is drawn.
    const widths = await driver.executeScript<number[]>(
      `return [...document.images].map((image) => image.naturalWidth)`,
    );
    expect(Math.min(...widths)).toBeGreaterThan(100);
  }
  await driver.get(shelf);
  await find(driver, '.batch');
  await hands.click('Put away');
  await waitFor(driver, 'it is gone', async () => (await driver.findElements(By.css('.batch'))).length === 0);
});

test('a binding waits on the shelf, is proposed on the stage over a reload, and kept as one edit', async () => {
  await menu('The porter', 'Bind…');
  await find(driver, '[role="dialog"] [role="radio"]');
  await (await driver.findElement(By.xpath('//*[@role="radio"][contains(., "Nearest bone")]'))).click();
  await (
    await driver.findElement(By.xpath('//*[@role="dialog"]//button[normalize-space(.)="Bind"]'))
  ).click();
  await waitFor(driver, 'it is bound', async () => {
    return (await linksIn('Binding of The porter', 'Look at old and new')).length === 1;
  });
  const count = async (): Promise<number> =>
    (await server.query<{ n: number }>('select count(*)::int as n from edits')).at(0)?.n ?? NaN;
  const before = await count();
  await driver.executeScript(`localStorage.setItem('judoka.warmUp', 'seen')`);
  await (await driver.findElement(By.linkText('Look at old and new'))).click();
  await find(driver, '[aria-label="Proposal"]');
  expect(await driver.getCurrentUrl()).toMatch(/\/bind$/);
  await driver.navigate().refresh();
  const bar = await find(driver, '[aria-label="Proposal"]');
  expect(await bar.getText()).toMatch(/^Bind by nearest bone\s+4,136 points/);
  expect(await count()).toBe(before);
  await hands.click('Keep');
  await hands.allSaved();
  expect(await count()).toBe(before + 1);
});

test('what was kept already is not proposed again', async () => {
  await driver.get(server.address);
  await find(driver, '.batch');
  await (await driver.findElement(By.linkText('Look at old and new'))).click();
  await waitFor(driver, 'it is told', async () =>
    (await driver.findElement(By.css('body')).getText()).includes('is what this character has already'),
  );
  expect(await driver.findElements(By.css('[aria-label="Proposal"]'))).toEqual([]);
});

test('work that is stopped is gone', async () => {
  await driver.get(server.address);
  await menu('The ferry-keeper, fine', 'Make a report');
  await waitFor(driver, 'it is under way', async () => {
    const [found] = await driver.findElements(batch('Report of The ferry-keeper, fine'));
    await (await found.findElement(By.xpath('.//button[normalize-space(.)="Stop"]'))).click();
    return true;
  });
  await waitFor(driver, 'it is gone', async () => {
    return (await driver.findElements(batch('Report of The ferry-keeper, fine'))).length === 0;
  });
  const states = await server.query<{ state: string }>(
    `select state from jobs where name = 'The ferry-keeper, fine' order by made_at desc limit 1`,
  );
  expect(states).toEqual([{ state: 'stopped' }]);
});
