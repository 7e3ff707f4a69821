import { expect } from '@jest/globals';
import {
  decodeWeights,
  decodeRows,
  documentHeader,
  unpackFrame,
  type DocumentHeader,
} from '@judoka/contract';
import { openGlb, readCharacter } from '@judoka/core/formats';
import type { Character } from '@judoka/core/document';
import { restWorld, type Skeleton } from '@judoka/core/skeleton';
import type { WeightRows } from '@judoka/core/weights';
import { By, error, Key, type WebDriver, type WebElement, until } from 'selenium-webdriver';
import { find, textOf, waitFor } from './browser.ts';
import type { JudokaServer } from './judokaServer.ts';

/** A place of the page, and what the loupe says there. */
/** In pixels of the page. */
interface Place {
  readonly x: number;
  readonly y: number;
}

export interface Spot {
  readonly x: number;
  readonly y: number;
  readonly point: number;
  readonly weight: number;
}

/** Of a line `e` of the log, or its target `t`: whether it changes weights or joints. */
const OF_SHAPE = `(coalesce(t.delta, e.delta) is not null or coalesce(t.joints, e.joints) is not null
  or greatest(t.pieces, e.pieces) > 0)`;

export const named = (skeleton: Skeleton, name: string): number =>
  skeleton.joints.findIndex((each) => each.name === name);

/** Where a joint stands at rest. */
export function placeIn(skeleton: Skeleton, name: string): number[] {
  const at = named(skeleton, name) * 16;
  return [...restWorld(skeleton).subarray(at + 12, at + 15)];
}

/** What a person does in the workspace, and what the tests look up behind the page's back. */
export function handsOn(server: JudokaServer, driver: WebDriver) {
  const saveState = (): Promise<string> => textOf(driver, '.save-state');
  const allSaved = (): Promise<unknown> =>
    waitFor(driver, 'all is saved', async () => (await saveState()) === 'All saved');

  async function characterId(): Promise<string> {
    return /characters\/([0-9a-f-]{36})/.exec(await driver.getCurrentUrl())?.[1] ?? '';
  }

  /** What the page's own session gets from the server. */
  async function fetched(path: string): Promise<Uint8Array> {
    const base64 = await driver.executeAsyncScript<string>(
      `const done = arguments[arguments.length - 1];
       fetch('${path}').then((r) => r.blob()).then((blob) => {
         const reader = new FileReader();
         reader.onload = () => done(reader.result.split(',')[1]);
         reader.readAsDataURL(blob);
       });`,
    );
    return new Uint8Array(Buffer.from(base64, 'base64'));
  }

  /** The document that the server has, fetched by the page's own session. */
  async function storedDocument(): Promise<DocumentHeader & { rows: WeightRows[] }> {
    const { header, blobs } = unpackFrame(await fetched(`/api/characters/${await characterId()}/document`));
    return { ...documentHeader.parse(header), rows: decodeRows(blobs[0]) };
  }

  const storedWeights = async (): Promise<WeightRows[]> => (await storedDocument()).rows;

  /** The last line of the log that is about weights or joints. */
  async function lastEdit(): Promise<{ label: string; kind: string; points: Uint32Array; part: number }> {
    const rows = await server.query<{ label: string; kind: string; id: string }>(
      `select e.label, e.kind, e.id
       from edits e
       left join edits t on t.character_id = e.character_id and t.id = e.target
       where e.character_id = $1 and ${OF_SHAPE}
       order by e.seq desc
       limit 1`,
      [await characterId()],
    );
    const { label, kind, id } = rows[0];
    const { blobs } = unpackFrame(await fetched(`/api/characters/${await characterId()}/edits/${id}`));
    const change = kind === 'edit' && blobs.length > 0 ? decodeWeights(blobs[0]).at(0) : undefined;
    return { label, kind, points: change?.points ?? new Uint32Array(0), part: change?.part ?? -1 };
  }

  /** How many lines of the log are about weights or joints. */
  async function editCount(id?: string): Promise<number> {
    const sql = `select count(*)::int as n
       from edits e
       left join edits t on t.character_id = e.character_id and t.id = e.target
       where e.character_id = $1 and ${OF_SHAPE}`;
    return (await server.query<{ n: number }>(sql, [id ?? (await characterId())]))[0].n;
  }

  /** What stands at the paths of the character's document that begin so. */
  async function storedValues<T>(prefix: string): Promise<Record<string, T | undefined>> {
    const rows = await server.query<{ path: string; value: T }>(
      'select path, value from document_values where character_id = $1 and starts_with(path, $2)',
      [await characterId(), prefix],
    );
    return Object.fromEntries(rows.map(({ path, value }) => [path.slice(prefix.length), value]));
  }

  async function goTo(stage: string): Promise<void> {
    await (
      await driver.wait(until.elementLocated(By.xpath(`//nav//a[starts-with(., "${stage}")]`)), 20_000)
    ).click();
  }

  async function click(words: string, within = '//body'): Promise<void> {
    const place = By.xpath(`${within}//button[normalize-space(.)="${words}"]`);
    await driver.wait(until.elementLocated(place), 30_000, `no button says “${words}”`);
    await driver.wait(
      async () => {
        try {
          const button = await driver.findElement(place);
          if (!(await button.isEnabled())) return false;
          await button.click();
          return true;
        } catch (failure) {
          // It was drawn anew between the look and the click.
          if (failure instanceof error.StaleElementReferenceError) return false;
          if (failure instanceof error.NoSuchElementError) return false;
          // Something lies over it for a moment: a dialog that opens, a notice.
          if (failure instanceof error.ElementClickInterceptedError) return false;
          throw failure;
        }
      },
      30_000,
      `“${words}” cannot be clicked`,
    );
  }

  /** Picks one of several that stand side by side: a page of Bind, a shape of selecting. */
  async function pick(group: string, label: string): Promise<void> {
    const option = `//*[@aria-label="${group}"]//label[normalize-space(.)="${label}"]`;
    await (await driver.wait(until.elementLocated(By.xpath(option)), 20_000)).click();
  }

  /** Takes one of a dropdown's choices. */
  async function choose(field: string, label: string): Promise<void> {
    await (await find(driver, `input[aria-label="${field}"]`)).click();
    const option = By.xpath(`//*[@role="option"][normalize-space(.)="${label}"]`);
    await (await driver.wait(until.elementLocated(option), 10_000)).click();
  }

  const isThere = async (css: string): Promise<boolean> =>
    (await driver.findElements(By.css(css))).length > 0;

  /** Types into a field and leaves it. */
  async function type(label: string, text: string): Promise<void> {
    const field = await find(driver, `input[aria-label="${label}"]`);
    await field.sendKeys(Key.chord(Key.CONTROL, 'a'), text, Key.ENTER);
  }

  /** The file that the character is exported as, by the page's own session. */
  const exportedBytes = async (how = ''): Promise<Uint8Array> =>
    fetched(`/api/characters/${await characterId()}/export.glb?${how}`);
  const exported = async (): Promise<Character> => readCharacter(openGlb(await exportedBytes()));

  async function press(keys: string): Promise<void> {
    await (await find(driver, 'canvas')).sendKeys(keys);
  }

  /** Looks at the chosen joint. @returns where it stands on the page then */
  async function lookAtJoint(): Promise<Place> {
    const canvas = await find(driver, 'canvas');
    const drawn = async (): Promise<number> => Number(await canvas.getAttribute('data-frames'));
    const frames = await drawn();
    await press('j');
    await waitFor(driver, 'it is looked at', async () => (await drawn()) > frames);
    // The frame may have been one that was on its way before: the handles rest when it is looked at.
    await waitFor(driver, 'the handles rest', () =>
      driver.executeAsyncScript<boolean>(
        `const [canvas, done] = arguments;
         const before = canvas.dataset.handles;
         const later = (n) => n === 0 ? done(canvas.dataset.handles === before) : requestAnimationFrame(() => later(n - 1));
         later(6);`,
        canvas,
      ),
    );
    const { x, y } = await canvas.getRect();
    const [left, top] = ((await canvas.getAttribute('data-handles')) ?? '').split(',').map(Number);
    return { x: Math.round(x + left), y: Math.round(y + top) };
  }

  async function openKeeper(name: string): Promise<void> {
    await driver.get(await server.entry());
    // The warm-up would lie over the stage.
    await driver.executeScript(`localStorage.setItem('judoka.warmUp', 'seen')`);
    await (await find(driver, `[aria-label="${name}"] .card-name`)).click();
    await find(driver, 'canvas[data-frames]');
  }

  async function chooseJoint(name: string): Promise<void> {
    const search = await find(driver, '[aria-label="Find a joint"]');
    await search.sendKeys(Key.chord(Key.CONTROL, 'a'), name, Key.ENTER);
    await waitFor(driver, `${name} is chosen`, async () =>
      (await find(driver, `[data-joint="${name}"]`))
        .getAttribute('aria-selected')
        .then((chosen) => chosen === 'true'),
    );
    await search.sendKeys(Key.chord(Key.CONTROL, 'a'), Key.DELETE);
  }

  async function moveTo(x: number, y: number): Promise<void> {
    await driver
      .actions({ async: true })
      .move({ x: Math.round(x), y: Math.round(y), duration: 0 })
      .perform();
  }

  /** What the loupe says at a place of the page; undefined off the model. */
  async function loupeAt(x: number, y: number): Promise<Spot | undefined> {
    await moveTo(x, y);
    return driver.executeAsyncScript<Spot | undefined>(
      `const done = arguments[2];
       requestAnimationFrame(() => requestAnimationFrame(() => {
         const loupe = document.querySelector('[data-testid=loupe]');
         if (!loupe || loupe.dataset.part !== 'body') return done(undefined);
         const weight = Number(loupe.querySelector('.loupe-head .figures')?.textContent ?? 'NaN');
         done({ x: arguments[0], y: arguments[1], point: Number(loupe.dataset.point), weight });
       }));`,
      x,
      y,
    );
  }

  /**
   * Looks at the chosen joint, then in widening rings around it until the loupe shows a body point that fits.
   *
   * @param from where the rings begin, if not in the middle of the stage
   */
  async function findSpot(fits: (spot: Spot) => boolean, from?: Place): Promise<Spot> {
    await press('j');
    const { x, y, width } = await (await find(driver, 'canvas')).getRect();
    const height = await driver.executeScript<number>(
      'return document.querySelector(".legend").parentElement.clientHeight',
    );
    const middle = from ?? { x: x + width / 2, y: y + height / 2 };
    // Far apart first: each look takes as long as a frame.
    for (const step of [22, 9])
      for (let ring = 0; ring * step < 200; ring++)
        for (let k = 0; k < Math.max(1, ring * 3); k++) {
          const angle = (2 * Math.PI * k) / Math.max(1, ring * 3);
          const [dx, dy] = [Math.cos(angle) * ring * step, Math.sin(angle) * ring * step];
          const spot = await loupeAt(middle.x + dx, middle.y + dy);
          if (spot && fits(spot)) return spot;
        }
    throw new Error('No point of the body under the pointer fits.');
  }

  /** The table once it is open: the keys are its own then. */
  async function openedTable(): Promise<WebElement> {
    const grid = await find(driver, '[role="grid"][aria-label="Weights"]');
    await waitFor(driver, 'the keys are the table’s', () =>
      driver.executeScript<boolean>('return document.activeElement === arguments[0]', grid),
    );
    return grid;
  }

  /** Drags the left button from a spot a little way down. */
  async function drag(spot: Place, dx = 4, dy = 14): Promise<void> {
    const [x, y] = [Math.round(spot.x), Math.round(spot.y)];
    await driver
      .actions({ async: true })
      .move({ x, y, duration: 0 })
      .press()
      .move({ x: x + dx, y: y + dy, duration: 120 })
      .release()
      .perform();
  }

  async function strokeWith(toolKey: string, label: string, spot: Spot): Promise<Uint32Array> {
    const before = await editCount();
    await press(toolKey);
    await drag(spot);
    await waitFor(driver, `${label} is stored`, async () => (await editCount()) === before + 1);
    await allSaved();
    const edit = await lastEdit();
    expect(edit).toMatchObject({ label: `${label}, neck_3`, kind: 'edit', part: 0 });
    expect(edit.points.length).toBeGreaterThan(3);
    return edit.points;
  }

  return {
    goTo,
    click,
    pick,
    choose,
    isThere,
    type,
    exported,
    exportedBytes,
    saveState,
    allSaved,
    characterId,
    storedWeights,
    lastEdit,
    editCount,
    storedValues,
    storedDocument,
    press,
    lookAtJoint,
    moveTo,
    openKeeper,
    chooseJoint,
    findSpot,
    drag,
    openedTable,
    strokeWith,
  };
}
