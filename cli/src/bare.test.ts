import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, test } from '@jest/globals';
import { openGlb, readCharacter, writeGlb } from '@judoka/core/formats';
import { countUnweighted } from '@judoka/core/weights';
import { makePorter } from '@judoka/demo';
import { validateBytes } from 'gltf-validator';
import { judoka } from './testing.ts';

const folder = mkdtempSync(join(tmpdir(), 'judoka-bare-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));

type Json = ReturnType<typeof openGlb>['json'];

/** The porter with its weights taken away; what else is done to it. */
async function bare(name: string, change: (json: Json) => void): Promise<string> {
  const glb = openGlb(await makePorter({ faults: false }));
  const json = structuredClone(glb.json);
  delete json.animations;
  for (const { primitives } of json.meshes ?? [])
    for (const primitive of primitives)
      primitive.attributes = Object.fromEntries(
        Object.entries(primitive.attributes).filter(([key]) => !/^(JOINTS|WEIGHTS)_/.test(key)),
      );
  change(json);
  const path = join(folder, `${name}.glb`);
  writeFileSync(path, writeGlb({ ...glb, json }));
  return path;
}

const withoutSkins = (json: Json): void => {
  delete json.skins;
  for (const node of json.nodes ?? []) delete node.skin;
};

async function read(path: string) {
  const bytes = new Uint8Array(readFileSync(path));
  const { issues } = (await validateBytes(bytes)) as { issues: { numErrors: number } };
  expect(issues.numErrors).toBe(0);
  return readCharacter(openGlb(bytes));
}

test('a file without a skeleton is bound to its nodes where that is asked for, and says so where not', async () => {
  const file = await bare('nodes', withoutSkins);
  const out = join(folder, 'nodes-bound.glb');
  const { status, err } = judoka('bind', file, out, '--method', 'nearest');
  expect(status).toBe(2);
  expect(err).toMatch(/--nodes-as-joints/);
  expect(judoka('bind', file, out, '--method', 'volume', '--nodes-as-joints').status).toBe(0);
  const { skeleton, rows } = await read(out);
  expect(skeleton.joints.length).toBeGreaterThan(10);
  for (const part of rows) expect(countUnweighted(part)).toBe(0);
});

test('a file with a skeleton and no weights is bound to it', async () => {
  const file = await bare('no-weights', () => undefined);
  const out = join(folder, 'no-weights-bound.glb');
  expect(judoka('bind', file, out, '--method', 'volume').status).toBe(0);
  const { skeleton, rows, parts } = await read(out);
  expect(skeleton.joints).toHaveLength(18);
  expect(parts.every(({ role }) => role === 'skinned')).toBe(true);
  for (const part of rows) expect(countUnweighted(part)).toBe(0);
});

test('a file without skeleton and nodes is refused in a sentence', async () => {
  const file = await bare('nothing', (json) => {
    withoutSkins(json);
    json.nodes = (json.nodes ?? []).filter(({ mesh }) => mesh !== undefined);
    for (const node of json.nodes) delete node.children;
    json.scenes = [{ nodes: [...json.nodes.keys()] }];
  });
  const { status, err } = judoka('bind', file, join(folder, 'x.glb'), '--method', 'nearest');
  expect(status).toBe(2);
  expect(err.trim().split('\n')).toHaveLength(1);
  expect(err).toMatch(/no skeleton, and no nodes/);
});

test('parts without a skin are left alone, or made skinned by naming them', async () => {
  const glb = openGlb(await makePorter({ faults: false }));
  const json = structuredClone(glb.json);
  // The cap hangs on a node; the body keeps its skin.
  const cap = (json.meshes ?? []).findIndex(({ name }) => name === 'cap');
  for (const node of json.nodes ?? []) if (node.mesh === cap) delete node.skin;
  for (const primitive of (json.meshes ?? [])[cap].primitives)
    primitive.attributes = Object.fromEntries(
      Object.entries(primitive.attributes).filter(([key]) => !/^(JOINTS|WEIGHTS)_/.test(key)),
    );
  const file = join(folder, 'cap.glb');
  writeFileSync(file, writeGlb({ ...glb, json }));
  const [all, named] = [join(folder, 'all.glb'), join(folder, 'named.glb')];
  expect(judoka('bind', file, all, '--method', 'nearest').status).toBe(0);
  expect(judoka('bind', file, named, '--method', 'nearest', '--parts', 'cap').status).toBe(0);
  const roleOf = async (path: string): Promise<string | undefined> =>
    (await read(path)).parts.find(({ name }) => name === 'cap')?.role;
  expect(await roleOf(all)).toBe('fixed');
  expect(await roleOf(named)).toBe('skinned');
});
