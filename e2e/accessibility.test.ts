import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { afterAll, describe, expect, test } from '@jest/globals';
import type { AxeResults } from 'axe-core';
import { find, openBrowser, waitFor } from './browser.ts';
import { handsOn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

const AXE = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');
const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const { goTo, pick, click, chooseJoint, press, openKeeper } = handsOn(server, driver);

afterAll(async () => {
  await browser.close();
  await server.close();
});

/**
 * What axe finds serious or critical on the page as it stands: the rule, and where it is broken.
 * @param rules to look at; all where missing
 */
async function seriousFindings(rules?: readonly string[]): Promise<string[]> {
  if (!(await driver.executeScript<boolean>('return "axe" in window'))) await driver.executeScript(AXE);
  const { violations } = await driver.executeAsyncScript<AxeResults>(
    `const [options, done] = arguments; axe.run(document, options).then(done);`,
    { resultTypes: ['violations'], ...(rules && { runOnly: rules }) },
  );
  return violations
    .filter(({ impact }) => impact === 'serious' || impact === 'critical')
    .flatMap(({ id, nodes }) =>
      nodes.map(
        ({ target, any }) => `${id}: ${target.join(' ')} ${any.map(({ message }) => message).join(' ')}`,
      ),
    );
}

/** Every page of every stage, as a person walks through them. */
async function walkThrough(look: (page: string) => Promise<void>): Promise<void> {
  await driver.get(await server.entry());
  await find(driver, '[aria-label="The ferry-keeper"]');
  await find(driver, '[aria-label="Character file"]');
  await look('the shelf');
  await openKeeper('The ferry-keeper');
  await chooseJoint('knee_L');
  const pages: Readonly<Record<string, readonly [string, readonly string[]]>> = {
    Bind: ['Page of Bind', ['Joints', 'Binding', 'By hand', 'Reach', 'Another']],
    Paint: ['Page of Paint', ['Brush', 'Select', 'Exact', 'Mirror', 'Masks']],
    Trial: ['Page of Trial', ['Range', 'Clips', 'Strays', 'Poses', 'Beside']],
  };
  await goTo('Check-in');
  await find(driver, '[aria-label="Findings"] [role="listitem"]');
  await look('Check-in');
  for (const [stage, [group, names]] of Object.entries(pages)) {
    await goTo(stage);
    for (const name of names) {
      await pick(group, name);
      await look(`${stage}, ${name}`);
    }
  }
  await goTo('Paint');
  await pick('Page of Paint', 'Exact');
  await click('Table of weights');
  await find(driver, '[role="grid"][aria-label="Weights"] [role="gridcell"]');
  await look('the table of weights');
  await (await find(driver, '[aria-label="Close the table"]')).click();
  await (await find(driver, '[aria-label="History"]')).click();
  await find(driver, '.history-scroll');
  await look('the history');
  await pick('What is listed', 'Moments');
  await look('moments');
  await (await find(driver, '[aria-label="Close the history"]')).click();
  await goTo('Deliver');
  await look('Deliver');
  await pick('Page of Deliver', 'Export');
  await look('Export');
  await pick('Page of Deliver', 'Delivered');
  await look('Delivered');
  await press('?');
  await find(driver, '[role="dialog"]');
  await look('the list of keys');
}

describe('no view keeps anybody out', () => {
  test.each(['day', 'night'])('by %s', async (light) => {
    const findings: Record<string, string[]> = {};
    await driver.get(await server.entry());
    await driver.executeScript(
      `localStorage.setItem('mantine-color-scheme-value', '${light === 'night' ? 'dark' : 'light'}')`,
    );
    await walkThrough(async (page) => {
      await waitFor(driver, 'nothing moves', () =>
        driver.executeScript<boolean>(
          'return document.getAnimations().every(({ playState }) => playState !== "running")',
        ),
      );
      // Night differs from day in its colours alone.
      const found = await seriousFindings(light === 'night' ? ['color-contrast'] : undefined);
      if (found.length > 0) findings[`${page} by ${light}`] = found;
    });
    expect(findings).toEqual({});
  });
});
