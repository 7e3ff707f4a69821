import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { REST_JOINT, rotationFromAngles, type Pose } from '../../skeleton/pose.ts';
import { BendMeter } from './bendMeter.ts';
import { bendingJoints } from './trial.ts';
import { bentTube } from '../../testing/testTube.ts';
import { edgeLengths, restAreas, strainEdges, strainFaces, strainPoints } from './strain.ts';
import { strainKernels } from './strainKernels.ts';
import { PartLook } from '../../deform/PartLook.ts';
import type { Followings } from '../../deform/follow/partFollowing.ts';
import type { CharacterPart } from '../../document/character.ts';
import { followPart } from '../../document/followPart.ts';
import { DEFAULT_RELAXING } from '../../deform/SurfaceRelaxer.ts';
import { createKernelMemory } from '../../memory/wasmMemory.ts';
import { drawingOf } from '../../testing/testDrawing.ts';

const turn = (joint: number, x: number, y: number, z: number): Pose => ({
  [joint]: { rotation: rotationFromAngles([x, y, z]), translation: [0, 0, 0], scale: [1, 1, 1] },
});
/** Weights that go over from one joint to the other between −1 and 1. */
const ramp = (x: number): number => (x + 1) / 2;

describe('strain', () => {
  const edges = Uint32Array.from([0, 1, 1, 2, 2, 0]);
  const rest = Float32Array.from([0, 0, 0, 1, 0, 0, 0, 1, 0]);
  const up = Float32Array.from([0, 0, 1, 0, 0, 1, 0, 0, 1]);

  test('of a known shear and stretch', () => {
    const lengths = edgeLengths(edges, rest);
    const out = new Float32Array(3);
    // Sheared by k along x: the upright edge becomes √(1 + k²) long; the flat one stays.
    const k = 0.75;
    strainEdges(edges, lengths, Float32Array.from([0, 0, 0, 1, 0, 0, k, 1, 0]), out);
    expect([...out]).toEqual([
      0,
      expect.closeTo(1 - Math.SQRT2 / Math.hypot(1 - k, 1), 5),
      expect.closeTo(Math.hypot(1, k) - 1, 5),
    ]);
    // A shear keeps the area; double the length, double the area.
    const faces = Uint32Array.from([0, 1, 2]);
    const areas = restAreas(faces, rest, up);
    const ratio = new Float32Array(1);
    strainFaces(faces, areas, Float32Array.from([0, 0, 0, 1, 0, 0, k, 1, 0]), up, ratio);
    expect(ratio[0]).toBeCloseTo(1, 6);
    strainFaces(faces, areas, Float32Array.from([0, 0, 0, 2, 0, 0, 0, 1, 0]), up, ratio);
    expect(ratio[0]).toBeCloseTo(2, 6);
    // Turned over while its normals stay: folded.
    strainFaces(faces, areas, Float32Array.from([0, 0, 0, -1, 0, 0, 0, 1, 0]), up, ratio);
    expect(ratio[0]).toBeCloseTo(-1, 6);
  });

  test('half and double length count alike, the farthest is the point’s', () => {
    const out = new Float32Array(2);
    strainEdges(
      edges.subarray(0, 4),
      Float32Array.from([1, 1]),
      Float32Array.from([0, 0, 0, 2, 0, 0, 2.5, 0, 0]),
      out,
    );
    expect([...out]).toEqual([1, -1]);
    const points = new Float32Array(3);
    strainPoints(edges.subarray(0, 4), Float32Array.from([0.5, -1]), points);
    expect([...points]).toEqual([0.5, -1, -1]);
  });

  test('the memory say the same as the plain ones', async () => {
    const memory = await createKernelMemory(1 << 20);
    const moved = Float32Array.from([0.1, 0, 0, 1.7, 0.2, 0, -0.3, 0.4, 0.9]);
    const put = (values: Float32Array | Uint32Array) => {
      const to = values instanceof Uint32Array ? memory.u32(values.length) : memory.f32(values.length);
      to.set(values);
      return to;
    };
    const lengths = edgeLengths(edges, rest);
    const faces = Uint32Array.from([0, 1, 2]);
    const areas = restAreas(faces, rest, up);
    const [strains, ratios, points] = [memory.f32(3), memory.f32(1), memory.f32(3)];
    const [held, normals] = [put(moved) as Float32Array, put(up) as Float32Array];
    const lines = put(edges) as Uint32Array;
    strainKernels(memory).strainEdges(lines, put(lengths) as Float32Array, held, strains);
    strainKernels(memory).strainFaces(
      put(faces) as Uint32Array,
      put(areas) as Float32Array,
      held,
      normals,
      ratios,
    );
    strainKernels(memory).strainPoints(lines, strains, points);
    const plain = [new Float32Array(3), new Float32Array(1), new Float32Array(3)];
    strainEdges(edges, lengths, moved, plain[0]);
    strainFaces(faces, areas, moved, up, plain[1]);
    strainPoints(edges, plain[0], plain[2]);
    [strains, ratios, points].forEach((found, i) =>
      found.forEach((x, k) => expect(x).toBeCloseTo(plain[i][k], 5)),
    );
  });
});

describe('a bend of a tube', () => {
  test('nothing is strained when all of it moves as one', async () => {
    const meter = await BendMeter.create(bentTube(ramp));
    const angle = fc.integer({ min: -180, max: 180 });
    fc.assert(
      fc.property(angle, angle, angle, (x, y, z) => {
        const figures = meter.measureAll([1], turn(0, x, y, z), true).get(1);
        expect(figures).toMatchObject({ folded: 0, crossings: 0 });
        for (const strain of [figures?.stretch, figures?.squeeze, figures?.damage, figures?.volume])
          expect(Math.abs(strain ?? 1)).toBeLessThan(1e-4);
      }),
      { numRuns: 20 },
    );
  });

  test.each([
    [60, 'linear'],
    [120, 'linear'],
    [120, 'dual'],
  ] as const)(
    'twisted by %i° with %s skinning loses the volume that it should',
    async (degrees, skinning) => {
      const options = { radius: 1, around: 24, rings: 65 };
      const meter = await BendMeter.create(bentTube(ramp, options), skinning);
      const figures = meter.measure(1, turn(1, degrees, 0, 0));
      // Across the blend the radius is |(1 − w) + w·e^{iθ}|, so the cross-section is 1 − 2w(1 − w)(1 − cos θ) of the rest;
      // over the stretch from w = 0 to 1, which is what deforms, that is 1 − (1 − cos θ)/3.
      const cosine = Math.cos((degrees * Math.PI) / 180);
      const wanted = skinning === 'linear' ? -(1 - cosine) / 3 : 0;
      expect(Math.abs((figures?.volume ?? 1) - wanted)).toBeLessThan(0.02);
    },
  );

  test('relaxed, a hard border bends less badly, whichever way it is asked; with no amount it bends as skinned', async () => {
    const hard = bentTube((x) => (x > 0 ? 1 : 0), { radius: 1, around: 24, rings: 65 });
    const pose = turn(1, 0, 0, 100);
    const relaxing = { ...DEFAULT_RELAXING, passes: 6 };
    const of = async (look: Parameters<typeof BendMeter.create>[1]) => {
      const meter = await BendMeter.create(hard, look);
      const figures = meter.measure(1, pose, false);
      expect(meter.measureAll([1], pose).get(1)).toEqual(figures);
      return figures;
    };
    const skinned = await of('linear');
    expect((await of({ skinning: 'linear', relaxing }))?.damage).toBeLessThan(0.8 * (skinned?.damage ?? 0));
    const amounts = [new Float32Array(hard.parts[0].pointCount)];
    expect(await of({ skinning: 'linear', relaxing, amounts })).toEqual(skinned);
  });

  test('a part that follows bends where what it follows does, though its own weights do not move it', async () => {
    const limb = bentTube(ramp);
    const sleeve = bentTube(() => 0, { radius: 1.3, capped: false });
    const body = {
      ...limb,
      parts: [limb.parts[0], sleeve.parts[0]] as CharacterPart[],
      rows: [limb.rows[0], sleeve.rows[0]],
    };
    const following = [undefined, { driver: 0, hold: await followPart(body, 1, 0) }];
    const plain = await BendMeter.create(body);
    expect(plain.regionsOf(1).map(({ part }) => part)).toEqual([0]);
    const meter = await BendMeter.create(body, { skinning: 'linear', following });
    expect(meter.regionsOf(1).map(({ part }) => part)).toEqual([0, 1]);
    const pose = turn(1, 0, 0, 60);
    const figures = meter.measure(1, pose, false);
    expect(figures?.damage).toBeGreaterThan(plain.measure(1, pose, false)?.damage ?? Infinity);
    expect(meter.measureAll([1], pose).get(1)?.damage).toBeCloseTo(figures?.damage ?? 0, 5);
    const amounts = new Float32Array(body.parts[1].pointCount);
    const none = await BendMeter.create(body, {
      skinning: 'linear',
      following: [undefined, { ...following[1], amounts } as Followings[number]],
    });
    expect(none.regionsOf(1).map(({ part }) => part)).toEqual([0]);
  });

  test('a shape that goes on by the turn is measured where the joint is turned so far', async () => {
    const body = bentTube(ramp);
    const { pointCount, positions } = body.parts[0];
    const points = Uint32Array.from({ length: pointCount }, (_, p) => p).filter(
      (p) => Math.abs(positions[p * 3]) < 0.6,
    );
    const moves = { points, moves: new Float32Array(points.length * 3).fill(0.3) };
    const turned = { joint: 1, axis: 'z', from: 10, to: 60, parent: 0 } as const;
    const look = { skinning: 'linear', morphs: [[{ moves, amount: 0, turn: turned }]] } as const;
    const [plain, shaped] = [await BendMeter.create(body), await BendMeter.create(body, look)];
    for (const [angle, isOn] of [
      [60, true],
      [5, false],
    ] as const) {
      const [before, after] = [plain, shaped].map((meter) => meter.measure(1, turn(1, 0, 0, angle), false));
      if (isOn) expect(Math.abs((after?.damage ?? 0) - (before?.damage ?? 0))).toBeGreaterThan(1e-3);
      else expect(after).toEqual(before);
    }
    const part = await PartLook.create(body, 0, look);
    expect([...part.at({}).positions]).toEqual([...positions]);
    const skinned = await PartLook.create(body, 0, { skinning: 'linear' });
    const pose = turn(1, 0, 0, 60);
    const bent = skinned.at(pose).positions.slice();
    part.at(pose).positions.forEach((x, i) => {
      if (points.includes(Math.floor(i / 3))) return;
      expect(x).toBe(bent[i]);
    });
  });

  test('a wider blend has less strain, a hard border folds and crosses', async () => {
    const measure = async (share: (x: number) => number) =>
      (await BendMeter.create(bentTube(share))).measure(1, turn(1, 0, 0, 100));
    const [hard, soft] = [await measure((x) => (x > 0 ? 1 : 0)), await measure((x) => (x + 2) / 4)];
    expect(soft?.stretch ?? 9).toBeLessThan(hard?.stretch ?? 0);
    expect(hard?.folded ?? 0).toBeGreaterThan(0);
    expect(hard?.crossings ?? 0).toBeGreaterThan(0);
    expect(hard?.damage ?? 0).toBeGreaterThan(soft?.damage ?? 9);
  });

  test('an open surface has no volume, and says why; a joint without weight bends nothing', async () => {
    const open = bentTube(ramp, { torn: (ring, around) => around === 0 && ring > 4, capped: false });
    const meter = await BendMeter.create(open);
    expect(meter.measure(1, turn(1, 0, 0, 45))).toMatchObject({ volume: undefined, noVolume: 'open' });
    const none = await BendMeter.create(bentTube(() => 0));
    expect(none.measure(1, turn(1, 0, 0, 45))).toBeUndefined();
    expect(bendingJoints(none)).toEqual([]);
  });
});

describe('of a drawing', () => {
  const JOINTS = [
    ['shoulder', -1, [0, 0]],
    ['elbow', 0, [6, 0]],
  ] as const;
  const corners: [number, number][] = [
    [0, -1],
    [12, -1],
    [12, 1],
    [0, 1],
  ];
  const sleeve = (joint: (place: readonly [number, number]) => number) =>
    BendMeter.create(drawingOf(JOINTS, [{ name: 'sleeve', anchors: corners, joint }]));

  test('the outline and what it is filled with are measured, whatever points there are', async () => {
    const meter = await sleeve(([x]) => (x > 6 ? 1 : 0));
    const drawn = { ...REST_JOINT, translation: [6, 0, 0] as const };
    const figures = meter.measure(1, { 1: drawn });
    // Twelve long, drawn out to eighteen: half as long again everywhere along, and no wider.
    expect(figures?.stretch).toBeCloseTo(0.5, 3);
    expect(figures?.areaMost).toBeCloseTo(1.5, 3);
    expect(figures?.areaLeast).toBe(1);
    expect(figures?.folded).toBe(0);
    expect(figures?.stretched?.part).toBe(0);
  });

  test('what is turned inside out is told', async () => {
    const meter = await sleeve(([x]) => (x > 6 ? 1 : 0));
    const figures = meter.measure(1, { 1: { ...REST_JOINT, translation: [-18, 0, 0] } });
    expect(figures?.folded).toBeGreaterThan(10);
    expect(figures?.areaLeast).toBeCloseTo(0.5, 3);
  });

  test('a layer that goes along whole does not bend', async () => {
    expect((await sleeve(() => 1)).bends(1)).toBe(false);
  });
});
