import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { makeFerryKeeper } from '@judoka/demo';
import { validateBytes } from 'gltf-validator';
import { judoka } from './testing.ts';

const MODELS = '/usr/share/assimp/models';
const folder = mkdtempSync(join(tmpdir(), 'judoka-cli-'));
const keeper = join(folder, 'keeper.glb');

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
  test('puts nothing right, and the validator has no new errors or warnings', async () => {
    const out = join(folder, 'out.glb');
    expect(judoka('convert', keeper, out).status).toBe(0);
    const before = await issuesOf(keeper);
    const after = await issuesOf(out);
    expect(after).toEqual(before);
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

withAssimp('assimp-testmodels: skinned COLLADA', () => {
  test.each([
    ['FBX/animation_with_skeleton.fbx', { joints: 14, clips: 1 }],
    ['FBX/huesitos.fbx', { joints: 9, clips: 1 }],
    ['MD5/SimpleCube.md5mesh', { joints: 2, clips: 0 }],
  ])('%s as another program writes it', (model, figures) => {
    const dae = join(folder, 'other.dae');
    execFileSync('assimp', ['export', join(MODELS, model), dae], { stdio: 'ignore' });
    expect(JSON.parse(judoka('info', dae, '--json').out)).toMatchObject(figures);
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

  test('repaired, it sums to one and validates better than before', async () => {
    const out = join(folder, 'mended.glb');
    judoka('repair', glb, out);
    expect(judoka('info', out).status).toBe(0);
    const before = await issuesOf(glb);
    const after = await issuesOf(out);
    expect(after.errors).toBe(0);
    expect(before.warnings).toEqual(expect.arrayContaining(after.warnings));
  });
});

interface PrintedFinding {
  code: string;
  severity: string;
  part?: number;
  count: number;
  vertices?: number[];
  repairable: boolean;
}

describe('check, repair and bind', () => {
  const findingsOf = (path: string): { status: number | null; found: PrintedFinding[] } => {
    const { status, out } = judoka('check', path, '--json');
    return { status, found: JSON.parse(out) as PrintedFinding[] };
  };
  const errors = (found: readonly PrintedFinding[]): string[] =>
    found.filter(({ severity }) => severity === 'error').map(({ code }) => code);

  test('check lists planted faults with their vertices, and ends with 1 for errors', () => {
    const { status, found } = findingsOf(keeper);
    expect(status).toBe(1);
    expect(errors(found).sort()).toEqual([
      'broken-weights',
      'tied-to-root',
      'unweighted',
      'weights-in-units',
    ]);
    const cape = found.find(({ code }) => code === 'unweighted');
    expect(cape).toMatchObject({ part: 4, count: 44, repairable: true });
    expect(cape?.vertices?.length).toBeGreaterThanOrEqual(44);
  });

  test('repair --only mends that and leaves every other number of the file alone', async () => {
    const out = join(folder, 'healed.glb');
    expect(judoka('repair', keeper, out, '--only', 'unweighted').status).toBe(0);
    const { found } = findingsOf(out);
    expect(errors(found).sort()).toEqual(['broken-weights', 'tied-to-root', 'weights-in-units']);
    // One error a vertex: those of the strip are gone, those of the face are still there.
    expect((await issuesOf(keeper)).errors - (await issuesOf(out)).errors).toBe(44);
  });

  test('repair of everything leaves no error, and a second time finds nothing to do', () => {
    const out = join(folder, 'whole.glb');
    expect(judoka('repair', keeper, out).status).toBe(0);
    const { status, found } = findingsOf(out);
    expect(status).toBe(0);
    expect(found.some(({ repairable }) => repairable)).toBe(false);
    expect(judoka('repair', out, join(folder, 'again.glb')).out).toBe('Nothing to repair.\n');
  });

  test('bind writes a valid file with every point bound, and a summary', async () => {
    const out = join(folder, 'bound.glb');
    const { status, out: text } = judoka(
      'bind',
      keeper,
      out,
      '--method',
      'nearest',
      '--max-influences',
      '2',
      '--json',
    );
    expect(status).toBe(0);
    expect(JSON.parse(text)).toMatchObject({ method: 'nearest', pointsBound: 9817, fallbacks: [] });
    expect(errors(findingsOf(out).found)).toEqual([]);
    expect((await issuesOf(out)).errors).toBe(0);
  });

  test.each([
    [
      'a method that is not there',
      ['bind', keeper, join(folder, 'x.glb'), '--method', 'magic'],
      /no method “magic”/,
    ],
    [
      'a falloff of nothing',
      ['bind', keeper, join(folder, 'x.glb'), '--method', 'heat', '--falloff', '0'],
      /above 0/,
    ],
    [
      'a finding that is not there',
      ['repair', keeper, join(folder, 'x.glb'), '--only', 'rust'],
      /no finding “rust”/,
    ],
    ['a profile that is not there', ['check', keeper, '--profile', 'toaster'], /no profile “toaster”/],
    ['an output of another kind', ['repair', keeper, join(folder, 'x.txt')], /neither .glb nor .gltf/],
  ])('%s ends with 2 and one sentence', (_name, args, words) => {
    const { status, err } = judoka(...args);
    expect(status).toBe(2);
    expect(err.trim().split('\n')).toHaveLength(1);
    expect(err).toMatch(words);
  });
});
