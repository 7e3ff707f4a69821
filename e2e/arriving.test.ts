import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, describe, expect, test } from '@jest/globals';
import { exportCharacter, openGlb, readCharacter, writeGlb } from '@judoka/core/formats';
import { addJoint, withSetups } from '@judoka/core/skeleton';
import { rowSum } from '@judoka/core/weights';
import { makePorter } from '@judoka/demo';
import { validateBytes } from 'gltf-validator';
import { Key } from 'selenium-webdriver';
import { find, openBrowser, textOf, waitFor } from './browser.ts';
import { handsOn, named, placeIn } from './hands.ts';
import { JudokaServer } from './judokaServer.ts';

// Files that nobody here made: how they arrive, are bound and leave.

const server = await JudokaServer.create();
const browser = await openBrowser();
const { driver } = browser;
const hands = handsOn(server, driver);
const { allSaved, editCount, chooseJoint, goTo, click, pick, isThere } = hands;

afterAll(async () => {
  await browser.close();
  await server.close();
});

/** Takes a file onto the shelf, and waits until it is open. */
async function takeIn(name: string, bytes: Uint8Array): Promise<void> {
  const file = join(browser.downloads, '..', `${name}.glb`);
  writeFileSync(file, bytes);
  await driver.get(await server.entry());
  await (await find(driver, 'input[type="file"]')).sendKeys(file);
  await find(driver, 'canvas[data-frames]');
}

describe('a bare mesh', () => {
  /** The porter without skin, joints and clips: what somebody has only modelled. */
  async function barePorter(): Promise<Uint8Array> {
    const glb = openGlb(await makePorter({ faults: false }));
    const { skins: _s, animations: _a, ...json } = structuredClone(glb.json);
    const nodes = (json.nodes ?? [])
      .filter(({ mesh }) => mesh !== undefined)
      .map(({ skin: _, children: _c, ...node }) => node);
    for (const { primitives } of json.meshes ?? [])
      for (const primitive of primitives)
        primitive.attributes = Object.fromEntries(
          Object.entries(primitive.attributes).filter(([name]) => !/^(JOINTS|WEIGHTS)_/.test(name)),
        );
    return writeGlb({ ...glb, json: { ...json, nodes, scenes: [{ nodes: [...nodes.keys()] }] } });
  }

  const stageSize = (): Promise<{ width: number; height: number }> =>
    driver.executeScript(
      'const { clientWidth: width, clientHeight: height } = document.querySelector(".stage > div"); return { width, height }',
    );

  /** Clicks on the stage at shares of its width and height, and waits for the joint. */
  async function growAt(u: number, v: number, joints: number): Promise<void> {
    const { x, y } = await (await find(driver, 'canvas')).getRect();
    const { width, height } = await stageSize();
    await driver
      .actions({ async: true })
      .move({ x: Math.round(x + u * width), y: Math.round(y + v * height), duration: 0 })
      .press()
      .release()
      .perform();
    await waitFor(driver, `there are ${joints} joints`, async () => (await jointNames()).length === joints);
  }

  const jointNames = (): Promise<string[]> =>
    driver.executeScript(
      'return [...document.querySelectorAll("[data-joint]")].map(({ dataset }) => dataset.joint)',
    );
  const names = (): Promise<string[]> =>
    driver.executeScript(
      'return [...document.querySelectorAll("[data-alternative]")].map(({ dataset }) => dataset.alternative)',
    );

  test('gets joints by clicks, three bindings to choose from, and leaves bound, without an error', async () => {
    await takeIn('bare', await barePorter());
    expect(await textOf(driver, '[data-code="no-joints"]')).toMatch(/Bind/);

    // Joints by looking: hips, waist, chest, head; then a flipper, with its other side.
    await goTo('Bind');
    await pick('Page of Bind', 'Joints');
    await click('Add joints by clicking');
    await hands.press('f');
    const spine = [0.8, 0.6, 0.42, 0.25];
    for (const [i, v] of spine.entries()) await growAt(0.5, v, i + 1);
    await growAt(0.5, 0.42, 4);
    expect(await isThere('[data-joint="joint_2"][aria-selected="true"]')).toBe(true);
    await growAt(0.62, 0.45, 6);
    await growAt(0.66, 0.58, 8);
    await allSaved();
    const skeleton = withSetups({ joints: [] }, (await hands.storedDocument()).joints);
    const place = (name: string): number[] => placeIn(skeleton, name);
    expect(place('joint')[0]).toBeCloseTo(0, 5);
    const [left, right] = [place('joint_2_L'), place('joint_2_R')];
    expect(left[0]).toBeGreaterThan(0.1);
    expect(right[0]).toBeCloseTo(-left[0], 5);
    expect([right[1], right[2]].map((each) => each.toFixed(5))).toEqual(
      [left[1], left[2]].map((each) => each.toFixed(5)),
    );

    // All methods, side by side; one of them is chosen, and waits while one looks elsewhere and comes back.
    await pick('Page of Bind', 'Binding');
    await click('Compare all');
    await waitFor(driver, 'all are measured', async () =>
      driver.executeScript<boolean>(
        `return document.querySelectorAll('[data-alternative]').length === 3 &&
         [...document.querySelectorAll('[data-figure]')].every(({ textContent }) => textContent !== '…')`,
      ),
    );
    expect(await names()).toEqual(['Nearest', 'Heat', 'Volume']);
    await pick('Weights on the stage', 'Heat');
    await goTo('Trial');
    await driver.navigate().refresh();
    await waitFor(
      driver,
      'the binding that was looked at is on the stage again',
      async () => (await textOf(driver, '[aria-label="Proposal"] strong')) === 'Bind by heat',
    );
    await goTo('Bind');
    await find(driver, '[data-alternative="Heat"]');
    expect(await names()).toEqual(['Nearest', 'Heat', 'Volume']);
    // Settled by motion it stands beside the others, measured like them.
    await click('Settle “Heat”');
    const strainOf = async (name: string): Promise<number> =>
      Number(await textOf(driver, `[data-alternative="${name}"] [data-figure="Strain"]`));
    await waitFor(
      driver,
      'it is settled and measured',
      async () => (await strainOf('Heat, cured')) < (await strainOf('Heat')),
    );
    expect(await editCount()).toBe(6);
    await click('Keep');
    await allSaved();
    expect(await editCount()).toBe(7);
    await goTo('Check-in');
    await waitFor(
      driver,
      'no point is left over',
      async () => !(await isThere('[data-code="unweighted"], [data-code="no-joints"]')),
    );

    const glb = await hands.exportedBytes();
    const { issues } = (await validateBytes(glb)) as { issues: { messages: { severity: number }[] } };
    expect(issues.messages.filter(({ severity }) => severity === 0)).toEqual([]);
    const bound = await readCharacter(openGlb(glb));
    expect(bound.parts.every(({ role, source }) => role === 'skinned' && source.skin >= 0)).toBe(true);
    for (const rows of bound.rows)
      for (let p = 0; p < rows.pointCount; p++) expect(Math.abs(rowSum(rows, p) - 1)).toBeLessThan(1e-5);

    // Back to nothing, step by step.
    for (let i = 0; i < 7; i++) await hands.press(Key.chord(Key.CONTROL, 'z'));
    await waitFor(driver, 'no joint is left', async () => (await jointNames()).length === 0);
    await allSaved();
  }, 180_000);
});

describe('a character with helper joints', () => {
  const HELPERS = ['ik_target_wrist_L', 'pole_elbow_L', 'ctrl_chest'];

  /** The porter with what a rig has beside the joints that move it: a target, a pole, a control in a joint's place. */
  async function porterWithHelpers(): Promise<Uint8Array> {
    const glb = openGlb(await makePorter({ faults: false }));
    const character = await readCharacter(glb);
    const at = (name: string): [number, number, number] => {
      const [x, y, z] = placeIn(character.skeleton, name);
      return [x, y, z];
    };
    const [wrist, elbow, chest] = [at('wrist_L'), at('elbow_L'), at('chest')];
    const places: [number, number, number][] = [wrist, [elbow[0], elbow[1], elbow[2] - 1.5], chest];
    const change = HELPERS.flatMap((name, i) => {
      const [added] = addJoint(character.skeleton, `helper ${i}`, 0, name, places[i]);
      return [{ ...added, joint: added.joint + i }];
    });
    const setups = Object.fromEntries(change.map(({ joint, after }) => [joint, after]));
    return writeGlb(exportCharacter(glb, character, character.rows, { setups }));
  }

  test('arrives with them switched off; bindings pass them over until one is switched on', async () => {
    await takeIn('helpers', await porterWithHelpers());
    const found = await textOf(driver, '[data-code="helper-joints"]');
    for (const name of HELPERS) expect(found).toContain(name);

    const massOf = async (names: readonly string[]): Promise<number> => {
      const { skeleton, rows } = await hands.exported();
      const wanted = new Set(names.map((name) => named(skeleton, name)));
      let mass = 0;
      for (const { joints, values } of rows)
        for (let k = 0; k < values.length; k++) if (values[k] > 0 && wanted.has(joints[k])) mass += values[k];
      return mass;
    };
    await goTo('Bind');
    await pick('Page of Bind', 'Binding');
    await (await find(driver, '[role="radio"][aria-checked]')).click();
    await click('Bind');
    await find(driver, '[aria-label="Proposal"]');
    await click('Keep');
    await allSaved();
    expect(await massOf(HELPERS)).toBe(0);
    expect(await massOf(['wrist_L'])).toBeGreaterThan(0);

    // Somebody knows better: the control takes the place of the chest.
    await chooseJoint('ctrl_chest');
    await (await find(driver, '[aria-label="ctrl_chest deforms"]')).click();
    await allSaved();
    await click('Bind');
    await find(driver, '[aria-label="Proposal"]');
    await click('Keep');
    await allSaved();
    expect(await massOf(['ctrl_chest'])).toBeGreaterThan(0);
    expect(await massOf(['ik_target_wrist_L', 'pole_elbow_L'])).toBe(0);
    await goTo('Check-in');
    await waitFor(
      driver,
      'it is no helper any more',
      async () => !(await textOf(driver, '[data-code="helper-joints"]')).includes('ctrl_chest'),
    );
  }, 120_000);
});

describe('a mesh that has come apart', () => {
  /** The porter with every triangle's corners for itself, a hair apart. */
  async function torn(): Promise<Uint8Array> {
    const glb = openGlb(await makePorter({ faults: false }));
    const json = structuredClone(glb.json);
    const arrays: Uint8Array[] = [];
    let length = 0;
    const append = (numbers: Float32Array | Uint8Array, componentType: number, type: string): number => {
      const bytes = new Uint8Array(numbers.buffer, numbers.byteOffset, numbers.byteLength);
      const views = (json.bufferViews ??= []);
      const accessors = (json.accessors ??= []);
      views.push({ buffer: 1, byteOffset: length, byteLength: bytes.length });
      arrays.push(bytes);
      length += bytes.length;
      const size = { VEC3: 3, VEC4: 4 }[type] ?? 1;
      accessors.push({ bufferView: views.length - 1, componentType, count: numbers.length / size, type });
      if (type === 'VEC3')
        Object.assign(accessors[accessors.length - 1], { min: [-9, -9, -9], max: [9, 9, 9] });
      return accessors.length - 1;
    };
    const character = await readCharacter(glb);
    const { positions, triangles, source } = character.parts[0];
    const corners = Float32Array.from(
      [...triangles].flatMap((p, i) =>
        [0, 1, 2].map((k) => positions[p * 3 + k] + 2e-4 * Math.sin(12.9898 * (i * 3 + k))),
      ),
    );
    const weights = Float32Array.from({ length: triangles.length * 4 }, (_, i) => (i % 4 === 0 ? 1 : 0));
    const primitive = (json.meshes ?? [])[source.mesh].primitives[source.primitive];
    primitive.attributes = {
      POSITION: append(corners, 5126, 'VEC3'),
      WEIGHTS_0: append(weights, 5126, 'VEC4'),
      JOINTS_0: append(new Uint8Array(triangles.length * 4).fill(0), 5121, 'VEC4'),
    };
    delete primitive.indices;
    json.buffers = [...(json.buffers ?? []), { byteLength: length }];
    const bytes = new Uint8Array(length);
    let at = 0;
    for (const each of arrays) {
      bytes.set(each, at);
      at += each.length;
    }
    return writeGlb({ ...glb, json, buffers: [...glb.buffers, bytes] });
  }

  test('is welded on Check-in, opened anew as one piece, and comes apart again with undo', async () => {
    await takeIn('torn', await torn());
    const found = '[data-code="loose-triangles"]';
    expect(await textOf(driver, found)).toMatch(/become one/);
    const rowsBefore = await hands.storedWeights();
    await click('Repair', `//div[@data-code="loose-triangles"]`);
    await waitFor(driver, 'it is one piece', async () => !(await isThere(found)));
    await find(driver, 'canvas[data-frames]');
    await allSaved();
    const weld = await hands.storedValues<number>('parts/0/');
    expect(weld.weld).toBeGreaterThan(1e-4);
    expect(weld.weld).toBeLessThan(0.01);
    expect((await hands.storedWeights())[0].pointCount).toBe(rowsBefore[0].pointCount);
    await hands.press(Key.chord(Key.CONTROL, 'z'));
    await waitFor(driver, 'it has come apart again', () => isThere(found));
    await allSaved();
    expect(await hands.storedValues('parts/0/')).toEqual({});
    expect((await hands.storedWeights())[0].values).toEqual(rowsBefore[0].values);
  }, 120_000);
});
