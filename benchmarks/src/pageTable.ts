import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { By, Key, until, type WebDriver } from 'selenium-webdriver';
import { limbGlb } from './limbGlb.ts';
import { reportLongTasks, watchLongTasks } from './longTasks.ts';
import { report } from './measure.ts';

const WAIT_MS = 60_000;
/** 202,500 points. */
const SIDE = 450;

/** The table of weights with 200,000 rows: opening, scrolling, and a whole column set. */
export async function benchTable(driver: WebDriver, address: string): Promise<void> {
  console.log('\nThe table of weights, 202,500 rows');
  const folder = mkdtempSync(join(tmpdir(), 'judoka-bench-'));
  try {
    const file = join(folder, 'limb.glb');
    writeFileSync(file, await limbGlb(SIDE));
    await driver.get(address);
    await (await driver.wait(until.elementLocated(By.css('input[type=file]')), WAIT_MS)).sendKeys(file);
    await driver.wait(until.elementLocated(By.css('canvas[data-frames]')), WAIT_MS);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
  const click = async (xpath: string): Promise<void> =>
    (await driver.wait(until.elementLocated(By.xpath(xpath)), WAIT_MS)).click();
  await driver.findElement(By.partialLinkText('Paint')).click();
  await click('//*[@aria-label="Page of Paint"]//label[.="Exact"]');
  const button = await driver.wait(until.elementLocated(By.xpath('//button[.="Table of weights"]')), WAIT_MS);
  await watchLongTasks(driver);
  const opened = await driver.executeAsyncScript<number>(
    `const [button, done] = arguments;
     const start = performance.now();
     button.click();
     const look = () => document.querySelector('.table-row .cell') ? done(performance.now() - start) : requestAnimationFrame(look);
     look();`,
    button,
  );
  report('opening', opened, 'ms', { most: 300 });
  const told = (what: string, work: () => Promise<void>): Promise<void> =>
    reportLongTasks(driver, what, work);
  await told('scrolling by the wheel, 120 steps', () =>
    driver.executeAsyncScript(
      `const done = arguments[0];
       const table = document.querySelector('.weight-table');
       let n = 0;
       const step = () => {
         table.scrollTop += 240;
         if (++n < 120) requestAnimationFrame(step);
         else done();
       };
       step();`,
    ),
  );
  await told('a jump to the end and back', () =>
    driver.executeAsyncScript(
      `const done = arguments[0];
       const table = document.querySelector('.weight-table');
       const jumps = [1e7, 0, 2e6, 0];
       const step = () => {
         if (jumps.length === 0) return done();
         table.scrollTop = jumps.shift();
         setTimeout(step, 200);
       };
       step();`,
    ),
  );
  const saved = (wanted: boolean): Promise<unknown> =>
    driver.wait(async () => {
      const state = await driver.findElement(By.css('.save-state')).getAttribute('data-state');
      return (state === 'saved') === wanted;
    }, WAIT_MS);
  for (let round = 1; round <= 3; round++) {
    const head = await driver.findElement(By.css('.column-head button'));
    const table = await driver.findElement(By.css('.weight-table'));
    await told(`a whole column set, round ${round}`, async () => {
      await driver.actions({ async: true }).doubleClick(head).perform();
      await table.sendKeys(`0.${round + 3}`, Key.ENTER);
      await saved(false);
      await saved(true);
    });
    await told('  and undone', async () => {
      await table.sendKeys(Key.chord(Key.CONTROL, 'z'));
      await saved(false);
      await saved(true);
    });
  }
}
