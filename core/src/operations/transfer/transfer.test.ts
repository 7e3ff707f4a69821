import { describe, expect, test } from '@jest/globals';
import { mat4, quat } from 'gl-matrix';
import fc from 'fast-check';
import { jointPlaces } from '../../document/space/bindSpace.ts';
import type { CharacterPart } from '../../document/character.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { partOf, skeletonOf } from '../../testing/testBody.ts';
import { apply } from '../../weights/delta.ts';
import { copyRows, createRows, rowSum, weightOf, type WeightRows } from '../../weights/rows.ts';
import { alignPlaces, movedPlaces } from './alignment.ts';
import { fillGaps } from './fillGaps.ts';
import { matchJoints } from './matchJoints.ts';
import { prepareTransfer } from './prepareTransfer.ts';
import { readSource, type TransferSource } from './source.ts';
import { transferWeights, TransferState, type TransferRequest } from './transferWeights.ts';

type Place = readonly [number, number, number];
const ARM: readonly (readonly [string, number, Place])[] = [
  ['root', -1, [0, 0, 0]],
  ['arm_L', 0, [1, 0, 0]],
  ['elbow_L', 1, [3, 0, 0.2]],
  ['wrist_L', 2, [5, 0.5, 0]],
];
const skeleton = skeletonOf(ARM);

/** A tube along x from 0 to 6, in rings, with weights that go evenly from joint to joint. */
function tube(
  rings: number,
  around: number,
  radius = 0.5,
  name = 'sleeve',
): { part: CharacterPart; rows: WeightRows } {
  const positions: number[] = [];
  const triangles: number[] = [];
  for (let r = 0; r <= rings; r++)
    for (let a = 0; a < around; a++) {
      const angle = (2 * Math.PI * a) / around;
      positions.push((6 * r) / rings, radius * Math.cos(angle), radius * Math.sin(angle));
      if (r === rings) continue;
      const [p, q] = [r * around + a, r * around + ((a + 1) % around)];
      triangles.push(p, q, p + around, q, q + around, p + around);
    }
  const part = partOf(
    name,
    positions,
    triangles,
    ARM.map(([, , place]) => place),
  );
  const rows = createRows(part.pointCount);
  for (let p = 0; p < part.pointCount; p++) setRow(rows, p, weightsAt(part.positions[p * 3]));
  return { part, rows };
}

/** What the tube's weights are at a place along it. */
function weightsAt(x: number): [number, number][] {
  const at = Math.min(2.999, Math.max(0, x / 2));
  const low = Math.floor(at);
  const share = Math.fround(at - low);
  return (
    share > 0
      ? ([
          [low, 1 - share],
          [low + 1, share],
        ] as [number, number][])
      : ([[low, 1]] as [number, number][])
  ).sort((a, b) => b[1] - a[1]);
}

function setRow(rows: WeightRows, p: number, row: readonly (readonly [number, number])[]): void {
  row.forEach(([joint, weight], k) => {
    rows.joints[p * rows.stride + k] = joint;
    rows.values[p * rows.stride + k] = weight;
  });
}

const RULES = { locks: new Uint8Array(16), limit: 8 };
const SAME = Int32Array.of(0, 1, 2, 3);

const requestOf = (source: TransferSource, more: Partial<TransferRequest> = {}): TransferRequest => ({
  ...{
    source,
    joints: SAME,
    matrix: Float32Array.from(mat4.create()),
    distance: 0.1,
    angle: 60,
    rules: RULES,
  },
  ...more,
});

async function given(part: CharacterPart, own: WeightRows, request: TransferRequest) {
  const rows = copyRows(own);
  const { change, report } = await transferWeights([part], [rows], request);
  apply([rows], change);
  return { rows, report };
}

const sourceOf = ({ part, rows }: ReturnType<typeof tube>, own: Skeleton = skeleton): TransferSource =>
  readSource({ skeleton: own, parts: [part] }, [rows]);

describe('transferring weights', () => {
  const coarse = tube(12, 8);
  const fine = tube(37, 13);

  test('to itself changes nothing', async () => {
    const { change, report } = await transferWeights(
      [coarse.part],
      [coarse.rows],
      requestOf(sourceOf(coarse)),
    );
    expect(change).toEqual([]);
    expect(report).toMatchObject({ matched: coarse.part.pointCount, filled: 0, far: 0 });
  });

  test('to other points of the same shape gives what the place has', async () => {
    const { rows, report } = await given(
      fine.part,
      createRows(fine.part.pointCount),
      requestOf(sourceOf(coarse)),
    );
    expect(report.matched).toBe(fine.part.pointCount);
    for (let p = 0; p < rows.pointCount; p++) {
      expect(rowSum(rows, p)).toBeCloseTo(1, 5);
      for (const [joint, weight] of weightsAt(fine.part.positions[p * 3]))
        expect(Math.abs(weightOf(rows, p, joint) - weight)).toBeLessThan(0.08);
    }
  });

  test('a layer over a surface takes what lies below it', async () => {
    const over = tube(37, 13, 0.65, 'coat');
    const { rows } = await given(over.part, createRows(over.part.pointCount), requestOf(sourceOf(fine)));
    for (let p = 0; p < rows.pointCount; p++)
      for (const [joint, weight] of weightsAt(over.part.positions[p * 3]))
        expect(Math.abs(weightOf(rows, p, joint) - weight)).toBeLessThan(0.06);
  });

  test('what has no counterpart is filled from both sides, level and summing to one', async () => {
    // The source lacks its middle: nothing there can be matched.
    const { positions, triangles, rows } = sourceOf(fine).parts[0];
    const kept = triangles.filter((_, i) => {
      const t = i - (i % 3);
      return [0, 1, 2].every((k) => Math.abs(positions[triangles[t + k] * 3] - 3) > 1);
    });
    const torn: TransferSource = {
      ...sourceOf(fine),
      parts: [{ name: 'sleeve', positions, triangles: kept, rows }],
    };
    const { rows: got, report } = await given(
      fine.part,
      createRows(fine.part.pointCount),
      requestOf(torn, { distance: 0.02 }),
    );
    expect(report.filled).toBeGreaterThan(60);
    expect(report.far).toBe(0);
    const states = report.states.get(0);
    for (let p = 0; p < got.pointCount; p++) {
      expect(rowSum(got, p)).toBeCloseTo(1, 5);
      if (states?.[p] !== TransferState.filled) continue;
      for (const [joint, weight] of weightsAt(fine.part.positions[p * 3]))
        expect(Math.abs(weightOf(got, p, joint) - weight)).toBeLessThan(0.2);
    }
  });

  test('only what is asked for changes, and locked joints keep what they have', async () => {
    const own = createRows(fine.part.pointCount);
    for (let p = 0; p < own.pointCount; p++)
      setRow(own, p, [
        [0, 0.75],
        [3, 0.25],
      ]);
    const points = Uint32Array.from({ length: 100 }, (_, i) => 120 + i);
    const locks = Uint8Array.of(0, 0, 0, 1, ...new Array<number>(12).fill(0));
    const { rows } = await given(
      fine.part,
      own,
      requestOf(sourceOf(coarse), { points: new Map([[0, points]]), rules: { locks, limit: 4 } }),
    );
    for (let p = 0; p < rows.pointCount; p++) {
      expect(weightOf(rows, p, 3)).toBe(0.25);
      if (!points.includes(p)) expect(weightOf(rows, p, 0)).toBe(0.75);
    }
    expect(weightOf(rows, 150, 0)).not.toBe(0.75);
  });

  test('a piece that follows one joint alone stays rigid', async () => {
    const own = createRows(fine.part.pointCount);
    for (let p = 0; p < own.pointCount; p++) setRow(own, p, [[0, 1]]);
    const { rows, report } = await given(
      fine.part,
      own,
      requestOf(sourceOf(coarse), { rigidParts: new Set([0]) }),
    );
    expect(report.rigid).toBe(fine.part.pointCount);
    const [joint] = rows.joints;
    for (let p = 0; p < rows.pointCount; p++) expect(weightOf(rows, p, joint)).toBe(1);
  });

  test('a body that nobody has bound, all on one joint, is no rigid piece', async () => {
    const own = createRows(fine.part.pointCount);
    for (let p = 0; p < own.pointCount; p++) setRow(own, p, [[0, 1]]);
    const { report } = await given(fine.part, own, requestOf(sourceOf(coarse)));
    expect(report).toMatchObject({ rigid: 0, matched: fine.part.pointCount });
  });

  test.each([
    ['no weights', { source: { ...sourceOf(coarse), parts: [] } }, /no weights/],
    ['no joint in common', { joints: Int32Array.of(-1, -1, -1, -1) }, /No joint/],
    ['no distance', { distance: 0 }, /distance/],
    ['nothing chosen', { points: new Map<number, Uint32Array>() }, /Nothing is chosen/],
  ])('with %s is refused', async (_, more, why) => {
    await expect(
      transferWeights([fine.part], [fine.rows], requestOf(sourceOf(coarse), more)),
    ).rejects.toThrow(why);
  });
});

describe('bringing one body onto another', () => {
  const places = jointPlaces(skeleton, [tube(4, 6).part]);

  test('finds any turn, even scale and way, and says what is left', () => {
    const component = fc.double({ min: -1, max: 1, noNaN: true });
    fc.assert(
      fc.property(
        fc.tuple(component, component, component, component).filter((q) => Math.hypot(...q) > 0.1),
        fc.double({ min: 0.01, max: 100, noNaN: true }),
        fc.tuple(component, component, component),
        (turn, scale, way) => {
          const rotation = quat.normalize(quat.create(), quat.fromValues(...turn));
          const m = mat4.fromRotationTranslationScale(mat4.create(), rotation, way, [scale, scale, scale]);
          const moved = movedPlaces(places, Float32Array.from(m));
          const found = alignPlaces(moved, places);
          expect(found).toBeDefined();
          if (!found) return;
          expect(found.scale * scale).toBeCloseTo(1, 3);
          const back = movedPlaces(moved, found.matrix);
          back.forEach((x, i) => expect(x).toBeCloseTo(places[i], 3));
          expect(found.mirroredResidual).toBeGreaterThan(found.residual);
        },
      ),
      // A half turn, whose rounding once left pairs out.
      { examples: [[[0, 0, 0.1, 0], 0.9832463562488557, [0.7482850253582001, 0, 0]]] },
    );
  });

  test('places in a line, or too few, say nothing', () => {
    expect(
      alignPlaces(Float32Array.of(0, 0, 0, 1, 0, 0, 2, 0, 0), Float32Array.of(0, 0, 0, 0, 1, 0, 0, 2, 0)),
    ).toBeUndefined();
    expect(alignPlaces(Float32Array.of(0, 0, 0, 1, 0, 0), Float32Array.of(0, 0, 0, 0, 1, 0))).toBeUndefined();
  });

  test('moved, turned and a hundred times as large, a source gives the same as in place', async () => {
    const [coarse, fine] = [tube(12, 8), tube(20, 9)];
    const source = sourceOf(coarse);
    const m = mat4.fromRotationTranslationScale(
      mat4.create(),
      quat.fromEuler(quat.create(), 90, 20, 5),
      [7, -3, 40],
      [100, 100, 100],
    );
    const far: TransferSource = {
      ...source,
      places: movedPlaces(source.places, Float32Array.from(m)),
      parts: source.parts.map((part) => ({
        ...part,
        positions: movedPlaces(part.positions, Float32Array.from(m)),
      })),
    };
    const target = { skeleton, parts: [fine.part] };
    const results = await Promise.all(
      [source, far].map((each) => {
        const { alignment, placed } = prepareTransfer(each, target);
        return given(
          fine.part,
          createRows(fine.part.pointCount),
          requestOf(each, { matrix: alignment.matrix, placed }),
        );
      }),
    );
    const [here, there] = results.map(({ rows }) => rows);
    for (let p = 0; p < here.pointCount; p++)
      for (let joint = 0; joint < 4; joint++)
        expect(weightOf(there, p, joint)).toBeCloseTo(weightOf(here, p, joint), 3);
  });

  test('a body of other proportions is bent into place', () => {
    const longer = skeletonOf(
      ARM.map(([name, parent, [x, y, z]]) => [name, parent, [x > 2 ? x * 1.5 : x, y, z]] as const),
    );
    const part = partOf(
      'sleeve',
      [...tube(12, 8).part.positions],
      [...tube(12, 8).part.triangles],
      longer.joints.map(
        (_, j) => [ARM[j][2][0] > 2 ? ARM[j][2][0] * 1.5 : ARM[j][2][0], ARM[j][2][1], ARM[j][2][2]] as const,
      ),
    );
    const prepared = prepareTransfer(sourceOf(tube(12, 8)), { skeleton: longer, parts: [part] });
    expect(prepared.isBent).toBe(true);
  });

  test('a mirrored source, two bodies, and no joint in common are refused', () => {
    const body = sourceOf(tube(12, 8));
    const bodyTarget = { skeleton, parts: [tube(12, 8).part] };
    const strange = skeletonOf(
      ARM.map(([, parent, place], i) => [`x${i}${'abcd'[i]}`, parent, place] as const),
    );
    const apart: TransferSource = {
      ...body,
      skeleton: strange,
      places: movedPlaces(body.places, Float32Array.from(mat4.fromTranslation(mat4.create(), [90, 0, 0]))),
    };
    expect(() => prepareTransfer(apart, bodyTarget)).toThrow(/no joint in common/);
    const two = skeletonOf([
      ...ARM,
      ...ARM.map(([name, parent, place]) => [`${name}.001`, parent < 0 ? -1 : parent + 4, place] as const),
    ]);
    const [{ positions, triangles, rows }] = body.parts;
    const second = copyRows(rows);
    second.joints.forEach((joint, i) => (second.joints[i] = rows.values[i] > 0 ? joint + 4 : 0));
    const twins: TransferSource = {
      skeleton: two,
      places: Float32Array.from([...body.places, ...body.places]),
      parts: [body.parts[0], { name: 'other', positions, triangles, rows: second }],
    };
    expect(() => prepareTransfer(twins, bodyTarget)).toThrow(/two bodies/);
    expect(() => prepareTransfer({ ...body, parts: [] }, bodyTarget)).toThrow(/no weights/);
  });
});

describe('joints are matched', () => {
  const side = (names: readonly (readonly [string, number])[]) => {
    const own = skeletonOf(names.map(([name, parent], i) => [name, parent, [i, i % 2, 0]] as const));
    return { skeleton: own, places: Float32Array.from(names.flatMap((_, i) => [i, i % 2, 0])) };
  };
  const target = side([
    ['hips', -1],
    ['spine_1', 0],
    ['upper_arm_L', 1],
    ['forearm_L', 2],
    ['hand_L', 3],
    ['thigh_L', 0],
    ['shin_L', 5],
    ['foot_L', 6],
  ]);
  const matched = (
    names: readonly (readonly [string, number])[],
    given = new Map<number, number>(),
    placed = false,
  ) => matchJoints(side(names), target, given, placed).map(({ target: to, basis }) => [to, basis]);

  test('by name in many spellings', () => {
    expect(
      matched([
        ['rig:Hips', -1],
        ['Spine.1', 0],
        ['L_UpperArm', 1],
        ['LeftForeArm', 2],
        ['Hand.L', 3],
      ]),
    ).toEqual([[0, 'name'], [1, 'name'], [2, 'words'], expect.arrayContaining([3]), [4, 'name']]);
  });

  test('by what they are in a body, by place once both stand in one, else with what is above', () => {
    const names = [
      ['pelvis', -1],
      ['chest', 0],
      ['LeftUpLeg', 0],
      ['LeftLeg', 2],
      ['LeftFoot', 3],
      ['tuft', 4],
    ] as const;
    const found = matched(names);
    expect(found[2]).toEqual([5, 'role']);
    expect(found[3]).toEqual([6, 'role']);
    expect(found[5]).toEqual([7, 'above']);
    const [from, to] = [
      side([
        ['a', -1],
        ['b', 0],
      ]),
      side([
        ['x', -1],
        ['y', 0],
      ]),
    ];
    expect(matchJoints(from, to, new Map(), true).map(({ basis }) => basis)).toEqual(['place', 'place']);
    expect(matchJoints(from, to).map(({ basis }) => basis)).toEqual(['none', 'none']);
  });

  test('as a person has said, before all else', () => {
    expect(
      matched(
        [
          ['hips', -1],
          ['hand_L', 0],
        ],
        new Map([[1, 3]]),
      ),
    ).toEqual([
      [0, 'name'],
      [3, 'given'],
    ]);
  });
});

test('a gap with one known side takes what that side has', async () => {
  const { part } = tube(10, 6);
  const known = Array.from({ length: part.pointCount }, (_, p) =>
    part.positions[p * 3] < 1 ? ([[2, 1]] as const) : undefined,
  );
  const unknown = Uint32Array.from(known.keys()).filter((p) => !known[p]);
  const filled = await fillGaps(part, known, unknown);
  expect(filled.size).toBe(unknown.length);
  for (const row of filled.values()) {
    expect(row).toHaveLength(1);
    expect(row[0][0]).toBe(2);
    expect(row[0][1]).toBeCloseTo(1, 4);
  }
});
