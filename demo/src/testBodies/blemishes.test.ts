import { beforeAll, describe, expect, test } from '@jest/globals';
import { findBlemishes, findUnevenJoints } from '@judoka/core/analysis/blemishes';
import { findLopsided, BendMeter, runRange } from '@judoka/core/analysis/bends';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { rangesOf } from '@judoka/core/analysis/strays';
import type { Blemish, Character } from '@judoka/core/document';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { cureBlemish } from '@judoka/core/operations/repair';
import { apply, invert, rowSum, weightOf, type WeightRows } from '@judoka/core/weights';
import { makeFerryKeeper } from '../index.ts';
import { makeActor } from './actor.ts';
import { copyOf, harden, jointCalled, shake } from './planting.ts';

let actor: Character;
let keeper: Character;
beforeAll(async () => {
  actor = await readCharacter(openGlb(await makeActor()));
  keeper = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: false })));
});

const number = (name: string): number => jointCalled(actor, name);
const blemishesOf = (rows: WeightRows): Blemish[] => findBlemishes(checkInput(actor, { rows: [rows] }));
const locks = (): Uint8Array => new Uint8Array(actor.skeleton.joints.length);

/** Cures a blemish on a copy of the rows, within the limit. */
function cured(rows: WeightRows, blemish: Blemish, locked = locks()): WeightRows {
  const after = copyOf(rows);
  const { change } = cureBlemish(actor.parts[blemish.part], rows, blemish, { locks: locked, limit: 4 });
  apply([after], change);
  const back = copyOf(after);
  apply([back], invert(change));
  expect(back).toEqual(rows);
  return after;
}

/** The most and the summed damage of a joint's bends. */
async function damageOf(rows: WeightRows, names: readonly string[]) {
  const character = { ...actor, rows: [rows] };
  const { pairs } = checkInput(character, {});
  const wanted = names.map(number);
  const ranges = rangesOf(character, {}, pairs).filter(({ joint }) => wanted.includes(joint));
  const trials = runRange(await BendMeter.create(character, 'linear'), ranges);
  return {
    trials,
    pairs,
    of: (name: string, figure: 'damage' | 'stretch'): number => {
      const trial = trials.find(({ joint }) => joint === number(name));
      return Math.max(...(trial?.poses ?? []).map(({ figures }) => figures[figure]));
    },
  };
}

test('well-painted characters have no blemish, and no uneven joint', () => {
  for (const character of [actor, keeper]) {
    const input = checkInput(character, {});
    expect(findBlemishes(input)).toEqual([]);
    expect(findUnevenJoints(input)).toEqual([]);
  }
});

describe('noise', () => {
  test.each(['forearm_L', 'shin_R', 'spine', 'thumb_2_L'])(
    'about %s is found where it is, and levelled without moving the joint’s reach',
    (joint) => {
      for (const most of [0.2, 0.35]) {
        const rows = copyOf(actor.rows[0]);
        const points = shake(rows, number(joint), most);
        const found = blemishesOf(rows);
        expect(found.map(({ kind }) => kind)).toContain('noise');
        const told = new Set(found.flatMap((one) => [...one.points]));
        expect(points.filter((p) => told.has(p)).length).toBeGreaterThan(0.7 * points.length);
        let now = rows;
        for (const blemish of found) now = cured(now, blemish);
        expect(blemishesOf(now)).toEqual([]);
        // Nearer to what was painted than the noise left it.
        const apart = (one: WeightRows): number =>
          points.reduce(
            (sum, p) =>
              sum + Math.abs(weightOf(one, p, number(joint)) - weightOf(actor.rows[0], p, number(joint))),
            0,
          );
        expect(apart(now)).toBeLessThan(0.75 * apart(rows));
      }
    },
  );
});

describe('a hard border', () => {
  function hardened(joint: string): WeightRows {
    const rows = copyOf(actor.rows[0]);
    harden(actor, rows, number(joint));
    return rows;
  }

  test.each(['forearm_L', 'shin_R'])('at %s is found, and blends so that it bends better', async (joint) => {
    const rows = hardened(joint);
    const [found, ...others] = blemishesOf(rows);
    expect(others).toEqual([]);
    expect(found).toMatchObject({ kind: 'hard', joint: number(joint) });
    const now = cured(rows, found);
    expect(blemishesOf(now)).toEqual([]);
    for (const p of found.points) expect(rowSum(now, p)).toBeCloseTo(1, 6);
    const [before, after] = [await damageOf(rows, [joint]), await damageOf(now, [joint])];
    expect(after.of(joint, 'stretch')).toBeLessThan(0.4 * before.of(joint, 'stretch'));
    expect(after.of(joint, 'damage')).toBeLessThan(0.8 * before.of(joint, 'damage'));
  });

  test('on both sides alike may be meant; a locked joint keeps what it has', () => {
    const rows = hardened('forearm_L');
    const both = copyOf(rows);
    harden(actor, both, number('forearm_R'));
    expect(blemishesOf(both)).toEqual([]);
    const locked = locks();
    locked[number('forearm_L')] = 1;
    expect(cured(rows, blemishesOf(rows)[0], locked)).toEqual(rows);
  });

  test('is also what makes its side the uneven one', async () => {
    const rows = hardened('forearm_L');
    const uneven = findUnevenJoints(checkInput(actor, { rows: [rows] }));
    expect(uneven).toContain(number('forearm_L'));
    const names = uneven.map((joint) => actor.skeleton.joints[joint].name);
    const { trials, pairs } = await damageOf(rows, names);
    expect(findLopsided(trials, pairs.partner)).toContain(number('forearm_L'));
    expect(findLopsided(trials, pairs.partner)).not.toContain(number('forearm_R'));
  });
});
