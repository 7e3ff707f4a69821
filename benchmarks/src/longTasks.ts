import type { WebDriver } from 'selenium-webdriver';
import { report } from './measure.ts';

/** Notes the main thread's long tasks, as the browser reports them: those of more than 50 ms. */
const WATCH_TASKS = `
  window.longTasks = [];
  const note = (list) => list.getEntries().forEach(({ duration }) => longTasks.push(Math.round(duration)));
  (window.longTaskWatch = new PerformanceObserver((list) => note(list))).observe({ type: 'longtask' });
`;

/** Begins to watch a page, once what comes with opening a character (its check-up, its strays, first pictures) is over. */
export async function watchLongTasks(driver: WebDriver): Promise<void> {
  await driver.executeScript(WATCH_TASKS);
  await driver.executeAsyncScript('requestIdleCallback(() => setTimeout(arguments[0], 4000))');
}

/** Does something, and reports the tasks of more than 50 ms that it took the page's main thread: none is wanted. */
export async function reportLongTasks(
  driver: WebDriver,
  what: string,
  work: () => Promise<void>,
): Promise<void> {
  await driver.executeScript('longTasks.length = 0');
  await work();
  // What is reported comes a little later.
  await driver.executeAsyncScript('setTimeout(arguments[0], 500)');
  const tasks = await driver.executeScript<number[]>('return longTasks');
  const note = `(${tasks.join(', ') || 'none'} ms)`;
  report(`${what}: tasks of more than 50 ms`, tasks.length, '', { most: 0 }, note);
}
