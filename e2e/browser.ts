import { existsSync, mkdtempSync, readdirSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Builder, By, until, type WebDriver, type WebElement } from 'selenium-webdriver';
import chrome from 'selenium-webdriver/chrome.js';

const WAIT_MS = 60_000;

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

/** The stage has a quarter of its pixels: in software that too halves the time. Places on the page stay what they are. */
const COARSE = 0.5;

/** Headless Chromium with a profile of its own; WebGL2 is drawn in software. */
export async function openBrowser(width = 1280, height = 800, isSmooth = false): Promise<Browser> {
  const profile = mkdtempSync(join(tmpdir(), 'judoka-browser-'));
  const downloads = join(profile, 'downloads');
  const options = new chrome.Options();
  options.setChromeBinaryPath('/usr/bin/chromium');
  options.addArguments(
    '--headless=new',
    '--no-sandbox',
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
