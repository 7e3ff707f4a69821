import { expect, test } from '@jest/globals';
import {
  addJoint,
  moveJoints,
  removeJoint,
  renameJoint,
  reparentJoint,
} from '../../skeleton/editSkeleton.ts';
import { restWorld, type Skeleton } from '../../skeleton/skeleton.ts';
import { applySkeletonChange, type JointSetups, type SkeletonChange } from '../../skeleton/skeletonChange.ts';
import { moveWeight } from '../../operations/exact/moveWeight.ts';
import { apply } from '../../weights/delta.ts';
import { copyRows, influencesOf } from '../../weights/rows.ts';
import type { Track } from '../../animation/clip.ts';
import type { Character } from '../../document/character.ts';
import { openGlb, writeGlb, type GltfContainer } from './container.ts';
import { exportCharacter } from './exportCharacter.ts';
import { readCharacter } from './readCharacter.ts';
import { testContainer } from './testGlb.ts';

const NO_LOCKS = new Uint8Array(8);

/** The test file with a clip that moves the knee, and a lamp that hangs on it. */
function withClip(): GltfContainer {
  const container = testContainer();
  const { json } = container;
  const times = Float32Array.from([0, 1]);
  const places = Float32Array.from([0, 1, 0, 0, 1.25, 0]);
  const bytes = new Uint8Array(container.buffers[0].length + times.byteLength + places.byteLength);
  bytes.set(container.buffers[0]);
  const from = container.buffers[0].length;
  bytes.set(new Uint8Array(times.buffer), from);
  bytes.set(new Uint8Array(places.buffer), from + times.byteLength);
  json.bufferViews?.push(
    { buffer: 0, byteOffset: from, byteLength: 8 },
    { buffer: 0, byteOffset: from + 8, byteLength: 24 },
  );
  json.accessors?.push(
    { bufferView: 5, componentType: 5126, count: 2, type: 'SCALAR', min: [0], max: [1] },
    { bufferView: 6, componentType: 5126, count: 2, type: 'VEC3' },
  );
  json.buffers = [{ byteLength: bytes.length }];
  json.animations = [
    {
      name: 'nod',
      channels: [{ sampler: 0, target: { node: 1, path: 'translation' } }],
      samplers: [{ input: 5, output: 6 }],
    },
  ];
  json.nodes?.push({ name: 'lamp', translation: [0, 0.5, 0] });
  (json.nodes ?? [])[1].children = [3];
  return { ...container, buffers: [bytes] };
}

async function exported(
  container: GltfContainer,
  edit: (character: Character) => JointSetups,
): Promise<GltfContainer> {
  const character = await readCharacter(container);
  const setups = edit(character);
  return openGlb(writeGlb(exportCharacter(container, character, character.rows, { setups })));
}

const setups = (change: SkeletonChange): JointSetups =>
  Object.fromEntries(change.map(({ joint, after }) => [joint, after]));
const placeOf = (skeleton: Skeleton, joint: number): number[] =>
  [...restWorld(skeleton).subarray(joint * 16 + 12, joint * 16 + 15)].map((x) => Math.round(x * 1e5) / 1e5);

/** Where the skin holds each joint: its inverse bind must undo its place, as the file's own did. */
function expectBound({ skeleton, parts }: Character): void {
  skeleton.joints.forEach((_, joint) => {
    const bind = parts[0].inverseBinds.subarray(joint * 16 + 12, joint * 16 + 15);
    placeOf(skeleton, joint).forEach((x, k) => expect(-bind[k]).toBeCloseTo(x, 5));
  });
}

test('a moved joint: its node and its bind follow, weights stay, and what it holds stays where it was', async () => {
  const file = await exported(withClip(), ({ skeleton }) =>
    setups(moveJoints(skeleton, new Map([[1, [0.5, 1.5, 0]]]), true)),
  );
  const again = await readCharacter(file);
  expect(placeOf(again.skeleton, 1)).toEqual([0.5, 1.5, 0]);
  expectBound(again);
  expect(influencesOf(again.rows[0], 2)).toEqual([
    { joint: 0, weight: 0.5 },
    { joint: 1, weight: 0.5 },
  ]);
  const lamp = file.json.nodes?.find(({ name }) => name === 'lamp');
  expect(lamp?.matrix?.slice(12, 15)).toEqual([-0.5, 0, 0]);
});

test('a clip that places a moved joint is shifted along', async () => {
  const file = await exported(withClip(), ({ skeleton }) =>
    setups(moveJoints(skeleton, new Map([[1, [0.5, 1.5, 0]]]), true)),
  );
  const [clip] = file.json.animations ?? [];
  const { output } = clip.samplers[clip.channels[0].sampler];
  const accessor = (file.json.accessors ?? [])[output];
  const view = (file.json.bufferViews ?? [])[accessor.bufferView as number];
  const bytes = file.buffers[view.buffer].slice(view.byteOffset, (view.byteOffset ?? 0) + view.byteLength);
  expect([...new Float32Array(bytes.buffer)]).toEqual([0.5, 1.5, 0, 0.5, 1.75, 0]);
});

test.each([
  ['beside what it has', false],
  ['that moved nothing else any more', true],
])('tracks of a new joint go into the file’s clip, %s', async (_, isKneeGone) => {
  const container = withClip();
  delete container.json.nodes?.[1].children;
  const character = await readCharacter(container);
  const rows = [copyRows(character.rows[0])];
  apply(rows, [moveWeight(0, rows[0], 1, 0, { locks: NO_LOCKS })]);
  const gone = isKneeGone ? removeJoint(character.skeleton, 1) : [];
  const change = addJoint(applySkeletonChange(character.skeleton, gone), 'new', 0, 'new', [0, 1, 0]);
  const [times, values] = [Float32Array.of(0, 1), Float32Array.of(0, 0, 0, 0, 0, 0.5)];
  const track: Track = {
    ...{ joint: change[0].joint, path: 'translation', interpolation: 'LINEAR', times, values },
  };
  const options = { setups: { ...setups(gone), ...setups(change) }, moreTracks: [[track]] };
  const again = await readCharacter(openGlb(writeGlb(exportCharacter(container, character, rows, options))));
  expect(again.clips.map(({ name }) => name)).toEqual(['nod']);
  const [{ tracks, nodeTracks = [] }] = again.clips;
  const all = [...tracks, ...nodeTracks].map((each) => [...each.values]);
  expect(all).toHaveLength(isKneeGone ? 1 : 2);
  expect(all.at(-1)).toEqual([...values]);
  expect(again.skeleton.joints.map(({ name }) => name)).toContain('new');
});

test('a joint that is taken out leaves skin, tree and clip; the weights of the others are written anew', async () => {
  const container = testContainer();
  const character = await readCharacter(container);
  const change = removeJoint(character.skeleton, 0);
  const delta = moveWeight(0, character.rows[0], 0, 1, { locks: NO_LOCKS });
  const before = character.rows.map((rows) => ({
    ...rows,
    joints: rows.joints.slice(),
    values: rows.values.slice(),
  }));
  apply(before, [delta]);
  const file = exportCharacter(container, character, before, { setups: setups(change) });
  const again = await readCharacter(openGlb(writeGlb(file)));
  expect(again.skeleton.joints.map(({ name }) => name)).toEqual(['knee']);
  expect(placeOf(again.skeleton, 0)).toEqual([0, 1, 0]);
  for (let p = 0; p < 6; p++) expect(influencesOf(again.rows[0], p)).toEqual([{ joint: 0, weight: 1 }]);
  expect(file.json.scenes?.[0].nodes).not.toContain(0);
});

test('a leaf that goes takes its tracks along, and a clip without tracks goes too', async () => {
  const container = withClip();
  delete container.json.nodes?.[1].children;
  const character = await readCharacter(container);
  const rows = character.rows.map((own) => ({
    ...own,
    joints: own.joints.slice(),
    values: own.values.slice(),
  }));
  apply(rows, [moveWeight(0, rows[0], 1, 0, { locks: NO_LOCKS })]);
  const file = exportCharacter(container, character, rows, {
    setups: setups(removeJoint(character.skeleton, 1)),
  });
  expect(file.json.animations).toBeUndefined();
  expect(file.json.skins?.[0].joints).toEqual([0]);
});

test('joints that are added, renamed and hung elsewhere come back as they were left', async () => {
  const file = await exported(testContainer(), ({ skeleton }) => {
    const one = addJoint(skeleton, 'ankle-id', 1, 'ankle', [0, 1.75, 0]);
    const two = renameJoint(applySkeletonChange(skeleton, one), 0, 'Hüfte “links”');
    const joined = applySkeletonChange(applySkeletonChange(skeleton, one), two);
    const three = reparentJoint(joined, 2, 0);
    return { ...setups(one), ...setups(two), ...setups(three) };
  });
  const again = await readCharacter(file);
  expect(again.skeleton.joints.map(({ name, parent }) => [name, parent])).toEqual([
    ['Hüfte “links”', -1],
    ['knee', 0],
    ['ankle', 0],
  ]);
  expect(placeOf(again.skeleton, 2)).toEqual([0, 1.75, 0]);
  expectBound(again);
});
