import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { weightOf } from '@judoka/core/weights';
import type { Character } from '@judoka/core/document';
import { makeFerryKeeper, makeHauling } from '@judoka/demo';
import { judoka } from './testing.ts';

const folder = mkdtempSync(join(tmpdir(), 'judoka-trial-'));
const keeper = join(folder, 'keeper.glb');
const out = join(folder, 'out.glb');
const hauling = join(folder, 'hauling.bvh');
let before: Character;

beforeAll(async () => {
  const bytes = await makeFerryKeeper({ size: 'small', faults: true });
  writeFileSync(keeper, bytes);
  writeFileSync(hauling, makeHauling());
  before = await readCharacter(openGlb(bytes));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

interface PrintedTrial {
  jointName: string;
  poses: number;
  worst: {
    bend?: number;
    frame?: number;
    volume: number | null;
    noVolume?: string;
    damage: number;
    stretch: number;
    vertex?: number;
  };
}
interface PrintedStray {
  part: number;
  jointName: string;
  joint: number;
  kind: string;
  vertices: number[];
  mass: number;
  movement: number;
}
const trialOf = (...options: string[]): PrintedTrial[] =>
  JSON.parse(judoka('trial', keeper, '--json', ...options).out) as PrintedTrial[];

describe('judoka trial', () => {
  test('the worst pose of each joint, worst first, with plain words for people', () => {
    const far = trialOf();
    const stretches = far.map(({ worst }) => worst.stretch);
    expect(stretches).toEqual([...stretches].sort((a, b) => b - a));
    // The heel that follows the knee.
    expect(far[0]).toMatchObject({ jointName: 'ankle_R', worst: { near: 'knee_R' } });
    expect(judoka('trial', keeper).out).toMatch(/^ankle_R, −?\d+° bent: stretched \d+\.\d times at knee_R, /);
    const trials = trialOf('--order', 'damage');
    const damages = trials.map(({ worst }) => worst.damage);
    expect(damages).toEqual([...damages].sort((a, b) => b - a));
    const knee = trials.find(({ jointName }) => jointName === 'knee_L');
    expect(knee?.worst).toMatchObject({ bend: 120 });
    expect(knee?.worst.volume ?? 0).toBeLessThan(-0.3);
    expect(trials.find(({ jointName }) => jointName === 'cape_hem_L')?.worst).toMatchObject({
      volume: null,
      noVolume: 'open',
    });
    expect(judoka('trial', keeper, '--order', 'damage').out).toMatch(
      /knee_L, 120° bent: .*loses \d+% of its volume/,
    );
  });

  test('a clip, and a motion from a file, frame by frame; the other skinning', () => {
    const walking = trialOf('--clip', 'walking');
    expect(walking[0].poses).toBe(25);
    expect(walking[0].worst.frame).toBeGreaterThanOrEqual(0);
    expect(trialOf('--bvh', hauling)[0].poses).toBe(97);
    const volumeOf = (skinning: string): number =>
      trialOf('--skinning', skinning).find(({ jointName }) => jointName === 'knee_R')?.worst.volume ?? 0;
    expect(volumeOf('dual')).not.toBeCloseTo(volumeOf('linear'), 2);
    const worstOf = (...options: string[]): number => trialOf(...options)[0].worst.stretch;
    expect(worstOf('--relaxed', '10')).toBeLessThan(0.5 * worstOf());
  });

  test('bad input is one sentence', () => {
    for (const [args, said] of [
      [['--clip', 'dancing'], 'There is no clip “dancing”. The file has “walking”, “poling”, “bowing”.'],
      [['--clip', 'walking', '--bvh', hauling], 'Give either --clip or --bvh, not both.'],
      [['--bvh', keeper], 'This is no .bvh file: it does not begin with HIERARCHY.'],
      [['--order', 'name'], '--order is one of: stretch, damage, not “name”.'],
      [['--skinning', 'cubic'], '--skinning is one of: linear, dual, not “cubic”.'],
    ] as const) {
      const { status, err } = judoka('trial', keeper, ...args);
      expect([status, err.trim()]).toEqual([2, said]);
    }
    writeFileSync(join(folder, 'cut.bvh'), readFileSync(hauling, 'utf8').slice(0, 4000));
    expect(judoka('trial', keeper, '--bvh', join(folder, 'cut.bvh')).err).toContain('cut off in frame');
  });
});

describe('judoka strays', () => {
  test('lists them with the primitive’s own vertices; removes all that it lists', async () => {
    const { status, out: said } = judoka('strays', keeper, '--json');
    expect(status).toBe(1);
    const strays = JSON.parse(said) as PrintedStray[];
    expect(strays.map(({ kind, jointName }) => [kind, jointName])).toEqual([
      ['apart', 'knee_R'],
      ['across', 'knee_R'],
      ['apart', 'beak_lower'],
      ['root', 'root'],
      ['apart', 'neck_3'],
    ]);
    expect(strays[0].movement).toBeGreaterThan(strays[1].movement);
    const { part, joint, vertices, mass } = strays[0];
    const { vertexPoint } = before.parts[part];
    const points = new Set(vertices.map((v) => vertexPoint[v]));
    let sum = 0;
    for (const p of points) sum += weightOf(before.rows[part], p, joint);
    expect(sum).toBeCloseTo(mass, 4);
    const removed = judoka('strays', keeper, '--remove', out, '--json');
    expect(removed.status).toBe(0);
    expect(JSON.parse(removed.out)).toEqual(strays);
    const after = await readCharacter(openGlb(new Uint8Array(readFileSync(out))));
    for (const stray of strays)
      for (const v of stray.vertices)
        expect(weightOf(after.rows[stray.part], after.parts[stray.part].vertexPoint[v], stray.joint)).toBe(0);
    // The other parts' weights stay as they were.
    const scarf = after.parts.findIndex(({ name }) => name === 'scarf');
    expect([...after.rows[scarf].joints]).toEqual([...before.rows[scarf].joints]);
  });

  test('an output of another kind is refused before anything is done', () => {
    const { status, err } = judoka('strays', keeper, '--remove', join(folder, 'x.obj'));
    expect([status, err.trim()]).toEqual([2, '“x.obj” ends in neither .glb nor .gltf.']);
  });
});
