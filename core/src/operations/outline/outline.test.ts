import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  applyEdit,
  invertEdit,
  rebaseEdit,
  withOutlines,
  type Character,
  type DocumentState,
} from '../../document/index.ts';
import {
  controlTriangles,
  placeOn,
  pointsTakenOut,
  segmentsOf,
  splitCurve,
  type CurvePlaces,
  type Drawing,
  type Layer,
  type LayerOutlines,
} from '../../drawing/index.ts';
import { joinCurves } from '../../drawing/curves.ts';
import { drawingToGlb } from '../../formats/svg/drawingGlb.ts';
import { openGlb, readCharacter } from '../../formats/index.ts';
import { partOf, skeletonOf } from '../../testing/testBody.ts';
import { createRows, influencesOf, rowSum, type WeightRows } from '../../weights/rows.ts';
import {
  addOutlinePoints,
  bendAtAnchors,
  cutsAlong,
  cutsAtJoints,
  moveOutlinePoints,
  nearestCut,
  takeOutPoints,
} from './index.ts';

const number = fc.double({ min: -1000, max: 1000, noNaN: true });
const curves = fc.oneof(
  fc.array(number, { minLength: 4, maxLength: 4 }),
  fc.array(number, { minLength: 8, maxLength: 8 }),
);
const shares = fc
  .uniqueArray(fc.integer({ min: 1, max: 999 }), { minLength: 1, maxLength: 6 })
  .map((found) => found.sort((a, b) => a - b).map((k) => k / 1000));

const sizeOf = (curve: CurvePlaces): number => Math.max(1e-300, ...curve.map(Math.abs));

describe('a curve', () => {
  test('in pieces is the same curve to 1e-9 of its size', () => {
    fc.assert(
      fc.property(curves, shares, (curve, at) => {
        const ends = [0, ...at, 1];
        splitCurve(curve, at).forEach((piece, k) => {
          for (let n = 0; n <= 8; n++) {
            const [x, y] = placeOn(piece, n / 8);
            const [u, v] = placeOn(curve, ends[k] + (n / 8) * (ends[k + 1] - ends[k]));
            expect(Math.hypot(x - u, y - v)).toBeLessThanOrEqual(1e-9 * sizeOf(curve));
          }
        });
      }),
    );
  });

  test('that was cut and joined again is the same one', () => {
    fc.assert(
      fc.property(curves, fc.double({ min: 0.06, max: 0.94, noNaN: true }), (curve, t) => {
        const [first, last] = splitCurve(curve, [t]);
        const [a, b] = [first.slice(-4, -2), last.slice(2, 4)];
        // Where both handles at the cut lie on it, nothing says where it was.
        fc.pre(curve.length === 4 || Math.hypot(a[0] - b[0], a[1] - b[1]) > 1e-3 * sizeOf(curve));
        const joined = joinCurves(first, last);
        joined.forEach((value, k) => expect(Math.abs(value - curve[k])).toBeLessThan(1e-6 * sizeOf(curve)));
      }),
    );
  });
});

/** A sleeve along x, 12 long and 2 wide, with anchors at its four corners alone; half in shoulder, half in wrist. */
const LIMB: readonly (readonly [string, number, readonly [number, number, number]])[] = [
  ['shoulder', -1, [0, 0, 0]],
  ['elbow', 0, [6, 0, 0]],
  ['wrist', 1, [12, 0, 0]],
];
const skeleton = skeletonOf(LIMB);
const CORNERS = [
  [0, -1],
  [12, -1],
  [12, 1],
  [0, 1],
] as const;

function sleeve(kind: 'L' | 'C'): { layer: Layer; positions: number[] } {
  const positions: number[] = [];
  CORNERS.forEach(([x, y], k) => {
    const [u, v] = CORNERS[(k + 1) % 4];
    positions.push(x, y, 0);
    if (kind === 'C')
      for (const share of [1 / 3, 2 / 3]) positions.push(x + share * (u - x), y + share * (v - y), 0);
  });
  const outlines = [{ first: 0, segments: kind.repeat(4), closed: true }];
  const fill = { colour: '#335577', opacity: 1 };
  return { layer: { name: 'sleeve', shapes: [{ outlines, fillRule: 'nonzero', fill }] }, positions };
}

interface World {
  readonly base: Character;
  readonly state: DocumentState;
}

function worldOf(layer: Layer, positions: number[]): World {
  const drawing: Drawing = { page: [0, 0, 20, 20], scale: 1, layers: [layer] };
  const places = LIMB.map(([, , place]) => place);
  const triangles = [...controlTriangles(layer, Float32Array.from(positions))];
  const part = partOf('sleeve', positions, triangles, places);
  const rows = createRows(part.pointCount);
  for (let p = 0; p < part.pointCount; p++) {
    rows.joints[p * rows.stride] = positions[p * 3] > 6 ? 1 : 0;
    rows.values[p * rows.stride] = 1;
  }
  const base = {
    drawing,
    parts: [part],
    skeleton,
    rows: [rows],
    sourceWeights: [{}],
  } as unknown as Character;
  return { base, state: { rows: [rows], skeleton, values: {} } };
}

/** The character as it is opened with a document's outlines. */
function openWith({ base, state }: World): Character & { drawing: Drawing } {
  const held = state.values['parts/0/outlines'] as unknown as LayerOutlines | undefined;
  const open = withOutlines(base, held ? { 0: held } : {});
  return { ...open, drawing: open.drawing as Drawing };
}

const subjectOf = (world: World) => ({
  ...openWith(world),
  rows: world.state.rows,
  values: world.state.values,
});

/** Places along all outlines, at even shares of each segment of the first drawing. */
function outlineOf(character: Character, layer = 0): { places: [number, number][]; anchors: number[] } {
  const { vertexPoint, positions } = character.parts[layer];
  const outlines = character.drawing?.layers[layer].shapes.flatMap((shape) => shape.outlines) ?? [];
  const segments = outlines.flatMap(segmentsOf);
  const at = (v: number): [number, number] => [
    positions[vertexPoint[v] * 3],
    positions[vertexPoint[v] * 3 + 1],
  ];
  const places = segments.flatMap((own) => {
    const curve = own.flatMap(at);
    return Array.from({ length: 20 }, (_, k) => placeOn(curve, k / 20));
  });
  return { places, anchors: segments.map(([v]) => vertexPoint[v]) };
}

/** How far the places of one outline are from another, at most. */
function apart(one: Character, other: Character): number {
  const segmentsOfOther = other.drawing?.layers[0];
  if (!segmentsOfOther) throw new Error('no drawing');
  const { positions } = other.parts[0];
  return Math.max(
    ...outlineOf(one).places.map(
      ([x, y]) => nearestCut(segmentsOfOther, other.parts[0], positions, x, y)?.distance ?? Infinity,
    ),
  );
}

const step = (world: World, edit: Parameters<typeof applyEdit>[1]): World => ({
  ...world,
  state: applyEdit(world.state, edit),
});

describe.each(['L', 'C'] as const)('points at an elbow, of segments %s', (kind) => {
  const world = worldOf(...(Object.values(sleeve(kind)) as [Layer, number[]]));

  test.each([1, 3, 4])('%i on each side, evenly about it; outline and weights carried over', (perSide) => {
    const subject = subjectOf(world);
    const cuts = cutsAtJoints({ ...subject, skeleton }, { joints: [1], perSide });
    const { edit, anchors } = addOutlinePoints(subject, cuts);
    const next = step(world, edit);
    const open = openWith(next);
    expect(apart(open, openWith(world))).toBeLessThan(1e-5);
    expect(apart(openWith(world), open)).toBeLessThan(1e-5);
    const added = anchors.get(0) ?? [];
    expect(added).toHaveLength(2 * perSide);
    const { positions } = open.parts[0];
    for (const side of [-1, 1]) {
      const along = added
        .filter((p) => Math.abs(positions[p * 3 + 1] - side) < 1e-4)
        .map((p) => positions[p * 3])
        .sort((a, b) => a - b);
      expect(along).toHaveLength(perSide);
      expect(along.reduce((sum, x) => sum + x, 0) / perSide).toBeCloseTo(6, 2);
    }
    for (const p of added) {
      expect(rowSum(next.state.rows[0], p)).toBeCloseTo(1, 6);
      const shoulder = influencesOf(next.state.rows[0], p).find(({ joint }) => joint === 0)?.weight ?? 0;
      // Of a line the weight falls as the place goes on; of the curve more steeply, and half in the middle.
      if (kind === 'L') expect(shoulder).toBeCloseTo(1 - positions[p * 3] / 12, 4);
      else expect(Math.sign(shoulder - 0.5)).toBe(Math.sign(Math.round((6 - positions[p * 3]) * 1e4)) || 0);
    }
  });

  test('are added on both sides of a limb that its joint lies beside', () => {
    const { layer, positions } = sleeve(kind);
    const beside = worldOf(
      layer,
      positions.map((value, k) => (k % 3 === 1 ? value + 2.5 : value)),
    );
    const cuts = cutsAtJoints({ ...subjectOf(beside), skeleton }, { joints: [1], perSide: 2 });
    expect(new Set(cuts.get(0)?.map(({ segment }) => segment)).size).toBe(2);
    expect(cuts.get(0)).toHaveLength(4);
  });

  test('are not added twice', () => {
    const first = addOutlinePoints(
      subjectOf(world),
      cutsAtJoints({ ...subjectOf(world), skeleton }, { joints: [1], perSide: 3 }),
    );
    const next = step(world, first.edit);
    expect(cutsAtJoints({ ...subjectOf(next), skeleton }, { joints: [1], perSide: 3 }).size).toBe(0);
  });

  test('go again: by undo to the bit, taken out as the same outline', () => {
    const subject = subjectOf(world);
    const cuts = cutsAtJoints({ ...subject, skeleton }, { joints: [1], perSide: 3 });
    const { edit, anchors } = addOutlinePoints(subject, cuts);
    const before = snapshot(world.state.rows[0]);
    const next = step(world, edit);
    const back = step(next, invertEdit(edit));
    expect(back.state.values).toEqual({});
    expect(snapshot(back.state.rows[0])).toEqual(before);
    const out = takeOutPoints(subjectOf(next), 0, anchors.get(0) ?? []);
    expect(out.stayed).toEqual([]);
    const open = openWith(step(next, out.edit));
    expect(outlineOf(open).anchors).toEqual(outlineOf(openWith(world)).anchors);
    const { vertexPoint, pointCount } = open.parts[0];
    const gone = pointsTakenOut(vertexPoint, pointCount)?.reduce((sum, own) => sum + own, 0);
    // With the handles that came with them.
    expect(gone).toBe(kind === 'L' ? 6 : 18);
    expect(pointsTakenOut(openWith(next).parts[0].vertexPoint, pointCount)).toBeUndefined();
    expect(apart(open, openWith(world))).toBeLessThan(1e-4);
  });
});

const snapshot = ({ joints, values, pointCount }: WeightRows) => ({
  joints: [...joints],
  values: [...values],
  pointCount,
});

describe('outlines', () => {
  test('cut anywhere, again and again, stay the same to f32’s fineness', () => {
    const cut = fc.tuple(fc.nat(50), fc.double({ min: 0.01, max: 0.99, noNaN: true }));
    fc.assert(
      fc.property(
        fc.constantFrom('L' as const, 'C' as const),
        fc.array(fc.array(cut, { minLength: 1, maxLength: 4 }), { minLength: 1, maxLength: 4 }),
        (kind, rounds) => {
          const { layer, positions } = sleeve(kind);
          const world = worldOf(layer, positions);
          let now = world;
          for (const round of rounds) {
            const subject = subjectOf(now);
            const count = subject.drawing.layers[0].shapes[0].outlines[0].segments.length;
            const cuts = round.map(([k, at]) => ({ outline: 0, segment: k % count, at }));
            now = step(now, addOutlinePoints(subject, new Map([[0, cuts]])).edit);
            for (let p = 0; p < now.state.rows[0].pointCount; p++)
              expect(rowSum(now.state.rows[0], p)).toBeCloseTo(1, 5);
          }
          expect(apart(openWith(now), openWith(world))).toBeLessThan(1e-4);
          expect(apart(openWith(world), openWith(now))).toBeLessThan(1e-4);
        },
      ),
      { numRuns: 12 },
    );
  });

  test.each(['L', 'C'] as const)(
    'of segments %s get points evenly, none farther from the next than asked',
    (kind) => {
      const { layer, positions } = sleeve(kind);
      const world = worldOf(layer, positions);
      const cuts = cutsAlong(subjectOf(world), [0], 1);
      const next = step(world, addOutlinePoints(subjectOf(world), cuts).edit);
      const open = openWith(next);
      const { anchors } = outlineOf(open);
      // Twelve along and two across, twice.
      expect(anchors).toHaveLength(28);
      const { positions: at } = open.parts[0];
      anchors.forEach((p, k) => {
        const q = anchors[(k + 1) % anchors.length];
        expect(Math.hypot(at[p * 3] - at[q * 3], at[p * 3 + 1] - at[q * 3 + 1])).toBeCloseTo(1, 2);
      });
      expect(apart(open, openWith(world))).toBeLessThan(1e-4);
      expect(cutsAlong(subjectOf(next), [0], 1.01).size).toBe(0);
    },
  );

  test('edge to edge share what is added to their edge, whichever way they run', async () => {
    const svg = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><g id="both">
      <path d="M0 0 C20 10 30 10 50 0 L50 50 L0 50 Z" fill="#a00"/>
      <path d="M50 0 C30 10 20 10 0 0 L0 -50 L50 -50 Z" fill="#0a0"/></g></svg>`;
    const base = await readCharacter(openGlb(drawingToGlb(new TextEncoder().encode(svg))));
    const world: World = { base, state: { rows: base.rows, skeleton: base.skeleton, values: {} } };
    const { edit, anchors } = addOutlinePoints(
      subjectOf(world),
      new Map([[0, [{ outline: 0, segment: 0, at: 0.3 }]]]),
    );
    const open = openWith(step(world, edit));
    const [added] = anchors.get(0) ?? [];
    const [one, other] = open.drawing.layers[0].shapes.map(({ outlines: [outline] }) =>
      segmentsOf(outline).map((own) => own.map((v) => open.parts[0].vertexPoint[v])),
    );
    expect(one[0].at(-1)).toBe(added);
    expect(other[0]).toEqual([...one[1]].reverse());
    expect(other[1]).toEqual([...one[0]].reverse());
    // Two new handles and an anchor: the handles of the shared edge moved with both.
    expect(open.parts[0].pointCount).toBe(base.parts[0].pointCount + 3);
  });

  test('keep what they cannot do without', () => {
    const { layer, positions } = sleeve('L');
    const world = worldOf(layer, positions);
    const { edit, stayed } = takeOutPoints(subjectOf(world), 0, [0, 1, 2, 3]);
    expect(stayed).toEqual([2, 3]);
    expect(outlineOf(openWith(step(world, edit))).anchors).toHaveLength(2);
  });

  test('pass an anchor smoothly, or as a corner', () => {
    const { layer, positions } = sleeve('C');
    const world = worldOf(layer, positions);
    const handles = (open: Character): [number, number][] => {
      const segments = segmentsOf((open.drawing as Drawing).layers[0].shapes[0].outlines[0]);
      const anchor = open.parts[0].vertexPoint[segments[1][0]];
      return [segments[0].at(-2), segments[1][1]].map((v) => {
        const p = open.parts[0].vertexPoint[v as number];
        return [0, 1].map(
          (k) => open.parts[0].positions[p * 3 + k] - open.parts[0].positions[anchor * 3 + k],
        );
      }) as [number, number][];
    };
    const turn = ([[a, b], [c, d]]: [number, number][]): number =>
      Math.abs(a * d - b * c) / (Math.hypot(a, b) * Math.hypot(c, d));
    const corner = openWith(world).parts[0].vertexPoint[3];
    const smooth = step(world, bendAtAnchors(subjectOf(world), 0, [corner], 'smooth'));
    expect(turn(handles(openWith(world)))).toBeCloseTo(1, 5);
    expect(turn(handles(openWith(smooth)))).toBeLessThan(1e-6);
    const again = step(smooth, bendAtAnchors(subjectOf(smooth), 0, [corner], 'corner'));
    expect(turn(handles(openWith(again)))).toBeCloseTo(1, 5);
  });

  test('are moved at rest, and weights stay', () => {
    const { layer, positions } = sleeve('L');
    const world = worldOf(layer, positions);
    const edit = moveOutlinePoints(subjectOf(world), new Map([[0, new Map([[2, [13, 3] as const]])]]));
    expect(edit.weights).toEqual([]);
    const open = openWith(step(world, edit));
    expect([...open.parts[0].positions.subarray(6, 8)]).toEqual([13, 3]);
    expect(open.parts[0].pointCount).toBe(4);
  });

  test('of another drawing are passed over', () => {
    const { layer, positions } = sleeve('L');
    const world = worldOf(layer, positions);
    const wrongs: LayerOutlines[] = [
      { from: 5, points: 5, outlines: {}, places: {} },
      { from: 4, points: 5, outlines: { 0: { segments: 'LLLLL', points: [0, 1, 2, 3, 4] } }, places: {} },
      { from: 4, points: 4, outlines: { 7: { segments: 'L', points: [0, 1] } }, places: {} },
      { from: 4, points: 4, outlines: { 0: { segments: 'LL', points: [0, 9] } }, places: {} },
    ];
    for (const wrong of wrongs) expect(withOutlines(world.base, { 0: wrong }).parts[0].pointCount).toBe(4);
  });
});

describe('points at a joint', () => {
  /** A shape of an `.svg` without weights, and a joint with a bone along x through it. */
  async function bare(shape: string): Promise<World & { readonly limb: typeof skeleton }> {
    const svg = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100">${shape}</svg>`;
    const read = await readCharacter(openGlb(drawingToGlb(new TextEncoder().encode(svg))));
    const inverseBinds = new Float32Array(4 * 16);
    const joints = [-0.6, 0, 0.6].map((x) => [x, 1, 0] as const);
    [...joints, [0, 0, 0] as const].forEach(([x, y, z], j) =>
      inverseBinds.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -x, -y, -z, 1], j * 16),
    );
    const limb = skeletonOf(joints.map((place, j) => [`joint ${j}`, j - 1, place]));
    const base = { ...read, parts: read.parts.map((part) => ({ ...part, inverseBinds })), skeleton: limb };
    return { base, limb, state: { rows: base.rows, skeleton: limb, values: {} } };
  }
  const cutsOf = async (shape: string) => {
    const { limb, ...world } = await bare(shape);
    return cutsAtJoints({ ...subjectOf(world), skeleton: limb }, { joints: [1], perSide: 1 }).get(0) ?? [];
  };

  test('of a shape whose one side is far off go to the near side alone, as far apart as the limb is wide', async () => {
    const cuts = await cutsOf('<rect x="5" y="40" width="90" height="1000"/>');
    expect(cuts).toMatchObject([{ outline: 0, segment: 0 }]);
    expect(cuts[0].at).toBeCloseTo(0.5, 3);
  });

  test('of a ring go to the stretch that is nearest, not across its hole', async () => {
    const ring = '<path fill-rule="evenodd" d="M5 20H95V60H5ZM8 45H92V48H8Z"/>';
    const cuts = await cutsOf(ring);
    // The joint lies at 50, 50: between the hole's lower edge, 48, and the outer one, 60.
    expect(cuts.map(({ outline, segment }) => [outline, segment]).sort()).toEqual([
      [0, 2],
      [1, 2],
    ]);
  });

  test('of a line that is only drawn go to it', async () => {
    expect(await cutsOf('<path d="M5 52H95" fill="none" stroke="black"/>')).toHaveLength(1);
    expect(await cutsOf('<path d="M5 52H95M5 46H95" fill="none" stroke="black"/>')).toHaveLength(2);
  });

  test('of a layer without weights are added only where the joint lies in it', async () => {
    expect(await cutsOf('<rect x="5" y="60" width="90" height="9"/>')).toEqual([]);
    expect(await cutsOf('<rect x="5" y="46" width="90" height="9"/>')).toHaveLength(2);
  });
});

describe('a drawing', () => {
  test('of two layers edge to edge is smoothed on both alike, and shares the new handles', async () => {
    const svg = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><g id="both">
      <path d="M10 50L50 40L90 50L90 90L10 90Z"/><path d="M90 50L50 40L10 50L10 10L90 10Z"/></g></svg>`;
    const base = await readCharacter(openGlb(drawingToGlb(new TextEncoder().encode(svg))));
    const world: World = { base, state: { rows: base.rows, skeleton: base.skeleton, values: {} } };
    const peak = base.parts[0].vertexPoint[1];
    const open = openWith(step(world, bendAtAnchors(subjectOf(world), 0, [peak], 'smooth')));
    const [one, other] = open.drawing.layers[0].shapes.map(({ outlines: [outline] }) =>
      segmentsOf(outline).map((own) => own.map((v) => open.parts[0].vertexPoint[v])),
    );
    expect([one[0], one[1]]).toEqual([[...other[1]].reverse(), [...other[0]].reverse()]);
    expect(one[0]).toHaveLength(4);
  });

  test('takes so many added points and no more', () => {
    const { layer, positions } = sleeve('L');
    const world = worldOf(layer, positions);
    const held = Object.fromEntries(
      Array.from({ length: 5 }, (_, part) => [
        `parts/${part + 1}/outlines`,
        { from: 4, points: 50_000, outlines: {}, places: {} },
      ]),
    );
    const full = { ...world.state, values: held };
    const { edit } = addOutlinePoints(
      subjectOf(world),
      new Map([[0, [{ outline: 0, segment: 0, at: 0.5 }]]]),
    );
    expect(() => applyEdit(full, edit)).toThrow(/at most 200000 added points/);
    expect(full.rows[0].pointCount).toBe(4);
  });

  test('that two people change at once keeps the first one’s outlines, and says so', () => {
    const { layer, positions } = sleeve('L');
    const world = worldOf(layer, positions);
    const at = (share: number) =>
      addOutlinePoints(subjectOf(world), new Map([[0, [{ outline: 0, segment: 0, at: share }]]])).edit;
    const [mine, theirs] = [at(0.25), at(0.75)];
    const after = step(world, theirs);
    const rebased = rebaseEdit(after.state, mine, new Map());
    expect(rebased.overlapping).toBeGreaterThan(0);
    expect(rebased.edit).toMatchObject({ values: [], weights: [] });
    // What else the edit was about is done.
    const lock = { path: 'locks/1', before: null, after: true };
    const both = rebaseEdit(after.state, { ...mine, values: [...mine.values, lock] }, new Map());
    expect(both.edit.values).toEqual([lock]);
    const merged = step(after, both.edit);
    expect(openWith(merged).parts[0].pointCount).toBe(5);
  });
});
