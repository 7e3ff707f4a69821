import { execFileSync, spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { makeFerryKeeper } from '@judoka/demo';
import { validateBytes } from 'gltf-validator';

const MODELS = '/usr/share/assimp/models';
const folder = mkdtempSync(join(tmpdir(), 'judoka-cli-'));
const keeper = join(folder, 'keeper.glb');

function judoka(...args: string[]): { status: number | null; out: string; err: string } {
  const { NODE_OPTIONS: _, ...env } = process.env;
  const { status, stdout, stderr } = spawnSync(
    process.execPath,
    ['--no-warnings', '--import', 'tsx', join(import.meta.dirname, 'main.ts'), ...args],
    { encoding: 'utf8', env, cwd: import.meta.dirname },
  );
  return { status, out: stdout, err: stderr };
}

interface Issues {
  numErrors: number;
  messages: { code: string; severity: number }[];
}

async function issuesOf(path: string): Promise<{ errors: number; warnings: string[] }> {
  const { issues } = (await validateBytes(new Uint8Array(readFileSync(path)), { maxIssues: 0 })) as {
    issues: Issues;
  };
  const warnings = issues.messages.filter(({ severity }) => severity === 1).map(({ code }) => code);
  return { errors: issues.numErrors, warnings: [...new Set(warnings)].sort() };
}

beforeAll(async () => {
  writeFileSync(keeper, await makeFerryKeeper({ size: 'small', faults: true }));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

describe('info', () => {
  test('prints the figures as JSON, and says with its exit code that something is wrong', () => {
    const { status, out } = judoka('info', keeper, '--json');
    expect(status).toBe(1);
    const figures = JSON.parse(out) as { parts: { name: string; unweighted: number }[]; joints: number };
    expect(figures.joints).toBe(60);
    expect(figures.parts.find(({ name }) => name === 'cape')?.unweighted).toBeGreaterThan(0);
  });

  test.each([
    ['a file that is not there', ['info', join(folder, 'none.glb')], /There is no file/],
    ['a command that is not there', ['mend'], /unknown command/],
    ['no file', ['info'], /missing required argument/],
  ])('%s ends with 2 and one sentence', (_name, args, words) => {
    const { status, err, out } = judoka(...args);
    expect(status).toBe(2);
    expect(err.trim().split('\n')).toHaveLength(1);
    expect(err).toMatch(words);
    expect(out).toBe('');
  });

  test('a cut file ends with 2', () => {
    const cut = join(folder, 'cut.glb');
    writeFileSync(cut, readFileSync(keeper).subarray(0, 5000));
    expect(judoka('info', cut)).toMatchObject({ status: 2, err: expect.stringMatching(/breaks off/) });
  });
});

describe('convert', () => {
  test('normalizes, keeps the rest, and the validator has no errors and no new warnings', async () => {
    const out = join(folder, 'out.glb');
    expect(judoka('convert', keeper, out).status).toBe(0);
    const before = await issuesOf(keeper);
    const after = await issuesOf(out);
    expect(after.errors).toBe(0);
    expect(before.warnings).toEqual(expect.arrayContaining(after.warnings));
  });

  test('to .gltf and back gives the same figures', () => {
    const glb = join(folder, 'first.glb');
    const gltf = join(folder, 'second.gltf');
    judoka('convert', keeper, glb);
    expect(judoka('convert', glb, gltf).status).toBe(0);
    expect(judoka('info', gltf, '--json').out).toBe(judoka('info', glb, '--json').out);
  });

  test('an ending that it cannot write is refused', () => {
    expect(judoka('convert', keeper, join(folder, 'x.obj'))).toMatchObject({
      status: 2,
      err: expect.stringMatching(/neither/),
    });
  });
});

// Files that nobody here wrote; skipped, visibly, where Debian's packages are not installed.
const withModels = existsSync(MODELS) ? describe : describe.skip;
const withAssimp = existsSync('/usr/bin/assimp') && existsSync(MODELS) ? describe : describe.skip;

withModels('assimp-testmodels: simple_skin', () => {
  test('is read as it is', () => {
    const { status, out } = judoka('info', join(MODELS, 'glTF2/simple_skin/simple_skin.gltf'), '--json');
    expect(status).toBe(0);
    expect(JSON.parse(out)).toMatchObject({
      joints: 2,
      parts: [{ points: 10, quads: 4, islands: 1, sumMin: 1, sumMax: 1 }],
    });
  });
});

withAssimp('assimp-testmodels: animation_with_skeleton', () => {
  const glb = join(folder, 'skeleton.glb');
  beforeAll(() => {
    execFileSync('assimp', ['export', join(MODELS, 'FBX/animation_with_skeleton.fbx'), glb], {
      stdio: 'ignore',
    });
  });

  test('its weights do not sum to one, which is survived and told', () => {
    const { status, out } = judoka('info', glb, '--json');
    expect(status).toBe(1);
    const { parts, joints } = JSON.parse(out) as {
      parts: { quads: number; sumMin: number; sumMax: number }[];
      joints: number;
    };
    expect(joints).toBe(14);
    expect(parts[0]).toMatchObject({ quads: 1056 });
    expect(parts[0].sumMin).toBeLessThan(0.9);
    expect(parts[0].sumMax).toBeGreaterThan(1.3);
  });

  test('converted, it sums to one and validates better than before', async () => {
    const out = join(folder, 'mended.glb');
    judoka('convert', glb, out);
    expect(judoka('info', out).status).toBe(0);
    const before = await issuesOf(glb);
    const after = await issuesOf(out);
    expect(after.errors).toBe(0);
    expect(before.warnings).toEqual(expect.arrayContaining(after.warnings));
  });
});
