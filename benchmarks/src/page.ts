// npm run bench -- page: what the page's main thread does, in a real browser, on both demo characters.
import { By, Key, until } from 'selenium-webdriver';
import { openBrowser } from '../../e2e/browser.ts';
import { JudokaServer } from '../../e2e/judokaServer.ts';
import { missed, report } from './measure.ts';
import { benchBind } from './pageBind.ts';
import { benchTable } from './pageTable.ts';

const WAIT_MS = 60_000;
/** Times, in the page: handlers of a pressed pointer's moves (first to last listener), and animation frames. */
const WATCH_HANDLERS = `
  const watched = (window.watched = { events: [], frames: [] });
  let start = 0;
  addEventListener('pointermove', () => (start = performance.now()), true);
  addEventListener('pointermove', (event) => {
    if (event.buttons === 1) watched.events.push(performance.now() - start);
  });
  const request = window.requestAnimationFrame.bind(window);
  window.requestAnimationFrame = (work) => request((time) => {
    const from = performance.now();
    work(time);
    watched.frames.push(performance.now() - from);
  });
`;

const server = await JudokaServer.create();
const browser = await openBrowser(1280, 900);
const { driver } = browser;
try {
  await driver.get(server.address);
  await driver.wait(until.elementLocated(By.css('.card')), WAIT_MS);
  await benchCharacter('The ferry-keeper', { open: 2500, dab: 8 });
  await benchClip('The ferry-keeper');
  await benchCharacter('The ferry-keeper, fine', { open: 6000, dab: 16 });
  const sent = await driver.executeScript<number>(
    `return performance.getEntriesByType('resource').filter((e) => e.name.endsWith('.js')).reduce((sum, e) => sum + e.encodedBodySize, 0)`,
  );
  report('JavaScript sent to the page, compressed', sent / 1000, 'kB', { most: 900 });
  await benchBind(driver, server.address);
  await benchTable(driver, server.address);
} finally {
  await browser.close();
  await server.close();
}
console.log(missed() > 0 ? `\n${missed()} figures missed` : '\nAll figures hold');

async function benchCharacter(name: string, most: { open: number; dab: number }): Promise<void> {
  console.log(`\n${name}`);
  await driver.get(server.address);
  const card = await driver.wait(until.elementLocated(By.css(`[aria-label="${name}"] .card-name`)), WAIT_MS);
  const start = performance.now();
  await card.click();
  await driver.wait(until.elementLocated(By.css('canvas[data-frames]')), WAIT_MS);
  report('from the click on its card to a model that can be painted', performance.now() - start, 'ms', {
    most: most.open,
  });
  const search = await driver.findElement(By.css('[aria-label="Find a joint"]'));
  await search.sendKeys('neck_3', Key.ENTER);
  await driver.wait(until.elementLocated(By.css('.strip-cell:nth-of-type(4)')), WAIT_MS).click();
  const canvas = await driver.findElement(By.css('canvas'));
  await canvas.sendKeys('2');
  await canvas.sendKeys('j');
  await driver.executeScript(WATCH_HANDLERS);
  const { x, y, width } = await canvas.getRect();
  const height = await driver.executeScript<number>(
    'return document.querySelector(".legend").parentElement.clientHeight',
  );
  const [cx, cy] = [Math.round(x + width / 2), Math.round(y + height / 2)];
  // A stroke up and down the neck.
  const stroke = driver.actions({ async: true }).move({ x: cx, y: cy, duration: 0 }).press();
  for (let i = 0; i < 80; i++) {
    const swing = Math.sin(i / 6);
    stroke.move({ x: Math.round(cx + 10 * swing), y: Math.round(cy + 70 * swing), duration: 16 });
  }
  await stroke.release().perform();
  const { events, frames } = await driver.executeScript<{ events: number[]; frames: number[] }>(
    'return window.watched',
  );
  if (events.length < 20) throw new Error(`Only ${events.length} moves came; the brush missed.`);
  const at = (list: number[], share: number): number =>
    [...list].sort((a, b) => a - b)[Math.floor(list.length * share)];
  const median = at(events, 0.5) + at(frames, 0.5);
  report(`main thread for a move of the brush (one dab or more), ${events.length} moves`, median, 'ms', {
    most: most.dab,
  });
  report('  of it, handling the move: pick, dab, skin, bend strip', at(events, 0.5), 'ms');
  report('  of it, handing the frame to the renderer', at(frames, 0.5), 'ms');
  report('  handling, 95th percentile', at(events, 0.95), 'ms');
}

/** A clip that plays with weights shown: what the page does a frame, and of it what is handed to the renderer. */
async function benchClip(name: string): Promise<void> {
  await driver.get(server.address);
  await driver.wait(until.elementLocated(By.css(`[aria-label="${name}"] .card-name`)), WAIT_MS).click();
  await driver.wait(until.elementLocated(By.css('canvas[data-frames]')), WAIT_MS);
  await driver.findElement(By.partialLinkText('Trial')).click();
  const click = async (xpath: string): Promise<void> =>
    (await driver.wait(until.elementLocated(By.xpath(xpath)), WAIT_MS)).click();
  await click('//*[@aria-label="Page of Trial"]//label[.="Clips"]');
  await click('//button[.="walking"]');
  const search = await driver.findElement(By.css('[aria-label="Find a joint"]'));
  await search.sendKeys('knee_L', Key.ENTER);
  await driver.executeScript(WATCH_HANDLERS);
  await driver.executeScript(`
    const gl = document.querySelector('canvas').getContext('webgl2');
    window.watched.drawing = 0;
    for (const call of ['drawElements', 'drawArrays', 'clear', 'bufferSubData', 'bufferData', 'texImage2D', 'flush']) {
      const own = gl[call].bind(gl);
      gl[call] = (...args) => {
        const from = performance.now();
        own(...args);
        window.watched.drawing += performance.now() - from;
      };
    }`);
  await click('//*[@aria-label="Play"]');
  await driver.wait(
    async () => (await driver.executeScript<number>('return window.watched.frames.length')) > 120,
    WAIT_MS,
  );
  const { frames, drawing } = await driver.executeScript<{ frames: number[]; drawing: number }>(
    'return window.watched',
  );
  await click('//*[@aria-label="Pause"]');
  const total = frames.reduce((sum, ms) => sum + ms, 0);
  // Playing and drawing ask for a frame each.
  const shown = frames.length / 2;
  report(
    `a clip plays: the page's own work a frame, ${Math.round(shown)} frames`,
    (total - drawing) / shown,
    'ms',
    {
      most: 4,
    },
  );
  report('  besides, drawing', drawing / shown, 'ms');
}
