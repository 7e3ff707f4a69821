import { describe, expect, test } from '@jest/globals';
import { apply } from '../../weights/delta.ts';
import { copyRows, countUnweighted, rowSum, weightOf } from '../../weights/rows.ts';
import { bindSkin } from './bind.ts';
import { BIND_METHODS, type BindMethod, type BindSkin } from './bindRequest.ts';
import { partOf, requestFor, skeletonOf, skinOf, tube } from '../../testing/testBody.ts';

type Place = [number, number, number];

const chain = (
  count: number,
  length: number,
  at: Place = [0, 0, 0],
  name = 'link',
): [string, number, Place][] =>
  Array.from({ length: count }, (_, i) => [
    `${name} ${i}`,
    i - 1,
    [at[0] + (length * i) / Math.max(1, count - 1), at[1], at[2]],
  ]);

function bodyOf(
  joints: [string, number, Place][],
  shapes: readonly { positions: readonly number[]; triangles: readonly number[] }[],
): BindSkin {
  const places = joints.map(([, , place]) => place);
  return skinOf(
    skeletonOf(joints),
    shapes.map(({ positions, triangles }, i) => partOf(`part ${i}`, positions, triangles, places)),
  );
}

/** Every triangle with points of its own, a little off its neighbours. */
function loose({ positions, triangles }: ReturnType<typeof tube>) {
  const apart: number[] = [];
  triangles.forEach((p, i) => {
    for (let k = 0; k < 3; k++) apart.push(positions[p * 3 + k] + 1e-3 * Math.sin(7 * i + k));
  });
  return { positions: apart, triangles: triangles.map((_, i) => i) };
}

const BODIES: Readonly<Record<string, () => BindSkin>> = {
  'a skeleton beside the body': () => bodyOf(chain(4, 9, [0, 40, 0]), [tube(0, 9, 0, 0)]),
  'joints all in one place': () =>
    bodyOf(
      chain(5, 0, [4, 0, 0]).map(([name, parent]) => [name, parent, [4, 0, 0]]),
      [tube(0, 9, 0, 0)],
    ),
  'a thousand loose triangles': () => bodyOf(chain(4, 9), [loose(tube(0, 9, 0, 0, { rings: 42 }))]),
  'a tail of two hundred joints': () =>
    bodyOf(chain(200, 60), [tube(0, 60, 0, 0, { rings: 241, around: 8 })]),
  'two characters in one file': () => {
    const one = chain(3, 9);
    const other = chain(3, 9, [0, 0, 30], 'other').map(([name, parent, place]): [string, number, Place] => [
      name,
      parent < 0 ? -1 : parent + 3,
      place,
    ]);
    return bodyOf([...one, ...other], [tube(0, 9, 0, 0), tube(0, 9, 0, 30)]);
  },
  'names of every script, with line breaks': () =>
    bodyOf(
      chain(4, 9).map(([, parent, place], i) => [['关节\n一', 'مفصل', '🦴 левый', ''][i], parent, place]),
      [tube(0, 9, 0, 0)],
    ),
  'a scale of a millionth': () => bodyOf(chain(4, 9e-6), [tube(0, 9e-6, 0, 0, { radius: 1e-6 })]),
  'a scale of a million': () => bodyOf(chain(4, 9e6), [tube(0, 9e6, 0, 0, { radius: 1e6 })]),
  'one joint, and many points': () => bodyOf(chain(1, 0), [tube(0, 9, 0, 0, { rings: 400, around: 40 })]),
};

async function bound(skin: BindSkin, method: BindMethod) {
  const rows = skin.rows.map(copyRows);
  apply(rows, (await bindSkin(skin, requestFor(skin, { method }))).change);
  return rows;
}

describe.each(Object.keys(BODIES))('%s', (name) => {
  test.each(BIND_METHODS)('is bound by %s, every point of it', async (method) => {
    const skin = BODIES[name]();
    for (const rows of await bound(skin, method)) {
      expect(countUnweighted(rows)).toBe(0);
      for (let p = 0; p < rows.pointCount; p++) expect(Math.abs(rowSum(rows, p) - 1)).toBeLessThan(1e-5);
    }
  });
});

describe('what is meant is found', () => {
  test.each(BIND_METHODS)('by %s each of two characters follows its own joints', async (method) => {
    const skin = BODIES['two characters in one file']();
    const rows = await bound(skin, method);
    [0, 3].forEach((first, part) => {
      for (let p = 0; p < rows[part].pointCount; p++) {
        const own = [0, 1, 2].reduce((sum, k) => sum + weightOf(rows[part], p, first + k), 0);
        expect(own).toBeCloseTo(1, 5);
      }
    });
  });

  test.each(BIND_METHODS)('by %s the scale of a file changes next to nothing', async (method) => {
    const [small, large] = await Promise.all(
      ['a scale of a millionth', 'a scale of a million'].map((name) => bound(BODIES[name](), method)),
    );
    let apart = 0;
    for (let p = 0; p < small[0].pointCount; p++)
      for (let joint = 0; joint < 4; joint++)
        apart += Math.abs(weightOf(small[0], p, joint) - weightOf(large[0], p, joint)) / 2;
    // Rounding puts points that lie between two cells into the one or the other.
    expect(apart / small[0].pointCount).toBeLessThan(0.03);
  });

  test.each(BIND_METHODS)('by %s a point of a long tail follows the joints beside it', async (method) => {
    const skin = BODIES['a tail of two hundred joints']();
    const [rows] = await bound(skin, method);
    const { positions } = skin.parts[0];
    for (let p = 0; p < rows.pointCount; p += 7) {
      const near = (positions[p * 3] / 60) * 199;
      let far = 0;
      for (let joint = 0; joint < 200; joint++)
        if (Math.abs(joint - near) > 12) far += weightOf(rows, p, joint);
      expect(far).toBeLessThan(0.05);
    }
  });
});
