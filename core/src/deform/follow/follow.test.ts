import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { CharacterPart } from '../../document/character.ts';
import { skinPart } from '../../document/skinPart.ts';
import { computeNormals } from '../../mesh/normals.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { type JointPose, type Pose, REST_JOINT, rotationFromAngles } from '../../skeleton/pose.ts';
import { grid } from '../../testing/shapes.ts';
import { partOf, skeletonOf, tube } from '../../testing/testBody.ts';
import { bentTube } from '../../testing/testTube.ts';
import { createRows, type WeightRows } from '../../weights/rows.ts';
import { PartLook, type PosableCharacter } from '../PartLook.ts';
import { type Anchors, anchorTo, type DriverSurface } from './anchors.ts';
import type { Followings } from './partFollowing.ts';

const PLACES = [
  [-4, 0, 0],
  [0, 0, 0],
] as const;

const turned = (...angles: [number, number, number]): JointPose => ({
  ...REST_JOINT,
  rotation: rotationFromAngles(angles),
});

type Body = PosableCharacter & { readonly parts: readonly CharacterPart[] };

/** A part with normals of its own, all on the first joint. */
function garment(positions: number[], triangles: number[]): { part: CharacterPart; rows: WeightRows } {
  const part = partOf('sleeve', positions, triangles, PLACES);
  const rows = createRows(part.pointCount);
  for (let p = 0; p < part.pointCount; p++) rows.values[p * 8] = 1;
  return { part: { ...part, normals: computeNormals(part.positions, part.triangles) }, rows };
}

/** A limb that bends at x = 0, and a sleeve about it that stands off by so much. */
function sleeved(off = 0.3, sleeve = tube(-2, 2, 0, 0, { radius: 1 + off, rings: 17, capped: false })): Body {
  const limb = bentTube((x) => 0.5 + x / 2, { rings: 65, around: 24 });
  const { part, rows } = garment(sleeve.positions, sleeve.triangles);
  return {
    parts: [limb.parts[0] as CharacterPart, part],
    skeleton: limb.skeleton,
    rows: [limb.rows[0], rows],
  };
}

function surfaceOf(body: Body, part: number, pose: Pose = {}, isBound = true): DriverSurface {
  const { triangles, polygonOffsets: offsets, polygonPoints: points, pointCount } = body.parts[part];
  const { positions, normals } = skinPart(body, part, pose, isBound);
  return { positions, normals, triangles, neighbours: findNeighbours({ offsets, points }, pointCount) };
}

const anchored = async (body: Body, part = 1, driver = 0): Promise<Anchors> =>
  (await anchorTo(surfaceOf(body, driver), surfaceOf(body, part).positions)) as Anchors;

async function followed(
  body: Body,
  following?: Followings,
  skinning: 'linear' | 'dual' = 'linear',
  part = 1,
) {
  const look = await PartLook.create(body, part, {
    skinning,
    following: following ?? [undefined, { driver: 0, hold: await anchored(body) }],
  });
  return (pose: Pose) => look.at(pose).positions.slice();
}

const expectNear = (found: ArrayLike<number>, wanted: ArrayLike<number>, digits = 4): void => {
  let most = 0;
  for (let i = 0; i < wanted.length; i++) most = Math.max(most, Math.abs(found[i] - wanted[i]));
  expect(most).toBeLessThan(10 ** -digits);
};

test('what each place holds on to sums to one, and the nearest is told with its side', async () => {
  const body = sleeved();
  const { rows, heights, points, beside } = await anchored(body);
  for (let p = 0; p < rows.pointCount; p++) {
    const values = rows.values.subarray(p * rows.stride, (p + 1) * rows.stride);
    expect(values.reduce((sum, x) => sum + x, 0)).toBeCloseTo(1, 5);
    expect(values.every((x, k) => x >= 0 && (k === 0 || x <= values[k - 1]))).toBe(true);
    expect(heights[p]).toBeGreaterThan(0.28);
    expect(heights[p]).toBeLessThan(0.36);
  }
  expect(Math.max(...rows.joints)).toBe(points.length - 1);
  expect(beside.every((q, a) => q !== points[a])).toBe(true);
  const inner = await anchored(sleeved(-0.2));
  expect(Math.max(...inner.heights)).toBeLessThan(-0.15);
});

test('at rest nothing moves, and the whole character turned takes all along', async () => {
  const body = sleeved();
  const rest = surfaceOf(body, 1).positions;
  const at = await followed(body);
  expectNear(at({}), rest);
  // All parts are on the first joint, or on one below it.
  const pose = { 0: { ...turned(20, 35, -50), translation: [1, 2, 3] } } as Pose;
  expectNear(at(pose), skinPart(body, 1, pose, false).positions, 3);
  const dual = await followed(body, undefined, 'dual');
  expectNear(dual(pose), skinPart(body, 1, pose, false).positions, 3);
});

test('a character that is made larger takes the distance along', async () => {
  const body = sleeved();
  const pose: Pose = { 0: { ...REST_JOINT, scale: [2, 2, 2] } };
  expectNear((await followed(body))(pose), skinPart(body, 1, pose, false).positions, 3);
});

test('over a plane every place keeps its place over its triangle, wherever the plane goes', async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.double({ min: 0, max: 4, noNaN: true }),
      fc.double({ min: 0, max: 4, noNaN: true }),
      async (x, y) => {
        const { positions, triangles } = grid(4, 4);
        const normals = Float32Array.from(positions, (_, i) => (i % 3 === 2 ? 1 : 0));
        const count = positions.length / 3;
        const offsets = Uint32Array.from({ length: triangles.length / 3 + 1 }, (_, t) => t * 3);
        const neighbours = findNeighbours({ offsets, points: triangles }, count);
        const { rows, points, heights } = (await anchorTo(
          { positions, normals, triangles, neighbours },
          Float32Array.of(x, y, 0.5),
        )) as Anchors;
        const sum = [0, 0];
        for (let k = 0; k < rows.stride && rows.values[k] > 0; k++)
          for (const axis of [0, 1])
            sum[axis] += rows.values[k] * positions[points[rows.joints[k]] * 3 + axis];
        expect(sum[0]).toBeCloseTo(x, 4);
        expect(sum[1]).toBeCloseTo(y, 4);
        expect(heights[0]).toBeCloseTo(0.5, 5);
      },
    ),
  );
});

describe('a sleeve about a limb that bends', () => {
  const POSE: Pose = { 1: turned(0, 0, 70) };

  test.each([0.05, 0.3])('stays off the surface by what it stood off: %p', async (off) => {
    const body = sleeved(off);
    const places = (await followed(body))(POSE);
    const { heights } = (await anchorTo(surfaceOf(body, 0, POSE, false), places)) as Anchors;
    const before = (await anchored(body)).heights;
    const lost = heights.reduce((most, height, p) => Math.max(most, before[p] - height), 0);
    // On the inner side two halves of the limb come close to each other, and to the sleeve of either.
    expect(lost).toBeLessThan(0.35 * off + 0.02);
    expect(Math.min(...heights)).toBeGreaterThan(0);
    const plain = (await anchorTo(
      surfaceOf(body, 0, POSE, false),
      skinPart(body, 1, POSE, false).positions,
    )) as Anchors;
    expect(Math.min(...plain.heights)).toBeLessThan(-0.3);
  });

  test('listed points come to lie where all of them do', async () => {
    const body = sleeved();
    const amounts = Float32Array.from({ length: body.parts[1].pointCount }, (_, p) => (p % 5) / 4);
    const following = [undefined, { driver: 0, hold: await anchored(body), amounts }];
    const half = (await followed(body, following))(POSE);
    const [none, all] = [skinPart(body, 1, POSE, false).positions, (await followed(body))(POSE)];
    expectNear(
      half,
      all.map((x, i) => none[i] + amounts[Math.floor(i / 3)] * (x - none[i])),
    );
  });

  test('a part that the file binds elsewhere follows as well', async () => {
    const body = sleeved();
    const wanted = (await followed(body))(POSE);
    // Moved by five in its own space; its joints are bound to that.
    const [limb, sleeve] = body.parts;
    const positions = sleeve.positions.map((x, i) => x + (i % 3 === 1 ? 5 : 0));
    const inverseBinds = sleeve.inverseBinds.slice();
    for (let at = 0; at < inverseBinds.length; at += 16) inverseBinds[at + 13] -= 5;
    const moved = { ...body, parts: [limb, { ...sleeve, positions, inverseBinds }] };
    expectNear((await followed(moved))(POSE), wanted);
  });

  test('what follows a follower goes where both take it', async () => {
    const body = sleeved(0.2);
    const over = tube(-1, 1, 0, 0, { radius: 1.4, rings: 9, capped: false });
    const { part, rows } = garment(over.positions, over.triangles);
    const three: Body = { ...body, parts: [...body.parts, part], rows: [...body.rows, rows] };
    const first = { driver: 0, hold: await anchored(three) };
    const following = [undefined, first, { driver: 1, hold: await anchored(three, 2, 1) }];
    const places = (await followed(three, following, 'linear', 2))(POSE);
    const sleeve = (await followed(three, following))(POSE);
    const { triangles } = three.parts[1];
    const surface = { ...surfaceOf(three, 1), positions: sleeve, normals: computeNormals(sleeve, triangles) };
    const { heights } = (await anchorTo(surface, places)) as Anchors;
    expect(Math.min(...heights)).toBeGreaterThan(0.05);
    // Its own weights are all on the first joint: by itself it would not move.
    expect(Math.max(...places.map((x, i) => Math.abs(x - part.positions[i])))).toBeGreaterThan(0.5);
  });
});

describe('what hangs between two limbs', () => {
  const skeleton = skeletonOf([
    ['hips', -1, [0, 0, 0]],
    ['left', 0, [0, 0, 0]],
  ]);
  // Two bars side by side, the second of which the second joint turns.
  const body = ((): Body => {
    const [one, other] = [-2, 2].map((y) => tube(0, 8, y, 0, { rings: 33 }));
    const count = one.positions.length / 3;
    const limbs = partOf(
      'limbs',
      [...one.positions, ...other.positions],
      [...one.triangles, ...other.triangles.map((p) => p + count)],
      [
        [0, 0, 0],
        [0, 0, 0],
      ],
    );
    const rows = createRows(limbs.pointCount);
    for (let p = 0; p < limbs.pointCount; p++) {
      rows.joints[p * 8] = p < count ? 0 : 1;
      rows.values[p * 8] = 1;
    }
    const normals = computeNormals(limbs.positions, limbs.triangles);
    return { parts: [{ ...limbs, normals }], skeleton, rows: [rows] };
  })();

  test('follows both, half and half in the middle, and changes by little from one place to the next', async () => {
    const surface = surfaceOf(body, 0);
    const count = surface.positions.length / 6;
    const shareOfOther = async (y: number): Promise<number> => {
      const { rows, points } = (await anchorTo(surface, Float32Array.of(4, y, 0.3))) as Anchors;
      let share = 0;
      for (let k = 0; k < rows.stride; k++) if (points[rows.joints[k]] >= count) share += rows.values[k];
      return share;
    };
    expect(await shareOfOther(0)).toBeCloseTo(0.5, 1);
    expect(await shareOfOther(-0.9)).toBe(0);
    expect(await shareOfOther(0.9)).toBeCloseTo(1, 5);
    for (let y = -0.9, last = 0; y < 0.9; y += 0.02) {
      const share = await shareOfOther(y);
      expect(Math.abs(share - last)).toBeLessThan(0.16);
      last = share;
    }
  });
});

test('a surface without triangles has nothing to hold on to', async () => {
  const empty = { offsets: new Uint32Array(2), points: new Uint32Array(0) };
  const nothing = {
    positions: new Float32Array(3),
    normals: new Float32Array(3),
    triangles: new Uint32Array(0),
    neighbours: empty,
  };
  expect(await anchorTo(nothing, Float32Array.of(0, 0, 0))).toBeUndefined();
});
