import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { checkInput, checkUp } from '../../analysis/checkUp/checkUp.ts';
import type { Character } from '../../document/character.ts';
import type { FindingCode } from '../../document/finding.ts';
import { skinPart } from '../../document/skinPart.ts';
import { withSkeleton } from '../../document/withJointSetups.ts';
import { noSourceWeights } from '../../formats/gltf/readWeights.ts';
import { partOf, skeletonOf, tube } from '../../testing/testBody.ts';
import { applySkeletonChange, invertSkeletonChange } from '../../skeleton/skeletonChange.ts';
import type { Pose } from '../../skeleton/pose.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { apply, invert } from '../../weights/delta.ts';
import { copyRows, createRows, rowSum, type WeightRows } from '../../weights/rows.ts';
import { isSkeletonRepair, repairSkeleton } from './repairSkeleton.ts';
import { isWeightRepair, repairWeights } from './repairWeights.ts';

const PLACES = [-12, -8, -4, 0, 4, 8, 12].map((x) => [x, 0, 0] as const);
const AROUND = 8;
const RINGS = 97;
const NO_LOCKS = new Uint8Array(PLACES.length);

/** A tube along a chain, each ring on the joint whose bone it lies about. */
function body(names = PLACES.map((_, i) => `link_${i}`)): Character {
  const { positions, triangles } = tube(-12, 16, 0, 0, { around: AROUND, rings: RINGS, radius: 1 });
  const part = partOf('tube', positions, triangles, PLACES);
  const rows = createRows(part.pointCount);
  for (let p = 0; p < part.pointCount; p++) {
    rows.joints[p * 8] = Math.max(0, Math.min(PLACES.length - 1, Math.floor((positions[p * 3] + 12) / 4)));
    rows.values[p * 8] = 1;
  }
  return {
    parts: [part],
    skeleton: skeletonOf(PLACES.map((place, i) => [names[i], i - 1, place])),
    rows: [rows],
    sourceWeights: [{ ...noSourceWeights(part.pointCount), asCame: new Uint8Array(part.pointCount).fill(1) }],
    clips: [],
    morphs: [],
    plainNodes: [],
    materialCount: 0,
    notes: [],
  };
}

const put = (rows: WeightRows, p: number, row: readonly (readonly [number, number])[]): void => {
  rows.joints.fill(0, p * 8, p * 8 + 8);
  rows.values.fill(0, p * 8, p * 8 + 8);
  row.forEach(([joint, value], k) => {
    rows.joints[p * 8 + k] = joint;
    rows.values[p * 8 + k] = value;
  });
};

/** What is planted on rings of the tube, by what the check-up calls it. */
const FAULTS: Readonly<Partial<Record<FindingCode, (rows: WeightRows, p: number) => void>>> = {
  unweighted: (rows, p) => put(rows, p, []),
  'too-many-influences': (rows, p) => put(rows, p, [0, 1, 2, 3, 4].map((joint) => [joint, 0.2])), // prettier-ignore
  'tied-to-still-joint': (rows, p) => put(rows, p, [[3, 0.6], [4, 0.4]]), // prettier-ignore
  'tied-to-far-joint': (rows, p) => put(rows, p, [[0, 1]]),
};

describe.each(Object.keys(FAULTS) as FindingCode[])('%s', (code) => {
  test('is gone after its repair, a second one changes nothing, and undo gives back every bit', () => {
    const plant = FAULTS[code] as NonNullable<(typeof FAULTS)[FindingCode]>;
    // A far joint is one of another limb: that is told from the far end of the chain on.
    const rings = code === 'tied-to-far-joint' ? { min: 60, max: 80 } : { min: 8, max: 70 };
    fc.assert(
      fc.property(fc.integer(rings), fc.integer({ min: 3, max: 6 }), (first, count) => {
        const character = body();
        const rows = copyRows(character.rows[0]);
        for (let ring = first; ring < first + count; ring++)
          for (let k = 0; k < AROUND; k++) plant(rows, ring * AROUND + k);
        const options = { rows: [rows], nonDeforming: new Set(code === 'tied-to-still-joint' ? [3] : []) };
        const found = checkUp(character, options).filter((each) => each.code === code);
        expect(found.length).toBeGreaterThan(0);
        expect(found.every(({ repair }) => repair)).toBe(true);
        expect(isWeightRepair(code)).toBe(true);
        const before = copyRows(rows);
        const { change } = repairWeights(checkInput(character, options), found, NO_LOCKS);
        apply([rows], change);
        const codes = checkUp(character, options).map((each) => each.code);
        expect(codes).not.toContain(code);
        for (let p = 0; p < rows.pointCount; p++) expect(rowSum(rows, p)).toBeCloseTo(1, 5);
        const again = repairWeights(checkInput(character, options), found, NO_LOCKS);
        if (code !== 'tied-to-far-joint') expect(again.change).toEqual([]);
        apply([rows], invert(change));
        expect(rows).toEqual(before);
      }),
      { numRuns: 12 },
    );
  });
});

describe('repairs of the skeleton', () => {
  const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
  const about = (x: number) => (Math.abs(x) < 1e-6 ? 0 : x);

  /** The body with its root scaled, or standing in something that is: lengths below are so many times as short. */
  function scaled(factor: number, inOffset: boolean): Character {
    const plain = body();
    const skeleton: Skeleton = {
      joints: plain.skeleton.joints.map((joint, i): Skeleton['joints'][number] => {
        const [x, y, z] = joint.translation;
        if (i > 0) return { ...joint, translation: [x / factor, y / factor, z / factor] };
        return inOffset
          ? {
              ...joint,
              offset: IDENTITY.map((n, k) => (k < 12 ? n * factor : n)),
              translation: [x / factor, 0, 0],
            }
          : { ...joint, scale: [factor, factor, factor] };
      }),
    };
    const parts = plain.parts.map((part) => {
      const inverseBinds = part.inverseBinds.slice();
      // Every joint's frame is so many times as large.
      for (let joint = 0; joint < PLACES.length; joint++)
        for (let k = 0; k < 16; k++) if (k % 4 !== 3) inverseBinds[joint * 16 + k] /= factor;
      return { ...part, inverseBinds };
    });
    const track = {
      joint: 2,
      path: 'translation' as const,
      interpolation: 'LINEAR' as const,
      times: Float32Array.of(0),
      values: Float32Array.of(1 / factor, 0, 0),
    };
    return { ...plain, parts, skeleton, clips: [{ name: 'shift', seconds: 0, rate: 30, tracks: [track] }] };
  }

  test.each([
    [100, false],
    [0.01, false],
    [100, true],
  ])(
    'a scale of %d is applied: body, joints and clips stay, and undo gives back every bit',
    (factor, inOffset) => {
      const character = scaled(factor, inOffset);
      const found = checkUp(character, {}).filter(({ code }) => code === 'scaled-transform');
      expect(found).toMatchObject([{ severity: 'warning' }]);
      expect(isSkeletonRepair('scaled-transform')).toBe(true);
      const change = repairSkeleton(checkInput(character, {}), found);
      const skeleton = applySkeletonChange(character.skeleton, change);
      const repaired = withSkeleton(character, skeleton);
      expect(checkUp(repaired, {}).map(({ code }) => code)).not.toContain('scaled-transform');
      expect(skeleton.joints.every(({ scale }) => scale.every((each) => Math.abs(each - 1) < 1e-6))).toBe(
        true,
      );
      const bent: Pose = {
        3: { rotation: [0, 0, Math.SQRT1_2, Math.SQRT1_2], translation: [0, 0, 0], scale: [1, 1, 1] },
      };
      for (const pose of [{}, bent]) {
        const [was, is] = [character, repaired].map((each) => skinPart(each, 0, pose, false).positions);
        is.forEach((x, i) => expect(x).toBeCloseTo(was[i], 3));
      }
      // A clip that moved a joint by one of the scene's units still does.
      expect(about(repaired.clips[0].tracks[0].values[0])).toBeCloseTo(1, 4);
      expect(repairSkeleton(checkInput(repaired, {}), found)).toEqual([]);
      expect(applySkeletonChange(skeleton, invertSkeletonChange(change)).joints).toEqual(
        character.skeleton.joints,
      );
    },
  );

  test('names that are missing or stand twice are told apart, once', () => {
    const character = body(['a', 'b', 'b', 'b', 'c', 'a', 'd']);
    const found = checkUp(character, {}).filter(({ code }) => code === 'joint-name-double');
    const change = repairSkeleton(checkInput(character, {}), found);
    const repaired = { ...character, skeleton: applySkeletonChange(character.skeleton, change) };
    const names = repaired.skeleton.joints.map(({ name }) => name);
    expect(new Set(names).size).toBe(names.length);
    expect(checkUp(repaired, {}).map(({ code }) => code)).not.toContain('joint-name-double');
    expect(repairSkeleton(checkInput(repaired, {}), found)).toEqual([]);
    expect(applySkeletonChange(repaired.skeleton, invertSkeletonChange(change)).joints).toEqual(
      character.skeleton.joints,
    );
  });
});
