import { describe, expect, test } from '@jest/globals';
import { type Followings, PartLook, weightsAlong } from '../../deform/index.ts';
import type { CharacterPart } from '../../document/character.ts';
import { followPart } from '../../document/followPart.ts';
import { skinPart } from '../../document/skinPart.ts';
import { computeNormals } from '../../mesh/normals.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { bindSkin } from '../../operations/bind/index.ts';
import { bakeLook } from '../../operations/cure/index.ts';
import { type JointPose, type Pose, REST_JOINT, rotationFromAngles } from '../../skeleton/pose.ts';
import { partOf, requestFor, skeletonOf, tube, type TubeOptions } from '../../testing/testBody.ts';
import { apply } from '../../weights/delta.ts';
import { copyRows, createRows, type WeightRows } from '../../weights/rows.ts';
import { createBendMesh } from '../bends/bendRegion.ts';
import { CrossingFinder } from './crossings.ts';

type Place = readonly [number, number, number];

interface Clothed {
  readonly parts: readonly CharacterPart[];
  readonly skeleton: ReturnType<typeof skeletonOf>;
  readonly rows: readonly WeightRows[];
}

/** Hips from which two legs go down (along −y), a knee in the middle of each; a torso above. */
const JOINTS: readonly (readonly [string, number, Place])[] = [
  ['hips', -1, [0, 0, 0]],
  ['thigh_L', 0, [1.2, -0.5, 0]],
  ['knee_L', 1, [1.2, -4, 0]],
  ['thigh_R', 0, [-1.2, -0.5, 0]],
  ['knee_R', 3, [-1.2, -4, 0]],
];

/** A tube from one depth down to another, about x. */
function down(top: number, bottom: number, x: number, options: TubeOptions): ReturnType<typeof tube> {
  const { positions, triangles } = tube(top, bottom, x, 0, options);
  // Along x becomes down; a quarter turn about z keeps the sides what they are.
  const turned = positions.map((_, i) =>
    i % 3 === 0 ? positions[i + 1] : i % 3 === 1 ? -positions[i - 1] : positions[i],
  );
  return { positions: turned, triangles };
}

function joined(pieces: readonly ReturnType<typeof tube>[]): ReturnType<typeof tube> {
  const [positions, triangles]: [number[], number[]] = [[], []];
  for (const piece of pieces) {
    const from = positions.length / 3;
    positions.push(...piece.positions);
    triangles.push(...piece.triangles.map((p) => p + from));
  }
  return { positions, triangles };
}

const LEGS = joined([
  down(-3, -1.1, 0, { radius: 2.3, rings: 9, around: 24 }),
  down(0.2, 8, 1.2, { radius: 0.9, rings: 33, around: 16 }),
  down(0.2, 8, -1.2, { radius: 0.9, rings: 33, around: 16 }),
]);
const skirt = (): ReturnType<typeof tube> => {
  const made = down(-1.4, 3.4, 0, { radius: 2.5, rings: 17, around: 32, capped: false });
  return { ...made, positions: made.positions.map((x, i) => (i % 3 === 2 ? x * 0.62 : x)) };
};
const CLOTHES: Readonly<Record<string, ReturnType<typeof tube>>> = {
  'a skirt about both legs': skirt(),
  trousers: joined(
    [1.2, -1.2].map((x) => down(0.8, 7, x, { radius: 1.05, rings: 29, around: 16, capped: false })),
  ),
  'loose stockings with a tear': joined(
    [1.2, -1.2].map((x) =>
      down(1.5, 7.5, x, {
        radius: 1.3,
        rings: 25,
        around: 16,
        capped: false,
        torn: (r, a) => r > 12 && a === 3,
      }),
    ),
  ),
};

function clothed(clothes: ReturnType<typeof tube>, scale: number): Clothed {
  const places = JOINTS.map(([, , place]) => place.map((x) => x * scale) as unknown as Place);
  const parts = [LEGS, clothes].map(({ positions, triangles }, i) => {
    const part = partOf(
      ['legs', 'clothes'][i],
      positions.map((x) => x * scale),
      triangles,
      places,
    );
    return { ...part, normals: computeNormals(part.positions, part.triangles) };
  });
  const legs = createRows(parts[0].pointCount);
  for (let p = 0; p < legs.pointCount; p++) {
    const [x, y] = [LEGS.positions[p * 3], LEGS.positions[p * 3 + 1]];
    const isTrunk = p < 9 * 24 + 2;
    const thigh = isTrunk ? 0 : Math.min(1, Math.max(0, (0.6 - y) / 1.2 - 0.2));
    const knee = Math.min(1, Math.max(0, (-3.4 - y) / 1.2));
    const [upper, lower] = x > 0 ? [1, 2] : [3, 4];
    [
      [0, 1 - thigh],
      [upper, thigh * (1 - knee)],
      [lower, thigh * knee],
    ]
      .filter(([, w]) => w > 0)
      .sort((a, b) => b[1] - a[1])
      .forEach(([joint, w], k) => {
        legs.joints[p * 8 + k] = joint;
        legs.values[p * 8 + k] = w;
      });
  }
  return {
    parts,
    skeleton: skeletonOf(JOINTS.map(([name, parent], i) => [name, parent, places[i]])),
    rows: [legs, createRows(parts[1].pointCount)],
  };
}

const turn = (...angles: [number, number, number]): JointPose => ({
  ...REST_JOINT,
  rotation: rotationFromAngles(angles),
});
/** As far as the legs do not run into themselves: no clothes could help that. */
const POSES: readonly Pose[] = [
  ...[-70, -40, -20, 20, 40].flatMap((angle) =>
    [1, 3].map((joint): Pose => ({ [joint]: turn(angle, 0, 0) })),
  ),
  ...[30, 45, 60].flatMap((angle) => [2, 4].map((joint): Pose => ({ [joint]: turn(angle, 0, 0) }))),
  ...[25, 40].flatMap((angle): Pose[] => [{ 1: turn(0, 0, angle) }, { 3: turn(0, 0, -angle) }]),
  { 1: turn(-60, 0, 0), 2: turn(60, 0, 0), 3: turn(25, 0, 0) },
];

function crossingsOf(body: Clothed, clothes: PartLook, legs: PartLook): number {
  const meshes = body.parts.map((part, i) => {
    const { polygonOffsets: offsets, polygonPoints: points, pointCount, triangles } = part;
    const { positions, normals } = skinPart(body, i, {}, true);
    return createBendMesh(triangles, findNeighbours({ offsets, points }, pointCount), positions, normals);
  });
  const finder = new CrossingFinder(meshes[1], meshes[0]);
  return POSES.reduce(
    (sum, pose) => sum + finder.find([clothes.at(pose).positions, legs.at(pose).positions]).places,
    0,
  );
}

describe.each(Object.keys(CLOTHES))('%s', (name) => {
  test.each([1, 100])(
    'cross the body at most half as often as bound automatically, at scale %p',
    async (scale) => {
      const body = clothed(CLOTHES[name], scale);
      const auto = { ...body, rows: body.rows.map(copyRows) };
      const request = requestFor(body, { method: 'heat', parts: [1] });
      apply(auto.rows, (await bindSkin(auto, request)).change);
      const followings: Followings = [undefined, { driver: 0, hold: await followPart(body, 1, 0) }];
      const look = (rows: readonly WeightRows[], following?: Followings) =>
        PartLook.create({ ...body, rows }, 1, { skinning: 'linear', ...(following && { following }) });
      const legs = await PartLook.create(body, 0, { skinning: 'linear' });
      const followed = await look(body.rows, followings);
      const {
        positions,
        inverseBinds,
        polygonOffsets: offsets,
        polygonPoints: points,
        pointCount,
      } = body.parts[1];
      const { delta } = await bakeLook(
        1,
        {
          ...{ positions, inverseBinds, skeleton: body.skeleton, rows: body.rows[1] },
          neighbours: findNeighbours({ offsets, points }, pointCount),
          seeds: weightsAlong(body.rows, followings, 1),
        },
        POSES,
        (pose) => followed.at(pose).positions,
        { limit: 4, locks: new Uint8Array(JOINTS.length) },
      );
      const baked = body.rows.map(copyRows);
      apply(baked, [delta]);
      const counts = {
        auto: crossingsOf(body, await look(auto.rows), legs),
        followed: crossingsOf(body, followed, legs),
        baked: crossingsOf(body, await look(baked), legs),
      };
      expect(counts.auto).toBeGreaterThan(20);
      expect(counts.followed).toBeLessThanOrEqual(counts.auto / 4);
      expect(counts.baked).toBeLessThanOrEqual(counts.auto / 2);
    },
  );
});
