import { describe, expect, test } from '@jest/globals';
import { partOf, skeletonOf, tube } from '../../testing/testBody.ts';
import { noSourceWeights } from '../../formats/gltf/readWeights.ts';
import { rowsFrom } from '../../testing/shapes.ts';
import { checkInput, checkUp } from './checkUp.ts';
import { helperJoints } from './helperJoints.ts';

type Place = [number, number, number];
type JointRow = readonly [string, number, Place];

/** A tube along x; each point on the joint that `jointAt` says, or on none. */
function rig(joints: readonly JointRow[], jointAt: (x: number) => number | undefined) {
  const { positions, triangles } = tube(-1, 9, 0, 0, { rings: 21, around: 8 });
  const part = partOf(
    'body',
    positions,
    triangles,
    joints.map(([, , place]) => place),
  );
  const rows = rowsFrom(
    Array.from({ length: part.pointCount }, (_, p) => {
      const joint = jointAt(positions[p * 3]);
      return joint === undefined ? {} : { [joint]: 1 };
    }),
  );
  return {
    parts: [part],
    skeleton: skeletonOf(joints),
    rows: [rows],
    sourceWeights: [noSourceWeights(part.vertexCount)],
    clips: [],
    morphs: [],
    plainNodes: [],
    materialCount: 0,
    notes: [],
  };
}
const helpersOf = (character: ReturnType<typeof rig>): string[] =>
  [...helperJoints(checkInput(character, {}))].map((joint) => character.skeleton.joints[joint].name);
const none = (): undefined => undefined;

const CHAIN: JointRow[] = [
  ['hip', -1, [0, 0, 0]],
  ['knee', 0, [4, 0, 0]],
  ['ankle', 1, [8, 0, 0]],
];
const byPlace = (x: number): number => (x < 2 ? 0 : x < 6 ? 1 : 2);

describe('helper joints', () => {
  test('of a painted file are those without weight, whatever they are called', () => {
    const joints: JointRow[] = [...CHAIN, ['handle', 2, [8, 1, 0]], ['knee_pole', 0, [4, 0, 3]]];
    expect(helpersOf(rig(joints, byPlace))).toEqual(['handle', 'knee_pole']);
    expect(helpersOf(rig(CHAIN, byPlace))).toEqual([]);
  });

  test('a hole in a chain and a joint whose other side has weight are forgotten, no helpers', () => {
    const holed: JointRow[] = [...CHAIN.slice(0, 2), ['shin', 1, [6, 0, 0]], ['ankle', 2, [8, 0, 0]]];
    expect(helpersOf(rig(holed, (x) => (x < 2 ? 0 : x < 6 ? 1 : 3)))).toEqual([]);
    const sided: JointRow[] = [...CHAIN, ['fin_L', 1, [4, 0, 1]], ['fin_R', 1, [4, 0, -1]]];
    expect(helpersOf(rig(sided, (x) => (x > 8.4 ? 3 : byPlace(x))))).toEqual([]);
  });

  test('a few weights say nothing of who should have some', () => {
    expect(helpersOf(rig(CHAIN, () => 0))).toEqual([]);
  });

  test.each(['leg_ik', 'IK_leg', 'knee.pole', 'foot_target', 'hip ctrl', 'MCH-spine', 'toe_end', 'jaw:null'])(
    'of a bare file: one called %s',
    (name) => {
      expect(helpersOf(rig([...CHAIN, [name, 1, [5, 0.2, 0]]], none))).toEqual([name]);
    },
  );

  test.each(['spike', 'bendy', 'tiptoe', 'legend', 'kinked', 'organ'])('but not one called %s', (name) => {
    expect(helpersOf(rig([...CHAIN, [name, 1, [5, 0.2, 0]]], none))).toEqual([]);
  });

  test('of a bare file: what lies outside of the body with all that hangs on it, and doubles', () => {
    const joints: JointRow[] = [
      ...CHAIN,
      ['far', 0, [0, 9, 0]],
      ['hip_b', -1, [0, 0, 0]],
      ['knee_b', 4, [4, 0, 0]],
    ];
    expect(helpersOf(rig(joints, none))).toEqual(['far', 'hip_b', 'knee_b']);
    const inside: JointRow[] = [...CHAIN, ['bridge', 0, [0, 9, 0]], ['rib', 3, [2, 0.3, 0]]];
    expect(helpersOf(rig(inside, none))).toEqual([]);
  });

  test('of doubles the one that is not called a helper stays, wherever it comes', () => {
    const joints: JointRow[] = [
      ['fk_hip', -1, [0, 0, 0]],
      ['hip', -1, [0, 0, 0]],
      ['knee', 1, [4, 0, 0]],
    ];
    expect(helpersOf(rig(joints, none))).toEqual(['fk_hip']);
  });

  test('where all would be helpers, none is', () => {
    const joints: JointRow[] = CHAIN.map(([name, parent, place]) => [`${name}_ctrl`, parent, place]);
    expect(helpersOf(rig(joints, none))).toEqual([]);
  });

  test('are told while their deforming is off, and no longer once it is on', () => {
    const character = rig([...CHAIN, ['knee_pole', 0, [4, 0, 3]]], byPlace);
    const told = (nonDeforming: Set<number>) =>
      checkUp(character, { nonDeforming }).find(({ code }) => code === 'helper-joints');
    expect(told(new Set([3]))).toMatchObject({ severity: 'note', joints: [3] });
    expect(told(new Set())).toBeUndefined();
  });
});
