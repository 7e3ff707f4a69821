import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { makeFerryKeeper, makePorter } from '@judoka/demo';
import { makeActor } from '@judoka/demo/testBodies';

/** Models of Debian's assimp-testmodels that come with painted weights, converted by assimp-utils where installed. */
const TEST_MODELS = '/usr/share/assimp/models';
const PAINTED = ['FBX/animation_with_skeleton.fbx', 'FBX/huesitos.fbx', 'X/BCN_Epileptic.X', 'X/Testwuson.X'];

/** Well painted models: those given on the command line, or the demo's and Debian's. */
export async function models(given: readonly string[]): Promise<{ name: string; bytes: Uint8Array }[]> {
  if (given.length > 0) return given.map((path) => ({ name: basename(path), bytes: readFileSync(path) }));
  return [
    { name: 'the ferry-keeper', bytes: await makeFerryKeeper({ size: 'small', faults: false }) },
    { name: 'the porter', bytes: await makePorter({ faults: false }) },
    { name: 'the actor', bytes: await makeActor() },
    { name: 'the actor, split', bytes: await makeActor({ isSplit: true }) },
    ...convertTestModels(),
  ];
}

function convertTestModels(): { name: string; bytes: Uint8Array }[] {
  const found = PAINTED.filter((name) => existsSync(join(TEST_MODELS, name)));
  if (found.length === 0)
    console.log('(Install Debian’s assimp-testmodels and assimp-utils for more models.)');
  const folder = mkdtempSync(join(tmpdir(), 'judoka-quality-'));
  try {
    return found.map((name) => {
      const target = join(folder, 'model.glb');
      execFileSync('assimp', ['export', join(TEST_MODELS, name), target, '-fglb2'], { stdio: 'ignore' });
      return { name, bytes: readFileSync(target) };
    });
  } finally {
    rmSync(folder, { recursive: true });
  }
}
