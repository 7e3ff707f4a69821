import { By, Key, until, type WebDriver } from 'selenium-webdriver';
import { reportLongTasks, watchLongTasks } from './longTasks.ts';

const WAIT_MS = 60_000;

/** Bindings of the large character: what they, a look at the old weights, keeping and undoing take of the page. */
export async function benchBind(driver: WebDriver, address: string): Promise<void> {
  console.log('\nBindings of 126,257 points');
  await driver.get(address);
  const card = By.css('[aria-label="The ferry-keeper, fine"] .card-name');
  await (await driver.wait(until.elementLocated(card), WAIT_MS)).click();
  await driver.wait(until.elementLocated(By.css('canvas[data-frames]')), WAIT_MS);
  await driver.findElement(By.partialLinkText('Bind')).click();
  const there = (xpath: string) => driver.wait(until.elementLocated(By.xpath(xpath)), WAIT_MS);
  const click = async (xpath: string): Promise<void> => (await there(xpath)).click();
  const gone = (css: string): Promise<unknown> =>
    driver.wait(async () => (await driver.findElements(By.css(css))).length === 0, WAIT_MS);
  const result = '//*[@aria-label="Proposal"]';
  await watchLongTasks(driver);
  for (const method of ['Nearest bone', 'Heat', 'Volume']) {
    await click(`//*[normalize-space(text())="${method}"]`);
    await reportLongTasks(driver, method, async () => {
      await click('//button[normalize-space(.)="Bind"]');
      await there(`${result}//button[.="Keep"]`);
    });
    await reportLongTasks(driver, '  the old weights, the new ones, kept and undone', async () => {
      await click('//*[@aria-label="Weights on the stage"]//label[.="Old"]');
      await click('//*[@aria-label="Weights on the stage"]//label[.="New"]');
      await click(`${result}//button[.="Keep"]`);
      await gone('[aria-label="Proposal"]');
      await driver.findElement(By.css('canvas')).sendKeys(Key.chord(Key.CONTROL, 'z'));
      await driver.wait(async () => {
        const state = await driver.findElement(By.css('.save-state')).getAttribute('data-state');
        return state === 'saved';
      }, WAIT_MS);
    });
  }
}
