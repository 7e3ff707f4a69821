import { afterAll, beforeAll, expect, jest, test } from '@jest/globals';
import { By, Key, type WebDriver } from 'selenium-webdriver';
import { find, openBrowser, waitFor, type Browser } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

jest.setTimeout(180_000);

const PASSWORD = 'four old lanterns';

let server: JudokaServer;
const browsers: Browser[] = [];
let owner: WebDriver;
let guest: WebDriver;

async function browser(): Promise<WebDriver> {
  const opened = await openBrowser();
  browsers.push(opened);
  return opened.driver;
}

beforeAll(async () => {
  server = await JudokaServer.create();
  [owner, guest] = [await browser(), await browser()];
});
afterAll(async () => {
  for (const each of browsers) await each.close();
  await server.close();
});

/** The link of an invitation, made in the owner's dialog. */
async function invitationFor(role: string): Promise<string> {
  const { click } = handsOn(server, owner);
  await owner.get(server.address);
  await (await find(owner, '[aria-label$="people on My shelf"]')).click();
  const select = await find(owner, 'input[aria-label="Role of the invitation"]');
  await select.click();
  await (await owner.findElement(By.xpath(`//*[@role="option"][normalize-space(.)="${role}"]`))).click();
  await click('Make an invitation');
  let link = '';
  await waitFor(owner, 'the link is shown', async () => {
    for (const field of await owner.findElements(By.css('input[readonly]')))
      link = (await field.getAttribute('value')) ?? '';
    const values = await owner.executeScript<string[]>(
      `return [...document.querySelectorAll('input[readonly]')].map((field) => field.value)`,
    );
    link = values.find((value) => value.includes('/join#')) ?? '';
    return link !== '';
  });
  return link;
}

async function openKeeper(driver: WebDriver): Promise<void> {
  await driver.executeScript(`localStorage.setItem('judoka.warmUp', 'seen')`);
  await (await find(driver, '[aria-label="The ferry-keeper"] .card-name')).click();
  await find(driver, 'canvas[data-frames]');
}

test('a browser that is not known is asked to sign in; the printed address lets one in, once', async () => {
  await guest.get(server.address);
  await find(guest, 'input[name="password"]');
  expect(await guest.getCurrentUrl()).toContain('/sign-in?to=');
  const entry = await server.entry();
  await owner.get(entry);
  await find(owner, '[aria-label="The ferry-keeper"]');
  expect(await owner.getCurrentUrl()).not.toContain('#');
  // Whoever is in already is not thrown out by opening it again; another browser is told.
  await owner.get(entry);
  await find(owner, '[aria-label="The ferry-keeper"]');
  await guest.get(entry);
  await waitFor(guest, 'it is told', async () =>
    (await (await find(guest, '[role="alert"]')).getText()).includes('used already'),
  );
});

test('somebody who is invited as a guest makes an account and sees the shelf', async () => {
  const link = await invitationFor('Guest');
  await guest.get(link);
  const [name, password] = [
    await find(guest, 'input[autocomplete="username"]'),
    await find(guest, 'input[autocomplete="new-password"]'),
  ];
  await name.sendKeys('Mara');
  await password.sendKeys(PASSWORD, Key.ENTER);
  await find(guest, '[aria-label="The ferry-keeper"]');
  const rows = await server.query<{ role: string }>(
    `select m.role from shelf_members m join accounts a on a.id = m.account_id
     join shelves s on s.id = m.shelf_id where a.name = 'Mara' and s.own_of <> a.id`,
  );
  expect(rows).toEqual([{ role: 'guest' }]);
  expect(await guest.findElements(By.css('[aria-label="Character file"]'))).toEqual([]);
});

test('two on one character: each sees who is here; a guest follows, poses and comments, and changes nothing', async () => {
  const [mine, theirs] = [handsOn(server, owner), handsOn(server, guest)];
  await owner.get(server.address);
  await openKeeper(owner);
  await openKeeper(guest);
  await mine.chooseJoint('neck_3');
  await waitFor(guest, 'the owner and the joint in hand are shown', async () =>
    (await (await find(guest, '.company')).getText()).includes('neck_3'),
  );
  await waitFor(owner, 'the guest is shown', async () =>
    (await (await find(owner, '.company')).getText()).includes('Mara'),
  );

  // The owner paints; the guest's page follows.
  await mine.press('2');
  const spot = await mine.findSpot(({ weight }) => weight > 0.1 && weight < 0.9);
  const before = await mine.editCount();
  await mine.drag(spot);
  await mine.allSaved();
  await waitFor(guest, 'the stroke has come', async () =>
    guest
      .findElements(By.xpath('//button[starts-with(., "Undo “Add, neck_3")]'))
      .then((found) => found.length > 0),
  );
  expect(await mine.editCount()).toBe(before + 1);

  // The guest tries to paint, to undo, and poses.
  await theirs.chooseJoint('neck_3');
  await theirs.press('2');
  await theirs.drag(spot);
  await guest.actions().keyDown(Key.CONTROL).sendKeys('z').keyUp(Key.CONTROL).perform();
  await (await find(guest, '.strip-cell:nth-of-type(5)')).click();
  await waitFor(
    guest,
    'the pose is taken',
    async () =>
      (await (await find(guest, '.strip-cell:nth-of-type(5)')).getAttribute('aria-pressed')) === 'true',
  );
  expect(await mine.editCount()).toBe(before + 1);
  expect(await mine.storedValues('pose/')).toEqual({});

  // A comment on a joint reaches the owner as it is written.
  await (await find(guest, '[aria-label^="Comments"]')).click();
  await (
    await find(guest, 'textarea[aria-label="Say something"]')
  ).sendKeys('It pinches here.', Key.CONTROL, Key.ENTER);
  await find(owner, '[aria-label="Comments, 1 open"]');
  await (await find(owner, '[aria-label="Comments, 1 open"]')).click();
  await waitFor(owner, 'it can be read', async () =>
    (await (await find(owner, '.comment-list')).getText()).includes('It pinches here.'),
  );
  await mine.click('Settled', '//*[@aria-label="Comments"]');
  await waitFor(guest, 'it is settled', async () =>
    (await (await find(guest, '[aria-label="Comments"]:not(button)')).getText()).includes(
      'Show the settled one',
    ),
  );

  // One who goes is seen to go.
  await guest.get('about:blank');
  await waitFor(
    owner,
    'nobody else is here',
    async () => (await owner.findElements(By.css('.company'))).length === 0,
  );
});

test('a session that is ended elsewhere is out; name and password come back in', async () => {
  const third = await browser();
  await third.get(`${server.address}/sign-in`);
  await (await find(third, 'input[name="name"]')).sendKeys('mara');
  await (await find(third, 'input[name="password"]')).sendKeys(PASSWORD, Key.ENTER);
  await find(third, '[aria-label="Shelves"]');
  await guest.get(server.address);
  await (await find(guest, '[aria-label^="Account"]')).click();
  await handsOn(server, guest).click('End', '//*[@aria-label="Sessions"]');
  await waitFor(
    guest,
    'one session is left',
    async () => (await guest.findElements(By.css('[aria-label="Sessions"] li'))).length === 1,
  );
  await third.get(server.address);
  await find(third, 'input[name="password"]');
});
