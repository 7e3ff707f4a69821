import { beforeAll, describe, expect, test } from '@jest/globals';
import { anglesFromRotation, buildPalette, type Joint, poseWorld, restWorld } from '@judoka/core/skeleton';
import { countBytes, createKernelMemory } from '@judoka/core/memory';
import { createRows } from '@judoka/core/weights';
import { findNeighbours } from '@judoka/core/mesh';
import type { Character, CharacterPart } from '@judoka/core/document';
import type { ReadResult } from '../document/reading/reader.worker.ts';
import { BendStrip, layStrip, STRIP_STEPS } from './BendStrip.ts';
import { BoundCharacter } from '../document/BoundCharacter.ts';
import { deformerOf } from '@judoka/core/deform';
import { createScenePart, layPart, type ScenePart } from './ScenePart.ts';
import { skinKernels } from '@judoka/core/deform';
import { createPaintWorkspace } from '@judoka/core/operations/paint';

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
const joint = (parent: number, y: number): Joint => ({
  id: `j${y}`,
  name: `j${y}`,
  parent,
  side: 'middle',
  named: true,
  offset: IDENTITY,
  translation: [0, parent < 0 ? 0 : 1, 0],
  rotation: [0, 0, 0, 1],
  scale: [1, 1, 1],
  node: 0,
});
const ROWS = 31;

/**
 * A flat ladder along y from 0 to 3, three joints a unit apart, each rung following the joint below it.
 * @param units the file's units in a scene unit
 */
async function ladder(units = 1, rungs = ROWS) {
  /** Along y, in tenths. */
  const heightOf = (rung: number): number => (rung * (ROWS - 1)) / (rungs - 1);
  const positions: number[] = [];
  const corners: number[] = [];
  const triangles: number[] = [];
  for (let r = 0; r < rungs; r++) positions.push(0, heightOf(r) / 10, 0, 0.2, heightOf(r) / 10, 0);
  for (let r = 0; r + 1 < rungs; r++) {
    const a = r * 2;
    corners.push(a, a + 1, a + 3, a + 2);
    triangles.push(a, a + 1, a + 3, a, a + 3, a + 2);
  }
  const pointCount = rungs * 2;
  const binds = new Float32Array(64);
  const scale = 1 / units;
  [0, -1, -2].forEach((y, j) =>
    binds.set([scale, 0, 0, 0, 0, scale, 0, 0, 0, 0, scale, 0, 0, y, 0, 1], j * 16),
  );
  binds.set(IDENTITY, 48);
  const part: CharacterPart = {
    name: 'ladder',
    pointCount,
    vertexCount: pointCount,
    positions: Float32Array.from(positions, (x) => x * units),
    normals: new Float32Array(pointCount * 3),
    vertexPoint: Uint32Array.from({ length: pointCount }, (_, p) => p),
    polygonOffsets: Uint32Array.from({ length: rungs }, (_, i) => i * 4),
    polygonPoints: Uint32Array.from(corners),
    triangles: Uint32Array.from(triangles),
    source: { mesh: 0, primitive: 0, node: 0, skin: 0, jointOfSlot: [0, 1, 2] },
    inverseBinds: binds,
    role: 'skinned',
  };
  const rows = createRows(pointCount);
  for (let p = 0; p < pointCount; p++) {
    rows.joints[p * 8] = Math.min(2, Math.floor(heightOf(p >> 1) / 10));
    rows.values[p * 8] = 1;
  }
  const skeleton = { joints: [joint(-1, 0), joint(0, 1), joint(1, 2)] };
  const neighbours = findNeighbours({ offsets: part.polygonOffsets, points: part.polygonPoints }, pointCount);
  const read = {
    character: { parts: [part] } as unknown as Character,
    neighbours: [neighbours],
    trees: [],
  } as unknown as ReadResult;
  const bound = new BoundCharacter({ parts: [part], skeleton } as unknown as Character, {});
  const memory = await createKernelMemory(
    countBytes((counted) => [
      layPart(counted, part, 8, bound.jointCapacity, neighbours.points.length),
      createPaintWorkspace(counted, pointCount, 8, neighbours),
      layStrip(counted, bound.jointCapacity, 1),
    ]),
  );
  const held = createScenePart(memory, read, 0, rows, bound);
  const world = new Float32Array(bound.jointCapacity * 16);
  world.set(restWorld(skeleton));
  const subject = {
    joint: 1,
    document: { skeleton, bound, memory },
    parts: [held],
    world,
    deformer: deformerOf('linear', memory),
    preparePart: (part: ScenePart, matrices: Float32Array) => bound.palette(0, matrices, part.skin.palette),
  };
  return { subject, held, strip: new BendStrip(subject) };
}

let set: Awaited<ReturnType<typeof ladder>> & { count: number };
beforeAll(async () => {
  const made = await ladder();
  made.strip.rebuild();
  set = { ...made, count: made.strip.count };
});

describe('the bend strip', () => {
  test('takes the surface around the joint, and only that', () => {
    const { strip } = set;
    expect(strip.centre).toEqual([0, 1, 0]);
    expect(strip.count).toBeGreaterThan(20);
    expect(strip.count).toBeLessThanOrEqual(ROWS * 2);
    for (const slot of strip.triangles) expect(slot).toBeLessThan(strip.count);
  });

  test('its pictures are the joint at −2, −1, 0, 1 and 2 steps', () => {
    const { strip } = set;
    strip.setBend('z', 20);
    const angles = STRIP_STEPS.map(
      (_, i) => Math.round(anglesFromRotation(strip.jointPose(i).rotation)[2]) + 0,
    );
    expect(angles).toEqual([-40, -20, 0, 20, 40]);
  });

  test('what is seen in a picture is what core computes for that pose', () => {
    const { strip, subject, held } = set;
    const world = new Float32Array(48);
    const palette = held.skin.palette;
    strip.forEachRegion((_part, points, from) => {
      STRIP_STEPS.forEach((_, i) => {
        poseWorld(subject.document.skeleton, { 1: strip.jointPose(i) }, world);
        buildPalette(world, held.part.inverseBinds, palette);
        skinKernels(subject.document.memory).skinRange(held.skin, 0, held.part.pointCount);
        points.forEach((p, k) => {
          for (let c = 0; c < 3; c++) {
            expect(strip.positions[i][(from + k) * 3 + c]).toBeCloseTo(held.skin.positions[p * 3 + c], 5);
          }
        });
      });
    });
  });

  test('follows a dab: touched points move in every picture, others stay', () => {
    const { strip, held, subject } = set;
    const point = 36; // a rung that followed joint 1
    let slot = -1;
    strip.forEachRegion((_part, points, from) => (slot = from + points.indexOf(point)));
    const before = strip.positions.map((positions) => positions.slice());
    held.skin.rows.joints[point * 8] = 0;
    const list = subject.document.memory.u32(1);
    list.set([point]);
    strip.follow(held, list, 1);
    strip.positions.slice(0, STRIP_STEPS.length).forEach((positions, i) => {
      const moved = [...positions.keys()]
        .filter((k) => positions[k] !== before[i][k])
        .map((k) => Math.floor(k / 3));
      expect(new Set(moved)).toEqual(STRIP_STEPS[i] === 0 ? new Set() : new Set([slot]));
    });
  });

  test('without a joint there is nothing to show', () => {
    set.subject.joint = -1;
    set.strip.rebuild();
    expect(set.strip.count).toBe(0);
  });
});

test('a file in other units than its skeleton is cut out where skinning puts it, and left as it was', async () => {
  const { strip, held, subject } = await ladder(100);
  buildPalette(subject.world, held.part.inverseBinds, held.skin.palette);
  skinKernels(subject.document.memory).skinRange(held.skin, 0, held.part.pointCount);
  const before = held.skin.positions.slice();
  strip.rebuild();
  expect(strip.count).toBe(set.count);
  expect(held.skin.positions).toEqual(before);
});

test('of a dense surface one point a cell stands for its neighbours: the picture is as large, and follows a dab', async () => {
  const { strip, held, subject } = await ladder(1, 9000);
  strip.rebuild();
  strip.setBend('z', 20);
  expect(strip.count).toBeGreaterThan(100);
  expect(strip.count).toBeLessThanOrEqual(10_000);
  expect(strip.triangles.length).toBeGreaterThan(3 * 100);
  const heights = Array.from({ length: strip.count }, (_, slot) => strip.positions[2][slot * 3 + 1]);
  const coarse = set.strip;
  set.subject.joint = 1;
  coarse.rebuild();
  const few = Array.from({ length: coarse.count }, (_, slot) => coarse.positions[2][slot * 3 + 1]);
  expect(Math.max(...heights)).toBeCloseTo(Math.max(...few), 1);
  expect(Math.min(...heights)).toBeCloseTo(Math.min(...few), 1);
  // All of it on the root: nothing bends in any picture.
  held.skin.rows.joints.fill(0);
  const list = subject.document.memory.u32(held.part.pointCount);
  list.set(list.map((_, p) => p));
  strip.follow(held, list, list.length);
  for (const { stretch, squeeze } of strip.figures()) {
    expect(stretch).toBeLessThan(1e-3);
    expect(squeeze).toBeGreaterThan(-1e-3);
  }
});
