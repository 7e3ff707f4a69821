import { existsSync, mkdtempSync, readdirSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Builder, By, until, type WebDriver, type WebElement } from 'selenium-webdriver';
import chrome from 'selenium-webdriver/chrome.js';

const WAIT_MS = 60_000;
/** What is waited for is asked so often: a test waits many times. */
const POLL_MS = 50;

export interface Browser {
  readonly driver: WebDriver;
  /** Where downloads go. */
  readonly downloads: string;
  close(): Promise<void>;
}

/** Edges are drawn without smoothing: in software that takes half of the time, and no test looks at them. */
const WITHOUT_SMOOTHING = `
  const { getContext } = HTMLCanvasElement.prototype;
  HTMLCanvasElement.prototype.getContext = function (kind, options) {
    return getContext.call(this, kind, kind === 'webgl2' ? { ...options, antialias: false } : options);
  };`;

/** The stage has a sixteenth of its pixels: in software that too halves the time. Places on the page stay what they are. */
const COARSE = 0.25;

/** Headless Chromium with a profile of its own; WebGL2 is drawn in software. */
export async function openBrowser(width = 1280, height = 800, isSmooth = false): Promise<Browser> {
  const profile = mkdtempSync(join(tmpdir(), 'judoka-browser-'));
  const downloads = join(profile, 'downloads');
  const options = new chrome.Options();
  options.setChromeBinaryPath('/usr/bin/chromium');
  options.addArguments(
    '--headless=new',
    '--no-sandbox',
    // The page is put together without the WebGL that is drawn in software: that takes a third of the time.
    '--disable-gpu-compositing',
    '--use-angle=swiftshader',
    '--enable-unsafe-swiftshader',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
    '--disable-dev-shm-usage',
    // A window that another one covers goes on as if it were looked at.
    '--disable-background-timer-throttling',
    '--disable-backgrounding-occluded-windows',
    '--disable-renderer-backgrounding',
    '--hide-scrollbars',
    `--user-data-dir=${profile}`,
    `--window-size=${width},${height}`,
  );
  options.setUserPreferences({
    'download.default_directory': downloads,
    'download.prompt_for_download': false,
  });
  const service = new chrome.ServiceBuilder('/usr/bin/chromedriver');
  const driver = await new Builder()
    .forBrowser('chrome')
    .setChromeOptions(options)
    .setChromeService(service)
    .build();
  const wait = driver.wait.bind(driver) as (condition: unknown, ...how: unknown[]) => never;
  driver.wait = (condition: unknown, timeout?: number, message?: string) =>
    wait(condition, timeout, message, POLL_MS);
  await driver.manage().setTimeouts({ script: WAIT_MS });
  await (driver as chrome.Driver).sendDevToolsCommand('Emulation.setDeviceMetricsOverride', {
    width,
    height,
    deviceScaleFactor: isSmooth ? 1 : COARSE,
    mobile: false,
  });
  if (!isSmooth)
    await (driver as chrome.Driver).sendDevToolsCommand('Page.addScriptToEvaluateOnNewDocument', {
      source: WITHOUT_SMOOTHING,
    });
  return {
    driver,
    downloads,
    close: async () => {
      await driver.quit();
      rmSync(profile, { recursive: true, force: true, maxRetries: 5 });
    },
  };
}

export function find(driver: WebDriver, css: string): Promise<WebElement> {
  return driver.wait(until.elementLocated(By.css(css)), WAIT_MS, `nothing matches ${css}`);
}

/** Waits until `question` answers something true, and gives the answer. */
export async function waitFor<T>(
  driver: WebDriver,
  what: string,
  question: () => Promise<T | undefined | false | null>,
): Promise<T> {
  let answer: T | undefined | false | null;
  await driver.wait(
    async () => {
      answer = await question().catch(() => undefined);
      return Boolean(answer);
    },
    WAIT_MS,
    `waited in vain until ${what}`,
  );
  return answer as T;
}

/** Waits until an element stays where it is for some frames, and nothing lies over it. */
export function stands(driver: WebDriver, element: WebElement): Promise<boolean> {
  return waitFor(driver, 'it stands still', () =>
    driver.executeAsyncScript<boolean>(
      `const [element, done] = arguments;
       const place = () => Object.values(element.getBoundingClientRect().toJSON()).join();
       const before = place();
       const isOnTop = () => {
         const { left, top, width, height } = element.getBoundingClientRect();
         return element.contains(document.elementFromPoint(left + width / 2, top + height / 2));
       };
       const later = (n) =>
         n === 0 ? done(place() === before && isOnTop()) : requestAnimationFrame(() => later(n - 1));
       later(6);`,
      element,
    ),
  );
}

/** Begins what a button begins, and stops it as soon as the page shows how: it may be short. */
export async function stopAtOnce(driver: WebDriver, begin: string): Promise<void> {
  const stopped = await driver.executeAsyncScript<boolean>(
    `const [begin, done] = arguments;
     const button = (words) => [...document.querySelectorAll('button')].find((one) => one.textContent.trim() === words);
     const watch = new MutationObserver(() => {
       if (!button('Stop')) return;
       watch.disconnect();
       button('Stop').click();
       done(true);
     });
     watch.observe(document.body, { subtree: true, childList: true, characterData: true });
     button(begin).click();`,
    begin,
  );
  if (!stopped) throw new Error(`“${begin}” could not be stopped`);
}

/** Waits until a file with this ending has come down whole. @returns its path */
export function downloaded({ driver, downloads }: Browser, ending: string): Promise<string> {
  return waitFor(driver, `a file ${ending} is there`, () => {
    const names = existsSync(downloads) ? readdirSync(downloads) : [];
    const file = names.find((name) => name.endsWith(ending));
    const isWhole = file !== undefined && !names.some((name) => name.endsWith('.crdownload'));
    const path = join(downloads, file ?? '');
    return Promise.resolve(isWhole && statSync(path).size > 0 ? path : undefined);
  });
}

export async function textOf(driver: WebDriver, css: string): Promise<string> {
  return (await find(driver, css)).getText();
}
