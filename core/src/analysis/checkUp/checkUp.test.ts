import { describe, expect, test } from '@jest/globals';
import type { Character, CharacterPart } from '../../document/character.ts';
import { noSourceWeights } from '../../formats/gltf/readWeights.ts';
import { partOf, skeletonOf, tube } from '../../testing/testBody.ts';
import { rowsFrom } from '../../testing/shapes.ts';
import type { WeightRows } from '../../weights/rows.ts';
import { apply, invert } from '../../weights/delta.ts';
import { influenceCount, rowSum } from '../../weights/rows.ts';
import { repairWeights } from '../../operations/repair/repairWeights.ts';
import { checkInput, checkUp, type CheckOptions } from './checkUp.ts';
import type { FindingCode } from '../../document/finding.ts';
import { DEFAULT_PROFILE, patternTrouble } from '../../document/profiles.ts';

type Place = [number, number, number];
type JointRow = readonly [string, number, Place];

const JOINTS: JointRow[] = [
  ['hips', -1, [0, 0, 0]],
  ['arm_L', 0, [4, 0, 0]],
  ['arm_R', 0, [-4, 0, 0]],
];

interface Change {
  joints?: JointRow[];
  shape?: { positions: number[]; triangles: number[] };
  rows?: (pointCount: number) => WeightRows;
  part?: Partial<CharacterPart>;
  source?: Partial<Character['sourceWeights'][number]>;
}

/** A healthy character: a tube along x about three joints, symmetric, everything on the nearest joint. */
function character(change: Change = {}): Character {
  const joints = change.joints ?? JOINTS;
  const skeleton = skeletonOf(joints);
  const { positions, triangles } = change.shape ?? tube(-6, 6, 0, 0, { rings: 13, around: 8 });
  const part = {
    ...partOf(
      'tube',
      positions,
      triangles,
      joints.map(([, , place]) => place),
    ),
    ...change.part,
  };
  const near = (p: number): number => (positions[p * 3] > 2 ? 1 : positions[p * 3] < -2 ? 2 : 0);
  const rows =
    change.rows?.(part.pointCount) ??
    rowsFrom(
      Array.from({ length: part.pointCount }, (_, p) => ({ [Math.min(near(p), joints.length - 1)]: 1 })),
    );
  return {
    parts: [part],
    skeleton,
    rows: [rows],
    sourceWeights: [{ ...noSourceWeights(part.vertexCount), sumTolerance: 1e-3, ...change.source }],
    clips: [],
    morphs: [],
    plainNodes: [],
    materialCount: 0,
    notes: [],
  };
}

const codes = (who: Character, options?: CheckOptions): FindingCode[] => [
  ...new Set(checkUp(who, options).map(({ code }) => code)),
];

type Row = Readonly<Partial<Record<number, number>>>;
const weightsWith = (some: (p: number, n: number) => Row | undefined) => (n: number) =>
  rowsFrom(Array.from({ length: n }, (_, p) => some(p, n) ?? { 0: 0.4, 1: 0.3, 2: 0.3 }));

const body = tube(-6, 6, 0, 0, { rings: 13, around: 8 });
const moved = (change: (x: number, i: number) => number) => ({
  ...body,
  positions: body.positions.map(change),
});
const withRoot = (place: Place, name = 'bottom'): JointRow[] => [
  [name, -1, place],
  ['hips', 0, [0, 0, 0]],
  ['arm_L', 1, [4, 0, 0]],
  ['arm_R', 1, [-4, 0, 0]],
];
/** Two more pairs, so that the middle is known without the arm in question. */
const withArm = (x: number): JointRow[] => [
  JOINTS[0],
  JOINTS[1],
  ['arm_R', 0, [x, 0, 0]],
  ['leg_L', 0, [1, 0, 0.2]],
  ['leg_R', 0, [-1, 0, 0.2]],
  ['ear_L', 0, [2, 0, 0.2]],
  ['ear_R', 0, [-2, 0, 0.2]],
];
const vertexCount = body.positions.length / 3;
const sums = (...some: number[]): Float32Array =>
  Float32Array.from({ length: vertexCount }, (_, v) => some[v] ?? 1);

/** Each finding: a character that has it, and one that nearly has it. */
const CASES: [FindingCode, Change, Change, CheckOptions?][] = [
  ['unweighted', { rows: weightsWith((p) => (p === 3 ? {} : undefined)) }, {}],
  [
    'too-many-influences',
    { rows: weightsWith(() => undefined) },
    { rows: weightsWith(() => ({ 0: 0.5, 1: 0.5 })) },
    { profile: { name: 'Two', influences: 2, joints: 9, vertices: 999 } },
  ],
  ['weights-in-units', { source: { sums: sums(100, 255, 99.6) } }, { source: { sums: sums(60) } }],
  ['sums-off-one', { source: { sums: sums(0.9) } }, { source: { sums: sums(1.0005) } }],
  [
    'broken-weights',
    {
      source: {
        sums: sums(),
        brokenVertices: Uint8Array.from({ length: vertexCount }, (_, v) => (v === 2 ? 1 : 0)),
      },
    },
    { source: { sums: sums(), brokenVertices: new Uint8Array(vertexCount) } },
  ],
  [
    'tied-to-root',
    { joints: withRoot([0, -9, 0]), rows: weightsWith((p) => (p === 5 ? { 0: 1 } : { 1: 1 })) },
    { joints: withRoot([0.1, 0, 0]), rows: weightsWith((p) => (p === 5 ? { 0: 1 } : { 1: 1 })) },
  ],
  [
    'skeleton-units',
    { joints: JOINTS.map(([n, p, at]): JointRow => [n, p, at.map((x) => x * 100) as Place]) },
    {},
  ],
  [
    'skeleton-far',
    { joints: JOINTS.map(([n, p, [x, y, z]]): JointRow => [n, p, [x, y + 30, z]]) },
    { joints: JOINTS.map(([n, p, [x, y, z]]): JointRow => [n, p, [x, y + 1.2, z]]) },
  ],
  ['no-joints', { joints: [], rows: (n) => rowsFrom(Array.from({ length: n }, () => ({}))) }, {}],
  ['joint-name-double', { joints: [JOINTS[0], ['arm', 0, [4, 0, 0]], ['arm', 0, [-4, 0, 0]]] }, {}],
  ['side-without-weight', { rows: weightsWith(() => ({ 0: 0.5, 1: 0.5 })) }, {}],
  ['joint-without-weight', { rows: weightsWith(() => ({ 1: 0.5, 2: 0.5 })) }, {}],
  ['skeleton-asymmetry', { joints: withArm(-3.5) }, { joints: withArm(-4.01) }],
  ['joint-on-parent', { joints: [JOINTS[0], ['spot', 0, [0, 0, 0]]] }, {}],
  ['loose-points', { shape: { positions: [...body.positions, 0, 3, 0], triangles: body.triangles } }, {}],
  [
    'doubled-faces',
    { shape: { ...body, triangles: [...body.triangles, ...body.triangles.slice(0, 3)] } },
    {},
  ],
  [
    'non-manifold-edges',
    {
      shape: {
        positions: [...body.positions, 0, 3, 0],
        triangles: [...body.triangles, body.triangles[0], body.triangles[1], vertexCount],
      },
    },
    { shape: tube(-6, 6, 0, 0, { rings: 13, around: 8, capped: false }) },
  ],
  [
    'zero-area-faces',
    { shape: moved((x, i) => (i >= 24 && i < 27 ? body.positions[i - 24] : x)) },
    { shape: moved((x, i) => (i === 24 ? x - 0.8 : x)) },
  ],
  [
    'inside-out',
    {
      shape: {
        ...body,
        triangles: body.triangles.map((_, i) => body.triangles[i - (i % 3) + [0, 2, 1][i % 3]]),
      },
    },
    { shape: tube(-6, 6, 0, 0, { rings: 13, around: 8, capped: false }) },
  ],
  [
    'mesh-asymmetry',
    { shape: moved((x, i) => (i === 31 ? x + 0.4 : x)) },
    { shape: moved((x, i) => (i === 31 ? x + 0.002 : x)) },
  ],
  ['many-joints', {}, {}, { profile: { name: 'Few', influences: 4, joints: 2, vertices: 999 } }],
  ['many-vertices', {}, {}, { profile: { name: 'Few', influences: 4, joints: 99, vertices: 10 } }],
];

/** A body of two legs beside each other, on chains of their own. */
const legs = (): Change => {
  const [left, right] = [
    tube(-6, 6, 0, 0, { rings: 25, around: 8 }),
    tube(-6, 6, 0, 3, { rings: 25, around: 8 }),
  ];
  const shift = left.positions.length / 3;
  const knees = [-6, -2, 2, 6];
  return {
    shape: {
      positions: [...left.positions, ...right.positions],
      triangles: [...left.triangles, ...right.triangles.map((p) => p + shift)],
    },
    joints: [
      ['hips', -1, [-7, 0, 1.5]],
      ...knees.map((x, i): JointRow => [`a${i}`, i === 0 ? 0 : i, [x, 0, 0]]),
      ...knees.map((x, i): JointRow => [`b${i}`, i === 0 ? 0 : i + 4, [x, 0, 3]]),
    ],
  };
};
/** Each point on the nearest joint of its own leg, but for those that `other` says. */
const legRows =
  (other: (p: number, x: number, onB: boolean) => number | undefined) =>
  (n: number): WeightRows => {
    const { positions = [] } = legs().shape ?? {};
    return rowsFrom(
      Array.from({ length: n }, (_, p) => {
        const x = positions[p * 3];
        const onB = positions[p * 3 + 2] > 1.5;
        const step = Math.min(3, Math.max(0, Math.round((x + 6) / 4)));
        const joint = other(p, x, onB) ?? 1 + step + (onB ? 4 : 0);
        return { [joint]: 1 };
      }),
    );
  };

describe('weight that is wrong on the whole', () => {
  test('all on one joint is an error, on two it is none', () => {
    const who = character({ rows: weightsWith(() => ({ 1: 1 })) });
    expect(checkUp(who).find(({ code }) => code === 'one-joint')).toMatchObject({
      severity: 'error',
      joint: 1,
      message: expect.stringMatching(/Every point follows “arm_L”/),
    });
    expect(codes(character({ rows: weightsWith((p) => ({ [p % 2]: 1 })) }))).not.toContain('one-joint');
  });

  test('a foot that follows the other leg’s is found, with its points; a leg of its own is not', () => {
    const wrong = character({ ...legs(), rows: legRows((_, x, onB) => (onB && x > 3 ? 1 : undefined)) });
    const [finding] = checkUp(wrong).filter(({ code }) => code === 'tied-to-far-joint');
    expect(finding).toMatchObject({ joints: [1], part: 0 });
    expect(finding.count).toBeGreaterThan(20);
    expect(codes(character({ ...legs(), rows: legRows(() => undefined) }))).not.toContain(
      'tied-to-far-joint',
    );
  });

  test('a piece that follows one joint whole may reach as far as it likes', () => {
    const prop = character({ ...legs(), rows: legRows((_, __, onB) => (onB ? 1 : undefined)) });
    expect(codes(prop)).not.toContain('tied-to-far-joint');
  });

  test('what is tied to the root alone has nobody to be given to: no repair is offered, and none done', () => {
    const who = character({ joints: withRoot([0, -9, 0]), rows: weightsWith(() => ({ 0: 1 })) });
    const finding = checkUp(who).find(({ code }) => code === 'tied-to-root');
    expect(finding).toMatchObject({ severity: 'error' });
    expect(finding?.repair).toBeUndefined();
    const { change, report } = repairWeights(
      checkInput(who, {}),
      finding ? [finding] : [],
      new Uint8Array(4),
    );
    expect([change, report.helpless]).toEqual([[], who.parts[0].pointCount]);
  });
});

describe('limits for names', () => {
  const limited = (length: number, pattern: string): FindingCode[] =>
    codes(character(), { profile: { ...DEFAULT_PROFILE, name: 'Own', names: { length, pattern } } });

  test.each([
    [0, '', false],
    [5, '', false],
    [4, '', true],
    [0, '[a-zA-Z_]+', false],
    [0, '[a-z]+', true],
    [0, 'arm', true],
  ])('at most %i letters, following “%s”', (length, pattern, isFound) => {
    expect(limited(length, pattern).includes('names-not-taken')).toBe(isFound);
  });

  test.each(['(', '(a+)+', 'a'.repeat(200)])('the pattern %s is refused, and holds nothing up', (pattern) => {
    expect(patternTrouble(pattern)).not.toBe('');
    expect(limited(0, pattern)).not.toContain('names-not-taken');
  });
});

describe('triangles that share no points', () => {
  const loose = (faces: number, whole: boolean): Change => {
    const positions = Array.from({ length: faces }, (_, f) => [f, 0, 0, f + 0.5, 0, 0, f, 0.5, 0]).flat();
    const shape = { positions, triangles: positions.flatMap((_, i) => (i % 3 === 0 ? [i / 3] : [])) };
    if (!whole) return { shape };
    const shift = positions.length / 3;
    return {
      shape: {
        positions: [...positions, ...body.positions],
        triangles: [...shape.triangles, ...body.triangles.map((p) => p + shift)],
      },
    };
  };
  test('are told where a part is made of them, not where a few lie beside a whole body', () => {
    expect(codes(character(loose(60, false)))).toContain('loose-triangles');
    expect(codes(character(loose(24, true)))).not.toContain('loose-triangles');
    expect(codes(character(loose(10, false)))).not.toContain('loose-triangles');
  });
});

describe('checkUp', () => {
  test('a healthy character has nothing', () => expect(codes(character())).toEqual([]));

  // Every row is filled up: for a missing last argument the runner would hand in a callback and wait for it.
  const cases = CASES.map(([code, has, nearly, options = {}]) => [code, has, nearly, options] as const);
  test.each(cases)('%s is found where it is, and not where it nearly is', (code, has, nearly, options) => {
    expect(codes(character(has), options)).toContain(code);
    const limits = code === 'many-joints' || code === 'many-vertices';
    expect(codes(character(nearly), limits ? {} : options)).not.toContain(code);
  });

  test('transforms: scaled, mirrored, nameless, and rest against the bind', () => {
    const who = character();
    const with_ = (joint: object, more: Partial<CharacterPart> = {}): Character => ({
      ...who,
      parts: [{ ...who.parts[0], ...more }],
      skeleton: { joints: who.skeleton.joints.map((own, i) => (i === 1 ? { ...own, ...joint } : own)) },
    });
    expect(codes(with_({ scale: [1.2, 1.2, 1.2] }))).toContain('scaled-transform');
    expect(codes(with_({ scale: [1.0005, 1, 1] }))).not.toContain('scaled-transform');
    expect(codes(with_({ scale: [-1, 1, 1] }))).toContain('mirrored-transform');
    expect(codes(with_({ named: false }))).toContain('joint-name-missing');
    expect(codes(with_({ translation: [4.5, 0, 0] }))).toContain('rest-differs');
    expect(codes(with_({ translation: [4.001, 0, 0] }))).not.toContain('rest-differs');
  });

  test('weight on a joint whose deforming is off, and islands that touch', () => {
    expect(codes(character(), { nonDeforming: new Set([1]) })).toContain('tied-to-still-joint');
    expect(codes(character(), { nonDeforming: new Set() })).not.toContain('tied-to-still-joint');
    const two = (gap: number) => {
      const [a, b] = [
        tube(-6, 6, 0, 0, { rings: 13, around: 8 }),
        tube(-6, 6, 0, 2 + gap, { rings: 13, around: 8 }),
      ];
      const shift = a.positions.length / 3;
      return {
        positions: [...a.positions, ...b.positions],
        triangles: [...a.triangles, ...b.triangles.map((p) => p + shift)],
      };
    };
    expect(codes(character({ shape: two(-2 + 0.01) }))).toContain('islands-touch');
    expect(codes(character({ shape: two(3) }))).not.toContain('islands-touch');
  });

  test('names points and joints exactly, worst first', () => {
    const found = checkUp(character({ rows: weightsWith((p) => (p === 3 || p === 40 ? {} : undefined)) }));
    expect(found[0]).toMatchObject({ code: 'unweighted', severity: 'error', part: 0, count: 2, safe: true });
    expect([...(found[0].points ?? [])]).toEqual([3, 40]);
  });
});

describe('repairs', () => {
  const options: CheckOptions = { profile: { name: 'Two', influences: 2, joints: 99, vertices: 9999 } };
  const repaired = (who: Character, more: CheckOptions = options) => {
    const rows = who.rows.map((own) => ({ ...own, joints: own.joints.slice(), values: own.values.slice() }));
    const input = checkInput(who, more);
    const locks = new Uint8Array(who.skeleton.joints.length);
    const { change, report } = repairWeights(input, checkUp(who, more), locks);
    apply(rows, change);
    return { rows: rows[0], change, report };
  };

  test.each<[FindingCode, Change, CheckOptions]>([
    ['unweighted', { rows: weightsWith((p) => (p % 9 === 4 ? {} : { 0: 0.75, 1: 0.25 })) }, options],
    ['too-many-influences', { rows: weightsWith(() => undefined) }, options],
    [
      'tied-to-root',
      {
        joints: withRoot([0, -9, 0]),
        rows: weightsWith((p) => (p % 5 === 0 ? { 0: 1 } : { 0: 0.2, 1: 0.8 })),
      },
      options,
    ],
    [
      'tied-to-still-joint',
      { rows: weightsWith((p) => (p % 5 === 0 ? { 1: 1 } : { 0: 0.5, 1: 0.5 })) },
      { ...options, nonDeforming: new Set([1]) },
    ],
  ])('%s is gone afterwards, sums are one, and undo brings every bit back', (code, change, more) => {
    const who = character(change);
    expect(codes(who, more)).toContain(code);
    const { rows, change: done, report } = repaired(who, more);
    expect(report.helpless).toBe(0);
    expect(codes({ ...who, rows: [rows] }, more)).not.toContain(code);
    for (let p = 0; p < rows.pointCount; p++) {
      expect(Math.abs(rowSum(rows, p) - 1)).toBeLessThanOrEqual(1e-6);
      expect(influenceCount(rows, p)).toBeLessThanOrEqual(2);
    }
    apply([rows], invert(done));
    expect(rows.values).toEqual(who.rows[0].values);
    expect(rows.joints).toEqual(who.rows[0].joints);
  });

  test('healed points lie between the weights around them', () => {
    const ring = (p: number): number => Math.floor(p / 8);
    const who = character({
      rows: weightsWith((p) => (ring(p) >= 5 && ring(p) <= 7 ? {} : ring(p) < 5 ? { 2: 1 } : { 1: 1 })),
    });
    const { rows } = repaired(who);
    const middle = 6 * 8;
    expect(rows.values[middle * rows.stride]).toBeCloseTo(0.5, 1);
    expect(influenceCount(rows, middle)).toBe(2);
  });

  test('a part without any weight cannot be healed, and that is told', () => {
    const who = character({ rows: weightsWith(() => ({})) });
    const { change, report } = repaired(who);
    expect(change).toEqual([]);
    expect(report.helpless).toBe(who.parts[0].pointCount);
  });

  test('locked joints keep their weight', () => {
    const who = character({ rows: weightsWith(() => undefined) });
    const input = checkInput(who, options);
    const { change } = repairWeights(input, checkUp(who, options), new Uint8Array([0, 0, 1]));
    const rows = who.rows[0];
    apply([rows], change);
    for (let p = 0; p < rows.pointCount; p++) {
      const at = [...rows.joints.subarray(p * rows.stride, p * rows.stride + 2)].indexOf(2);
      expect(rows.values[p * rows.stride + at]).toBe(Math.fround(0.3));
    }
  });
});
