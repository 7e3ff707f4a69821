import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { poseClip, sampleClip, type Track } from '../../animation/clip.ts';
import { chainPlaces, layRibbon } from '../../deform/ribbon/layRibbon.ts';
import type { Ribbon } from '../../deform/ribbon/Ribbon.ts';
import { RibbonCarrier } from '../../deform/ribbon/RibbonCarrier.ts';
import { RibbonPoser } from '../../deform/ribbon/RibbonPoser.ts';
import { renumberValue } from '../../document/paths.ts';
import { type SavedRibbon, withoutOwnJoints } from '../../document/ribbons.ts';
import { skinPart } from '../../document/skinPart.ts';
import { withRibbonTracks } from '../../document/withRibbonTracks.ts';
import { buildPalette, type Pose, poseWorld, REST_JOINT, turned } from '../../skeleton/pose.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { applySkeletonChange, rebind } from '../../skeleton/skeletonChange.ts';
import { partOf, skeletonOf, tube } from '../../testing/testBody.ts';
import { rowsFrom } from '../../testing/shapes.ts';
import { apply } from '../../weights/delta.ts';
import { growOwnJoints } from './growOwnJoints.ts';
import { weighOwnJoints } from './weighOwnJoints.ts';

// A tail of few joints, behind a body that turns with it.
const PLACES = [[-3, 0.5, 0], ...[0, 2, 4].map((x) => [x, 0, 0] as const)] as const;
const bare = skeletonOf(PLACES.map((place, i) => [i === 0 ? 'body' : `tail ${i}`, i - 1, place]));
const { positions, triangles } = tube(0, 6, 0, 0, { radius: 0.3, around: 8, rings: 49, capped: false });
const part = partOf('tail', positions, triangles, PLACES);
const RIBBON: Ribbon = {
  joints: [1, 2, 3],
  controls: 5,
  isStartHeld: true,
  isEndHeld: false,
  sharesTwist: true,
  keepsVolume: false,
};

const CHAIN = chainPlaces(bare, RIBBON.joints);

let ids = 0;
const newId = (): string => `own-${ids++}`;

/** The tail with joints of its ribbon's own. */
function grown(count: number, some: Partial<Ribbon> = {}) {
  const ribbon = { ...RIBBON, ...some };
  const change = growOwnJoints(bare, ribbon, CHAIN, count, 'tail', newId);
  const skeleton = applySkeletonChange(bare, change);
  const ownJoints = change.map(({ joint }) => joint);
  const own = { ...part, inverseBinds: rebind(part.inverseBinds, bare, skeleton) };
  return { ribbon: { ...ribbon, ownJoints }, skeleton, ownJoints, own };
}

const bend = (degrees: number, twist = 0): Pose =>
  Object.fromEntries([1, 2, 3].map((joint) => [joint, turned(turned(REST_JOINT, 'z', degrees), 'x', twist)]));

/** Where the ribbon has the part in a pose: Float64Array, 6 a point. */
function onRibbon(skeleton: Skeleton, own: typeof part, ribbon: Ribbon, pose: Pose): Float64Array {
  const poser = new RibbonPoser(
    layRibbon(own, withoutOwnJoints(skeleton, [ribbon]), ribbon, { width: 1, fall: 0.5 }),
  );
  const world = new Float32Array(skeleton.joints.length * 16);
  poseWorld(skeleton, pose, world);
  const palette = new Float32Array(own.inverseBinds.length);
  buildPalette(world, own.inverseBinds, palette);
  poser.pose(palette);
  const out = new Float64Array(own.pointCount * 6);
  for (let p = 0; p < own.pointCount; p++)
    poser.place(p, own.positions, own.positions, out.subarray(p * 6, p * 6 + 6));
  return out;
}

/** How far the part is off the ribbon at most, hung on its own joints, where clips have them. */
function farthest(count: number, pose: Pose, some: Partial<Ribbon> = {}): number {
  const { ribbon, skeleton, ownJoints, own } = grown(count, some);
  const rows = rowsFrom(Array.from({ length: own.pointCount }, () => ({ 0: 0.5, 1: 0.5 })));
  const laid = layRibbon(own, withoutOwnJoints(skeleton, [ribbon]), ribbon, { width: 9, fall: 0 });
  const rules = { locks: new Uint8Array(skeleton.joints.length), limit: 4 };
  apply([rows], [weighOwnJoints(0, rows, { ...laid, amounts: laid.amounts.fill(1) }, ownJoints, rules)]);
  const carried = { ...pose, ...new RibbonCarrier(skeleton, ribbon, CHAIN).poseOf(pose) };
  const found = skinPart({ parts: [own], rows: [rows], skeleton }, 0, carried, false).positions;
  const wanted = onRibbon(skeleton, own, ribbon, pose);
  let most = 0;
  for (let p = 0; p < own.pointCount; p++)
    most = Math.max(most, Math.hypot(...[0, 1, 2].map((k) => found[p * 3 + k] - wanted[p * 6 + k])));
  return most;
}

describe('joints of a ribbon’s own', () => {
  test('stand along it, turned as it goes, each below the joint of the chain that it is behind', () => {
    const { skeleton, ownJoints } = grown(7);
    const world = new Float32Array(skeleton.joints.length * 16);
    poseWorld(skeleton, {}, world);
    ownJoints.forEach((joint, i) => {
      const [x, y, z] = world.subarray(joint * 16 + 12, joint * 16 + 15);
      expect([x, y, z].map((k) => Number(k.toFixed(4)))).toEqual([i, 0, 0]);
      expect([...world.subarray(joint * 16 + 4, joint * 16 + 7)].map(Math.round)).toEqual([1, 0, 0]);
      expect(skeleton.joints[joint]).toMatchObject({ name: `tail_${i + 1}`, scale: [1, 1, 1] });
      expect(skeleton.joints[joint].parent).toBe(i < 2 ? 1 : i < 4 ? 2 : 3);
    });
  });

  test('rest where the chain rests, wherever the whole stands', () => {
    const { ribbon, skeleton } = grown(5);
    for (const pose of [{}, { 0: { ...turned(REST_JOINT, 'y', 70), translation: [1, 2, 3] } }] as Pose[])
      for (const held of Object.values(new RibbonCarrier(skeleton, ribbon, CHAIN).poseOf(pose))) {
        expect(Math.abs(held.rotation[3])).toBeCloseTo(1, 4);
        held.translation.forEach((x) => expect(x).toBeCloseTo(0, 3));
        held.scale.forEach((x) => expect(x).toBeCloseTo(1, 3));
      }
  });

  test('carry the part as the ribbon goes: the more of them, the nearer', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: -50, max: 50 }),
        fc.integer({ min: -40, max: 40 }),
        fc.boolean(),
        (degrees, twist, keepsVolume) => {
          const pose = bend(degrees, twist);
          expect(farthest(25, pose, { keepsVolume })).toBeLessThan(0.03);
        },
      ),
      { numRuns: 30 },
    );
    const [few, more] = [5, 17].map((count) => farthest(count, bend(45)));
    expect(more).toBeLessThan(few / 3);
  });

  test('go with its stretch, and with a body that is larger in a pose', () => {
    const pose: Pose = { ...bend(20), 2: { ...REST_JOINT, translation: [1.5, 0, 0] } };
    expect(farthest(25, pose, { keepsVolume: true })).toBeLessThan(0.04);
    expect(farthest(25, { ...bend(20), 0: { ...REST_JOINT, scale: [2, 2, 2] } })).toBeLessThan(0.05);
  });

  test('are none of a chain, whichever ribbon’s they are: another one along it ends where it did', () => {
    const { ribbon, skeleton } = grown(9);
    const other = { ...RIBBON, controls: 7 };
    expect([...chainPlaces(withoutOwnJoints(skeleton, [ribbon, other]), other.joints)]).toEqual([...CHAIN]);
    expect(withoutOwnJoints(skeleton, [other])).toBe(skeleton);
    const clip = { name: 'bend', seconds: 0, rate: 30, tracks: poseClip('bend', bend(30)).tracks };
    const more = growOwnJoints(skeleton, other, CHAIN, 4, 'scarf', newId);
    const both = applySkeletonChange(skeleton, more);
    const second = { ...other, ownJoints: more.map(({ joint }) => joint) };
    const saved = [ribbon, second].map((each) => ({
      ...each,
      name: '',
      part: 0,
      width: 1,
      fall: 0,
      savedAt: 0,
    }));
    const { tracks } = withRibbonTracks(clip, both, saved);
    const alone = withRibbonTracks(clip, skeleton, saved.slice(0, 1)).tracks;
    expect(tracks.filter(({ joint }) => joint < skeleton.joints.length)).toEqual(alone);
  });

  test('change neither where the chain ends nor what the ribbon does', () => {
    const { ribbon, skeleton, own } = grown(9);
    const [before, after] = [
      onRibbon(bare, part, RIBBON, bend(30)),
      onRibbon(skeleton, own, ribbon, bend(30)),
    ];
    after.forEach((x, i) => expect(x).toBeCloseTo(before[i], 5));
  });

  test('leave locked joints and what is not held what they have', () => {
    const { ribbon, skeleton, ownJoints, own } = grown(4);
    const rows = rowsFrom(Array.from({ length: own.pointCount }, () => ({ 0: 0.25, 2: 0.75 })));
    const laid = layRibbon(own, withoutOwnJoints(skeleton, [ribbon]), ribbon, { width: 1, fall: 0.5 });
    laid.amounts.fill(0, 0, 8);
    const locks = new Uint8Array(skeleton.joints.length);
    locks[0] = 1;
    const { points, after } = weighOwnJoints(0, rows, laid, ownJoints, { locks, limit: 8 });
    expect(Math.min(...points)).toBe(8);
    for (let i = 0; i < points.length; i++) {
      const row = [...after.values.subarray(i * after.stride, (i + 1) * after.stride)];
      const joints = [...after.joints.subarray(i * after.stride, (i + 1) * after.stride)];
      expect(row[joints.indexOf(0)]).toBeCloseTo(0.25, 6);
      expect(row.reduce((sum, x) => sum + x, 0)).toBeCloseTo(1, 5);
    }
  });

  test('are refused where there would be too few or too many', () => {
    for (const count of [1, 33, 2.5])
      expect(() => growOwnJoints(bare, RIBBON, CHAIN, count, 'tail', newId)).toThrow('2 to 32 joints');
  });
});

describe('clips with ribbons’ own joints', () => {
  const saved = (ribbon: Ribbon): SavedRibbon => ({
    ...{ ...ribbon, name: 'tail', part: 0, width: 1, fall: 0.5, savedAt: 0 },
  });
  const wave: Track = {
    ...{ joint: 2, path: 'rotation', interpolation: 'LINEAR' },
    times: Float32Array.of(0, 1),
    values: Float32Array.of(0, 0, 0, 1, ...turned(REST_JOINT, 'z', 60).rotation),
  };
  const clip = { name: 'wave', seconds: 1, rate: 10, tracks: [wave] };

  test('move them as the ribbon goes, a key a frame', () => {
    const { ribbon, skeleton, ownJoints } = grown(6);
    const { tracks } = withRibbonTracks(clip, skeleton, [saved(ribbon)]);
    expect(tracks[0]).toBe(wave);
    expect(tracks.length).toBeGreaterThan(ownJoints.length);
    expect(
      tracks.slice(1).every(({ joint, times }) => ownJoints.includes(joint) && times.length === 11),
    ).toBe(true);
    const carrier = new RibbonCarrier(skeleton, ribbon, CHAIN);
    const pose = sampleClip({ tracks }, 0.7);
    for (const [joint, held] of Object.entries(carrier.poseOf(sampleClip(clip, 0.7)))) {
      const found = (pose as Partial<Pose>)[Number(joint)] ?? REST_JOINT;
      held.translation.forEach((x, k) => expect(found.translation[k]).toBeCloseTo(x, 4));
      const dot = held.rotation.reduce((sum, x, k) => sum + x * found.rotation[k], 0);
      expect(Math.abs(dot)).toBeCloseTo(1, 5);
    }
  });

  test('leave joints that they move themselves, and ribbons whose joints are gone', () => {
    const { ribbon, skeleton, ownJoints } = grown(3);
    const byHand = { ...wave, joint: ownJoints[1] };
    const { tracks } = withRibbonTracks({ ...clip, tracks: [wave, byHand] }, skeleton, [saved(ribbon)]);
    expect(tracks.filter(({ joint }) => joint === ownJoints[1])).toEqual([byHand]);
    expect(withRibbonTracks(clip, bare, [saved(ribbon)])).toBe(clip);
    expect(withRibbonTracks(clip, skeleton, [saved(RIBBON)])).toBe(clip);
  });

  test('are renumbered with the joints of a document', () => {
    const value = { ...saved({ ...RIBBON, ownJoints: [7, 8] }) } as never;
    expect(renumberValue('ribbons/x', value, (joint) => joint + 10)).toMatchObject({
      joints: [11, 12, 13],
      ownJoints: [17, 18],
    });
  });
});
