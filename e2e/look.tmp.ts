import { writeFileSync } from 'node:fs';
import { Key } from 'selenium-webdriver';
import { openBrowser, find } from './browser.ts';
const address = process.argv[2];
const plan = process.argv.slice(3);
const { driver, close } = await (async () => {
  const b: any = await openBrowser();
  return b.driver ? b : { driver: b, close: () => b.quit() };
})();
const shot = async (name: string) =>
  writeFileSync(`/tmp/shot-${name}.png`, Buffer.from(await driver.takeScreenshot(), 'base64'));
const pause = (ms: number) => new Promise((r) => setTimeout(r, ms));
await driver.manage().window().setRect({ width: 1280, height: 890 });
await driver.get(address);
for (const step of plan) {
  const [verb, ...rest] = step.split(':');
  const arg = rest.join(':');
  try {
    if (verb === 'open') {
      await (await find(driver, `[aria-label="${arg}"] .card-name`)).click();
      await find(driver, 'canvas[data-frames]');
      await pause(1500);
    } else if (verb === 'click') {
      await (await find(driver, arg)).click();
      await pause(300);
    } else if (verb === 'text') {
      for (const e of await driver.findElements({
        xpath: `//*[self::button or self::a or self::label or self::span][normalize-space(.)="${arg}"]`,
      } as any)) {
        if (await e.isDisplayed()) {
          await e.click();
          break;
        }
      }
      await pause(300);
    } else if (verb === 'joint') {
      const s = await find(driver, '[aria-label="Find a joint"]');
      await s.sendKeys(Key.chord(Key.CONTROL, 'a'), arg, Key.ENTER);
      await s.sendKeys(Key.chord(Key.CONTROL, 'a'), Key.DELETE);
      await pause(300);
    } else if (verb === 'drag') {
      const [a, b, c, d] = arg.split(',').map(Number);
      await driver
        .actions({ async: true })
        .move({ x: a, y: b, duration: 0 })
        .press()
        .move({ x: Math.round((a + c) / 2), y: Math.round((b + d) / 2), duration: 100 })
        .move({ x: c, y: d, duration: 100 })
        .release()
        .perform();
      await pause(500);
    } else if (verb === 'press') {
      await (await find(driver, 'canvas')).sendKeys(arg);
      await pause(300);
    } else if (verb === 'type') {
      const [sel, val] = arg.split('=');
      const e = await find(driver, `[aria-label="${sel}"]`);
      await e.sendKeys(Key.chord(Key.CONTROL, 'a'), val, Key.ENTER);
      await pause(300);
    } else if (verb === 'wait') await pause(Number(arg));
    else if (verb === 'shot') await shot(arg);
    else if (verb === 'js')
      console.log(arg, '=>', JSON.stringify(await driver.executeScript('return ' + arg)));
  } catch (e) {
    console.log('failed at', step, String(e).slice(0, 300));
  }
}
const logs = await driver
  .manage()
  .logs()
  .get('browser')
  .catch(() => []);
for (const l of logs) if (l.level.value >= 900) console.log('console:', l.message.slice(0, 300));
await close();
