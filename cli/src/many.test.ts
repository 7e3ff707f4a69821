import {
  copyFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { openCharacterFile, readCharacter } from '@judoka/core/formats';
import { influenceCount } from '@judoka/core/weights';
import { makeFerryKeeper, makePorter } from '@judoka/demo';
import { validateBytes } from 'gltf-validator';
import { judoka } from './testing.ts';

const folder = mkdtempSync(join(tmpdir(), 'judoka-many-'));
const cast = join(folder, 'cast');
const keeper = join(folder, 'keeper.glb');
const out = (name: string): string => join(folder, name);

beforeAll(async () => {
  mkdirSync(join(cast, 'below'), { recursive: true });
  writeFileSync(keeper, await makeFerryKeeper({ size: 'small', faults: true }));
  const porter = join(folder, 'porter.glb');
  writeFileSync(porter, await makePorter({ faults: true }));
  for (let i = 0; i < 8; i++) copyFileSync(porter, join(cast, i % 2 ? 'below' : '.', `porter${i}.glb`));
  copyFileSync(keeper, join(cast, 'keeper.glb'));
  writeFileSync(join(cast, 'broken.glb'), readFileSync(keeper).subarray(0, 5000));
  writeFileSync(join(cast, 'notes.txt'), 'no character');
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const read = (path: string) => readCharacter(openCharacterFile(new Uint8Array(readFileSync(path))));

const recipe = (steps: unknown): string => {
  const path = join(folder, 'recipe.json');
  writeFileSync(path, JSON.stringify(steps));
  return path;
};

describe('many files', () => {
  test('ten, one of them broken: the others are done, and the worst gives the exit code', () => {
    const steps = [
      { do: 'repair' },
      { do: 'prune', maxInfluences: 4 },
      { do: 'deliver', profile: 'phone' },
      { do: 'report' },
    ];
    const { status, out: printed } = judoka('run', recipe(steps), cast, '--out', out('done'), '--json');
    expect(status).toBe(2);
    const lines = printed
      .trim()
      .split('\n')
      .map(
        (line) =>
          JSON.parse(line) as { file: string; code: number; failure?: string; steps: { step: string }[] },
      );
    expect(lines).toHaveLength(10);
    const broken = lines.find(({ file }) => file.endsWith('broken.glb'));
    expect(broken).toMatchObject({ code: 2, steps: [] });
    expect(broken?.failure).toMatch(/The file breaks off/);
    for (const { file, steps: done } of lines.filter((line) => line !== broken)) {
      expect([file, done.map(({ step }) => step)]).toEqual([file, ['repair', 'prune', 'deliver', 'report']]);
    }
    const written = readdirSync(out('done'));
    expect(written.filter((name) => name.endsWith('.glb'))).toHaveLength(9);
    expect(written.filter((name) => name.endsWith('.html'))).toHaveLength(9);
    expect(written.filter((name) => /broken|\.part$/.test(name))).toEqual([]);
  });

  test('a table says what came of each, in the order of their names', () => {
    const { status, out: printed } = judoka('deliver', cast, '--profile', 'everyday', '--out', out('table'));
    expect(status).toBe(2);
    const lines = printed.trim().split('\n');
    expect(lines).toHaveLength(11);
    expect(lines[0]).toMatch(/below\/porter1\.glb\s+fine\s+deliver: meets Everyday, costs 0\.0 mm/);
    expect(lines[4]).toMatch(/broken\.glb\s+failed\s+The file breaks off/);
    expect(lines[5]).toMatch(/keeper\.glb\s+fine\s+deliver: meets Everyday, costs [1-9][\d.]* mm/);
    expect(lines[10]).toBe('9 fine, 1 failed');
  });
});

describe('a recipe without a deliver', () => {
  test('writes what it did as a .glb; one that only looks writes nothing', async () => {
    const pruned = recipe([{ do: 'prune', maxInfluences: 2 }]);
    expect(judoka('run', pruned, keeper, '--out', out('pruned')).status).toBe(0);
    expect(readdirSync(out('pruned'))).toEqual(['keeper.glb']);
    const { rows } = await read(join(out('pruned'), 'keeper.glb'));
    for (const own of rows)
      for (let p = 0; p < own.pointCount; p++) expect(influenceCount(own, p)).toBeLessThanOrEqual(2);
    judoka('run', recipe([{ do: 'check' }]), keeper, '--out', out('looked'));
    expect(readdirSync(out('looked'))).toEqual([]);
  });

  test('a change after the last deliver would be lost, so it is refused before anything is written', () => {
    const late = recipe([{ do: 'deliver' }, { do: 'report' }, { do: 'normalize' }]);
    const { status, err } = judoka('run', late, keeper, '--out', out('late'));
    expect([status, err]).toEqual([2, expect.stringContaining('step 3, normalize, comes after the last')]);
    expect(existsSync(out('late'))).toBe(false);
  });
});

describe('delivering', () => {
  test('a phone’s limits are met, weights are whole numbers, and the file validates', async () => {
    expect(judoka('deliver', keeper, '--profile', 'phone', '--out', out('phone')).status).toBe(0);
    const bytes = new Uint8Array(readFileSync(join(out('phone'), 'keeper.glb')));
    const { issues } = (await validateBytes(bytes)) as { issues: { numErrors: number; numWarnings: number } };
    expect(issues).toMatchObject({ numErrors: 0, numWarnings: 0 });
    const { rows } = await readCharacter(openCharacterFile(bytes));
    for (const own of rows) {
      for (let p = 0; p < own.pointCount; p++) expect(influenceCount(own, p)).toBeLessThanOrEqual(4);
      for (const x of own.values) expect(Math.abs(x * 255 - Math.round(x * 255))).toBeLessThan(1e-3);
    }
  });

  test('own limits of joints, names and up are met; what cannot be met is told', async () => {
    const profile = join(folder, 'ours.json');
    const limits = {
      name: 'Ours',
      influences: 3,
      joints: 38,
      vertices: 2000,
      up: 'Z',
      names: { length: 10, pattern: '' },
    };
    writeFileSync(profile, JSON.stringify(limits));
    const { status, out: printed } = judoka(
      'deliver',
      keeper,
      '--profile',
      profile,
      '--out',
      out('ours'),
      '--json',
    );
    expect(status).toBe(0);
    const line = JSON.parse(printed) as {
      steps: [{ figures: { cost: number; lines: { isMet: boolean }[] } }];
    };
    expect(line.steps[0].figures.cost).toBeGreaterThan(0);
    expect(line.steps[0].figures.lines.every(({ isMet }) => isMet)).toBe(true);
    const { parts, skeleton } = await readCharacter(
      openCharacterFile(new Uint8Array(readFileSync(join(out('ours'), 'keeper.glb')))),
    );
    for (const { source, vertexCount } of parts) {
      expect(source.jointOfSlot.length).toBeLessThanOrEqual(38);
      expect(vertexCount).toBeLessThanOrEqual(2000);
    }
    for (const { name } of skeleton.joints) expect(name.length).toBeLessThanOrEqual(10);
    writeFileSync(profile, JSON.stringify({ ...limits, required: ['camera_mount'] }));
    const missing = judoka('deliver', keeper, '--profile', profile, '--out', out('ours'));
    expect([missing.status, missing.out]).toEqual([
      1,
      expect.stringContaining('1 joint is missing: “camera_mount”.'),
    ]);
  });

  test('as COLLADA it holds the same weights as the .glb, to the bit', async () => {
    for (const format of ['glb', 'dae'])
      expect(
        judoka('deliver', keeper, '--profile', 'film', '--format', format, '--out', out('both')).status,
      ).toBe(0);
    const [glb, dae] = await Promise.all(
      ['glb', 'dae'].map((ending) => read(join(out('both'), `keeper.${ending}`))),
    );
    expect(dae.parts.map(({ name }) => name)).toEqual(glb.parts.map(({ name }) => name));
    dae.rows.forEach((rows, part) => {
      expect([...rows.values]).toEqual([...glb.rows[part].values]);
      expect([...rows.joints].map((joint) => dae.skeleton.joints[joint].name)).toEqual(
        [...glb.rows[part].joints].map((joint) => glb.skeleton.joints[joint].name),
      );
    });
    expect(dae.clips.map(({ name, seconds }) => [name, seconds])).toEqual(
      glb.clips.map(({ name, seconds }) => [name, seconds]),
    );
  });
});

describe('pruning', () => {
  test('by movement costs at most seven tenths of dropping the smallest, on both of the demo’s bodies', () => {
    const heat = out('heat.glb');
    judoka(
      'bind',
      join(folder, 'porter.glb'),
      heat,
      '--method',
      'heat',
      '--max-influences',
      '8',
      '--falloff',
      '0.7',
    );
    for (const file of [keeper, heat]) {
      const { out: printed } = judoka(
        'prune',
        file,
        out('pruned.glb'),
        '--below',
        '0',
        '--max-influences',
        '4',
        '--json',
      );
      const { cost, costOfDroppingTheSmallest } = JSON.parse(printed) as {
        cost: number;
        costOfDroppingTheSmallest: number;
      };
      expect(cost).toBeGreaterThan(0);
      expect(cost).toBeLessThanOrEqual(0.7 * costOfDroppingTheSmallest);
    }
  });
});

describe('tables of weights', () => {
  test.each(['csv', 'json'])('.%s goes out and comes back to the bit', async (ending) => {
    const [table, back] = [out(`weights.${ending}`), out('back.glb')];
    const [before, smooth] = [out('smooth.glb'), out('plain.glb')];
    judoka('normalize', keeper, before);
    judoka('smooth', before, smooth, '--passes', '3');
    expect(judoka('weights', before, table).status).toBe(0);
    expect(judoka('weights', smooth, table, back).out).toMatch(/^9,817 points found\.$/m);
    const [a, b] = await Promise.all(
      [before, back].map((path) => readCharacter(openCharacterFile(new Uint8Array(readFileSync(path))))),
    );
    a.rows.forEach((rows, part) => expect([...b.rows[part].values]).toEqual([...rows.values]));
  });
});

describe('what a recipe cannot say is refused before the first file', () => {
  test.each([
    [
      [{ do: 'repair' }, { do: 'polish' }],
      'In step 2 of the recipe “polish” is no step; there are: check, repair',
    ],
    [[{ do: 'prune', below: 0.1, colour: 'red' }], 'In step 1 of the recipe “colour” is no option of prune'],
    [[{ do: 'mirror' }], '“from” of mirror is not as it should be'],
    [[{ repair: true }], 'there is no “do” that names a command'],
    [[], 'A recipe is a list of 1 to 50 steps'],
    [[{ do: 'check', profile: 'moon' }], 'There is no profile “moon”'],
  ])('%j', (steps, words) => {
    const { status, err } = judoka('run', recipe(steps), cast, '--out', out('never'));
    expect([status, err]).toEqual([2, expect.stringContaining(words)]);
    expect(existsSync(out('never'))).toBe(false);
  });

  test('files of one name, folders without characters, and what is not there', () => {
    const twin = join(folder, 'twin');
    mkdirSync(twin, { recursive: true });
    copyFileSync(keeper, join(twin, 'keeper.glb'));
    expect(judoka('deliver', keeper, twin, '--out', out('never')).err).toContain(
      'would be written under one name',
    );
    const empty = join(folder, 'empty');
    mkdirSync(empty, { recursive: true });
    expect(judoka('report', empty, '--out', out('never')).err).toContain(
      'There is no character in the folder',
    );
    expect(judoka('report', join(folder, 'gone.glb'), '--out', out('never')).err).toContain(
      'There is no file',
    );
  });
});
