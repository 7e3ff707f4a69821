// npm run bench -- page: what the page's main thread does, in a real browser, on both demo characters.
import { spawn, type ChildProcess } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Builder, By, Key, until, type WebDriver } from 'selenium-webdriver';
import chrome from 'selenium-webdriver/chrome.js';
import { missed, report } from './measure.ts';

const ROOT = join(import.meta.dirname, '../..');
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

const server = await startServer();
const { driver, profile } = await openBrowser();
try {
  await driver.get(server.address);
  await driver.wait(until.elementLocated(By.css('.card')), WAIT_MS);
  await benchCharacter('The ferry-keeper', { open: 2500, dab: 8 });
  await benchCharacter('The ferry-keeper, fine', { open: 6000, dab: 16 });
  const sent = await driver.executeScript<number>(
    `return performance.getEntriesByType('resource').filter((e) => e.name.endsWith('.js')).reduce((sum, e) => sum + e.encodedBodySize, 0)`,
  );
  report('JavaScript sent to the page, compressed', sent / 1000, 'kB', { most: 900 });
} finally {
  await driver.quit();
  server.process.kill('SIGTERM');
  rmSync(profile, { recursive: true, force: true, maxRetries: 5 });
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
  await canvas.sendKeys('c');
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

async function startServer(): Promise<{ address: string; process: ChildProcess }> {
  const port = await new Promise<number>((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const { port: free } = probe.address() as AddressInfo;
      probe.close(() => resolve(free));
    });
  });
  const child = spawn(
    process.execPath,
    ['--no-warnings', '--import', 'tsx', join(ROOT, 'server/src/main.ts')],
    {
      cwd: ROOT,
      env: {
        ...process.env,
        NODE_ENV: 'production',
        PORT: String(port),
        JUDOKA_LOCAL_ACCOUNT: '1',
        JUDOKA_DATA: join(ROOT, '.cache'),
      },
      stdio: ['ignore', 'pipe', 'inherit'],
    },
  );
  await new Promise<void>((resolve) => {
    child.stdout.on('data', (text: Buffer) => {
      if (text.toString().includes('Judoka is at')) resolve();
    });
  });
  return { address: `http://localhost:${port}`, process: child };
}

async function openBrowser(): Promise<{ driver: WebDriver; profile: string }> {
  const profile = mkdtempSync(join(tmpdir(), 'judoka-bench-'));
  const options = new chrome.Options();
  options.setChromeBinaryPath('/usr/bin/chromium');
  options.addArguments(
    '--headless=new',
    '--no-sandbox',
    '--use-angle=swiftshader',
    '--enable-unsafe-swiftshader',
  );
  options.addArguments(
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
  );
  options.addArguments('--disable-sync', `--user-data-dir=${profile}`, '--window-size=1280,900');
  const service = new chrome.ServiceBuilder('/usr/bin/chromedriver');
  const opened = await new Builder()
    .forBrowser('chrome')
    .setChromeOptions(options)
    .setChromeService(service)
    .build();
  return { driver: opened, profile };
}
