import { writeFileSync } from 'node:fs';
import { By, until } from 'selenium-webdriver';
import { openBrowser } from './browser.ts';
const b = await openBrowser(+(process.argv[3] ?? 1280), +(process.argv[4] ?? 800));
const { driver } = b;
const shot = async (n: string) => { await driver.sleep(600); writeFileSync(`/tmp/shot-${n}.png`, Buffer.from(await driver.takeScreenshot(), 'base64')); };
const click = async (css: string) => { const e = await driver.wait(until.elementLocated(By.css(css)), 20000); await driver.wait(until.elementIsEnabled(e), 20000); await e.click(); };
const byText = async (t: string) => { const e = await driver.wait(until.elementLocated(By.xpath(`//button[normalize-space(.)=${JSON.stringify(t)}]`)), 20000); await e.click(); };
try {
  await driver.get('http://localhost:4600/');
  const link = await driver.wait(until.elementLocated(By.css('.card a[href*="characters"]')), 30000);
  const href = await link.getAttribute('href');
  const base = href.replace(/\/[^/]+$/, '');
  await driver.get(base + '/check-in');
  await driver.wait(until.elementLocated(By.css('.finding')), 40000);
  if (process.argv[2] !== 'bind') {
    await shot('check');
    await (await driver.findElement(By.css('.finding[data-code="tied-to-root"] button'))).click();
    await shot('check-shown');
    await byText('Repair all that is safe');
    await driver.wait(until.elementLocated(By.css('[data-health="good"]')), 30000);
    await shot('check-healthy');
  }
  await driver.get(base + '/bind');
  await driver.wait(until.elementLocated(By.css('.choice')), 40000);
  await (await driver.findElement(By.css('[data-joint="neck_4"]'))).click();
  await shot('bind');
  await byText('Bind');
  await driver.sleep(700);
  await shot('bind-busy');
  await driver.wait(until.elementLocated(By.xpath('//button[.="Keep"]')), 60000);
  await shot('bind-done');
  console.log((await driver.manage().logs().get('browser')).map((l) => l.message).join('\n'));
} catch (e) { console.log(e, (await driver.manage().logs().get('browser')).map((l) => l.message).join('\n')); await shot('fail'); }
await b.close();
