import { describe, expect, test } from '@jest/globals';
import { jointsFromNodes } from '../../skeleton/plainNodes.ts';
import { addJoint } from '../../skeleton/editSkeleton.ts';
import { EMPTY_SKELETON, restPlaces } from '../../skeleton/skeleton.ts';
import { applySkeletonChange, type JointSetups, type SkeletonChange } from '../../skeleton/skeletonChange.ts';
import { skinPart } from '../../document/skinPart.ts';
import { withJointSetups } from '../../document/withJointSetups.ts';
import { createRows, influencesOf, type WeightRows } from '../../weights/rows.ts';
import { rowsFrom } from '../../testing/shapes.ts';
import { openGlb, writeGlb, type GltfContainer } from './container.ts';
import { exportCharacter } from './exportCharacter.ts';
import type { GltfJson } from './gltfJson.ts';
import { readCharacter } from './readCharacter.ts';
import { testContainer } from './testGlb.ts';

/** The test file without its skin: a mesh on a node that is moved and twice as large. */
function bare(change: (json: GltfJson) => void = () => undefined): GltfContainer {
  const container = testContainer();
  const { json } = container;
  delete json.skins;
  json.nodes = [{ name: 'leg', mesh: 0, translation: [3, 0, 0], scale: [2, 2, 2] }];
  json.scenes = [{ nodes: [0] }];
  const [primitive] = (json.meshes ?? [])[0].primitives;
  primitive.attributes = { POSITION: 0 };
  change(json);
  return container;
}

const asSetups = (...changes: SkeletonChange[]): JointSetups =>
  Object.fromEntries(changes.flat().map(({ joint, after }) => [joint, after]));

/** A root at the mesh's own place, and a joint two above it. */
function twoJoints(): JointSetups {
  const root = addJoint(EMPTY_SKELETON, 'a', -1, 'hip', [3, 0, 0]);
  const knee = addJoint(applySkeletonChange(EMPTY_SKELETON, root), 'b', 0, 'knee', [3, 2, 0]);
  return asSetups(root, knee);
}

const ROWS = rowsFrom([{ 0: 1 }, { 0: 1 }, { 0: 0.5, 1: 0.5 }, { 0: 0.25, 1: 0.75 }, { 1: 1 }, { 1: 1 }]);

async function through(
  container: GltfContainer,
  rows: readonly WeightRows[],
  options: Parameters<typeof exportCharacter>[3],
) {
  const character = await readCharacter(container);
  const written = openGlb(writeGlb(exportCharacter(container, character, rows, options)));
  return { character, written, again: await readCharacter(written) };
}

describe('a mesh without a skeleton', () => {
  test('may be bound at once, and leaves with joints, a skin and its weights, where it stood', async () => {
    const setups = twoJoints();
    const { character, again } = await through(bare(), [ROWS], { setups });
    expect(character.parts[0].role).toBe('skinned');
    expect(character.skeleton.joints).toEqual([]);
    expect(again.skeleton.joints.map(({ name, parent }) => [name, parent])).toEqual([
      ['hip', -1],
      ['knee', 0],
    ]);
    for (let p = 0; p < 6; p++) expect(influencesOf(again.rows[0], p)).toEqual(influencesOf(ROWS, p));
    const bound = { ...withJointSetups(character, setups), rows: [ROWS] };
    const bent = { 1: { rotation: [0, 0, Math.SQRT1_2, Math.SQRT1_2], translation: [0, 0, 0], scale: [1, 1, 1] } } as const; // prettier-ignore
    for (const pose of [{}, bent]) {
      const [was, is] = [bound, again].map((each) => skinPart(each, 0, pose, false).positions);
      is.forEach((x, i) => expect(x).toBeCloseTo(was[i], 5));
    }
    // The mesh's own node placed it; a skin does now.
    expect([...skinPart(again, 0, {}, false).positions.subarray(0, 3)]).toEqual([3, 0, 0]);
  });

  test('of which nothing is bound leaves as it came, with its joints beside it', async () => {
    const { written } = await through(bare(), [createRows(6)], { setups: twoJoints() });
    expect(written.json.skins).toBeUndefined();
    expect(written.json.meshes?.[0].primitives[0].attributes).toEqual({ POSITION: 0 });
  });

  test('with everything on the first joint has its bind matrix all the same', async () => {
    const all = rowsFrom(Array.from({ length: 6 }, () => ({ 0: 1 })));
    const { again } = await through(bare(), [all], { setups: twoJoints() });
    expect([...skinPart(again, 0, {}, false).positions.subarray(0, 3)]).toEqual([3, 0, 0]);
  });

  test('in several pieces gets weights for all of them, seen or not', async () => {
    const container = bare((json) => {
      const [primitive] = (json.meshes ?? [])[0].primitives;
      (json.meshes ?? [])[0].primitives = [
        primitive,
        { ...primitive, attributes: { POSITION: 0 } },
        { ...primitive, mode: 1, attributes: { POSITION: 0 } },
      ];
    });
    const { written } = await through(container, [ROWS, createRows(6)], { setups: twoJoints() });
    for (const { attributes } of written.json.meshes?.[0].primitives ?? [])
      expect(Object.keys(attributes).sort()).toEqual(['JOINTS_0', 'POSITION', 'WEIGHTS_0']);
    expect(written.json.skins).toHaveLength(1);
  });
});

describe('a part without a skin beside one that has it', () => {
  const beside = (): GltfContainer => {
    const container = testContainer();
    const { json } = container;
    json.meshes?.push({ name: 'boot', primitives: [{ attributes: { POSITION: 0 }, indices: 1 }] });
    json.nodes?.push({ name: 'boot', mesh: 1, translation: [0, -1, 0] });
    (json.nodes ?? [])[1].children = [3];
    return container;
  };

  test('follows its node and is left alone; made skinned, it has weights of its own', async () => {
    const alone = await through(beside(), (await readCharacter(beside())).rows, {});
    expect(alone.character.parts.map(({ role }) => role)).toEqual(['skinned', 'fixed']);
    expect(alone.written.json).toEqual(beside().json);
    expect(influencesOf(alone.character.rows[1], 0)).toEqual([{ joint: 1, weight: 1 }]);

    const rows = [alone.character.rows[0], ROWS];
    const { again } = await through(beside(), rows, { skinned: new Set([1]) });
    expect(again.parts.map(({ role }) => role)).toEqual(['skinned', 'skinned']);
    for (let p = 0; p < 6; p++) expect(influencesOf(again.rows[1], p)).toEqual(influencesOf(ROWS, p));
    const [was, is] = [alone.character, again].map((each) => skinPart(each, 1, {}, false).positions);
    is.forEach((x, i) => expect(x).toBeCloseTo(was[i], 5));
  });
});

describe('plain nodes as joints', () => {
  /** An arm of three nodes, each with its own piece of mesh; one is moved by a clip. */
  function arm(): GltfContainer {
    return bare((json) => {
      json.nodes = [
        { name: 'scene', children: [1] },
        { name: 'base', mesh: 0, translation: [1, 0, 0], children: [2, 4] },
        { name: 'upper', translation: [0, 2, 0], children: [3] },
        { name: 'grip', mesh: 0, translation: [0, 2, 0] },
        { name: 'eye', camera: 0 },
      ];
      json.scenes = [{ nodes: [0] }];
      json.animations = [
        { channels: [{ sampler: 0, target: { node: 2, path: 'translation' } }], samplers: [{ input: 1, output: 0 }] }, // prettier-ignore
      ];
      json.accessors = (json.accessors ?? []).slice(0, 2);
      json.accessors.push({ bufferView: 0, componentType: 5126, count: 6, type: 'SCALAR' });
      json.animations[0].samplers[0].input = 2;
    });
  }

  test('are those that place something; wrappers and cameras are none', async () => {
    const { plainNodes } = await readCharacter(arm());
    expect(plainNodes.map(({ name, above }) => [name, above])).toEqual([
      ['base', -1],
      ['upper', 1],
      ['grip', 2],
    ]);
  });

  test('stand and hang as they did, are moved by the clips, and leave their nodes as they were', async () => {
    const character = await readCharacter(arm());
    const change = jointsFromNodes(character.skeleton, character.plainNodes);
    const made = withJointSetups(character, asSetups(change));
    expect([...restPlaces(made.skeleton)]).toEqual([1, 0, 0, 1, 2, 0, 1, 4, 0]);
    expect(made.skeleton.joints.map(({ parent, node }) => [parent, node])).toEqual([
      [-1, 1],
      [0, 2],
      [1, 3],
    ]);
    expect(made.clips[0].tracks.map(({ joint }) => joint)).toEqual([1]);
    expect(character.clips[0].tracks).toEqual([]);

    const rows = rowsFrom(Array.from({ length: 6 }, () => ({ 2: 1 })));
    const { written, again } = await through(arm(), [rows], { setups: asSetups(change) });
    expect(written.json.nodes?.slice(1, 5)).toEqual([
      { ...arm().json.nodes?.[1], skin: 0 },
      ...(arm().json.nodes ?? []).slice(2),
    ]);
    expect(again.skeleton.joints.map(({ name }) => name)).toContain('grip');
    expect(() => jointsFromNodes(made.skeleton, character.plainNodes)).toThrow(/no more nodes/);
  });
});
