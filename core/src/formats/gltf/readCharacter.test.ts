import { describe as group, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { describe, listArrivalFindings, listWeightTroubles } from '../../analysis/checkUp/describe.ts';
import { influencesOf, weightOf } from '../../weights/rows.ts';
import { openGlb, writeGlb } from './container.ts';
import { readCharacter } from './readCharacter.ts';
import { TEST_JOINTS, TEST_POSITIONS, TEST_WEIGHTS, testContainer } from './testGlb.ts';

const read = (options = {}) => readCharacter(testContainer(options));

test('a small leg: points, quads, joints and weights as drawn', async () => {
  const character = await read();
  expect(describe(character)).toEqual({
    parts: [
      {
        name: 'leg mesh',
        points: 6,
        vertices: 6,
        polygons: 2,
        quads: 2,
        islands: 1,
        unweighted: 0,
        maxInfluences: 2,
        sumMin: 1,
        sumMax: 1,
      },
    ],
    joints: 2,
    clips: 0,
    materials: 0,
  });
  expect(character.skeleton.joints.map(({ name, parent }) => [name, parent])).toEqual([
    ['hip', -1],
    ['knee', 0],
  ]);
  expect(influencesOf(character.rows[0], 2)).toEqual([
    { joint: 0, weight: 0.5 },
    { joint: 1, weight: 0.5 },
  ]);
  expect(listWeightTroubles(character.rows)).toEqual([]);
  expect(listArrivalFindings(character)).toEqual([]);
});

group('weights that are not right are survived and told', () => {
  test('sums off one are scaled', async () => {
    const character = await read({ weights: TEST_WEIGHTS.map((w) => w * 100) });
    expect(character.sourceWeights[0]).toMatchObject({ sumMin: 100, sumMax: 100, scaled: 6 });
    expect(weightOf(character.rows[0], 2, 1)).toBeCloseTo(0.5, 6);
  });

  test('NaN and negative weights count as nothing', async () => {
    const weights = [...TEST_WEIGHTS];
    weights[0] = NaN;
    weights[9] = -0.5;
    const character = await read({ weights });
    expect(character.sourceWeights[0].broken).toBe(2);
    expect(influencesOf(character.rows[0], 0)).toEqual([]);
    expect(influencesOf(character.rows[0], 2)).toEqual([{ joint: 0, weight: 1 }]);
    expect(listWeightTroubles(character.rows)).toEqual(['1 point has no weight']);
    expect(listArrivalFindings(character)[0]).toMatch(/^2 vertices had weights that are no numbers/);
  });

  test('all zero leaves the points unweighted', async () => {
    const character = await read({ weights: TEST_WEIGHTS.map(() => 0) });
    expect(describe(character).parts[0]).toMatchObject({
      unweighted: 6,
      sumMin: 0,
      sumMax: 0,
      maxInfluences: 0,
    });
  });

  test('a joint named twice by a vertex is added up', async () => {
    const joints = [...TEST_JOINTS];
    joints[9] = 0;
    const character = await read({ joints });
    expect(influencesOf(character.rows[0], 2)).toEqual([{ joint: 0, weight: 1 }]);
  });

  test('of vertices of one point that disagree the first is taken, and each keeps its own row', async () => {
    //            a copy of vertex 4 that follows the hip instead of the knee
    const character = await read({
      positions: [...TEST_POSITIONS, 0, 2, 0],
      weights: [...TEST_WEIGHTS, 1, 0, 0, 0],
      joints: [...TEST_JOINTS, 0, 0, 0, 0],
    });
    expect(character.parts[0].pointCount).toBe(6);
    const { seams } = character.sourceWeights[0];
    expect([[...seams.points], [...seams.vertices]]).toEqual([[4], [4, 6]]);
    expect([0, 1].map((i) => weightOf(seams.rows, i, 0))).toEqual([0, 1]);
    expect(weightOf(character.rows[0], 4, 1)).toBe(1);
  });
});

group('files that cannot be used are refused with place and reason', () => {
  const refuse = async (
    change: (json: ReturnType<typeof testContainer>['json']) => void,
    code: string,
    words: RegExp,
  ): Promise<void> => {
    const container = testContainer();
    change(container.json);
    await expect(readCharacter(container)).rejects.toMatchObject({
      code,
      message: expect.stringMatching(words),
    });
  };
  type Json = Record<string, any>; // eslint-disable-line @typescript-eslint/no-explicit-any

  test.each<[string, (json: Json) => void, string, RegExp]>([
    [
      'a node that is its own ancestor',
      (j) => (j.nodes[1].children = [0]),
      'file-invalid',
      /nodes\[\d\].*own ancestor/,
    ],
    [
      'a node with two parents',
      (j) => (j.nodes[2].children = [1]),
      'file-invalid',
      /nodes\[1\].*two parents/,
    ],
    [
      'an accessor that is not there',
      (j) => (j.meshes[0].primitives[0].indices = 9),
      'file-invalid',
      /accessor 9/,
    ],
    ['an accessor past its view', (j) => (j.accessors[0].count = 900), 'file-invalid', /900|needs/],
    [
      'a view past its buffer',
      (j) => (j.bufferViews[3].byteLength = 9000),
      'file-truncated',
      /bufferViews\[3\]/,
    ],
    ['too few bind matrices', (j) => (j.accessors[4].count = 1), 'file-invalid', /skins\[0\].*inverse bind/],
    ['another version', (j) => (j.asset.version = '1.0'), 'file-version', /version is 1\.0/],
    [
      'a required extension',
      (j) => (j.extensionsRequired = ['EXT_of_somebody']),
      'file-unsupported',
      /EXT_of_somebody/,
    ],
    ['lists that are none', (j) => (j.nodes = 'x'), 'file-invalid', /nodes.*list/],
    [
      'nothing made of triangles',
      (j) => (j.meshes[0].primitives[0].mode = 0),
      'file-no-mesh',
      /no mesh of triangles/,
    ],
  ])('%s', async (_name, change, code, words) => {
    await refuse(change as never, code, words);
  });

  test('a joint out of range', async () => {
    const joints = [...TEST_JOINTS];
    joints[0] = 7;
    await expect(read({ joints })).rejects.toMatchObject({
      code: 'file-invalid',
      message: expect.stringMatching(/JOINTS_0: vertex 0 names joint 7, but the skin has 2/),
    });
  });

  test('a position that is no number, an index out of range', async () => {
    await expect(read({ positions: [NaN, ...TEST_POSITIONS.slice(1)] })).rejects.toThrow(
      /position is not a number/,
    );
    await expect(read({ indices: [0, 1, 60] })).rejects.toThrow(/index 60 is out of range/);
  });

  test('bytes that are no .glb, or cut short, or empty', () => {
    const glb = writeGlb(testContainer());
    expect(() => openGlb(new Uint8Array(0))).toThrow(expect.objectContaining({ code: 'file-empty' }));
    expect(() => openGlb(Uint8Array.of(80, 75, 3, 4, 0, 0))).toThrow(
      expect.objectContaining({ code: 'file-not-gltf' }),
    );
    const old = glb.slice();
    old[4] = 1;
    expect(() => openGlb(old)).toThrow(expect.objectContaining({ code: 'file-version' }));
    for (let cut = 4; cut < glb.length; cut += 7) {
      expect(() => openGlb(glb.slice(0, cut))).toThrow(expect.objectContaining({ code: 'file-truncated' }));
    }
  });

  test('any damaged byte ends in a character or a coded refusal, never in anything else', async () => {
    const glb = writeGlb(testContainer());
    await fc.assert(
      fc.asyncProperty(fc.nat(glb.length - 1), fc.nat(255), async (at, value) => {
        const damaged = glb.slice();
        damaged[at] = value;
        try {
          await readCharacter(openGlb(damaged));
        } catch (error) {
          expect(error).toMatchObject({ name: 'CoreError', code: expect.stringMatching(/^file-/) });
        }
      }),
      { numRuns: 400 },
    );
  });
});

test('a mesh without a skin opens, and says that it has no skeleton yet', async () => {
  const container = testContainer();
  delete (container.json.nodes ?? [])[2].skin;
  delete container.json.skins;
  const character = await readCharacter(container);
  expect(character.parts[0].role).toBe('skinned');
  expect(character.notes.join(' ')).toContain('no skeleton yet: place joints');
});
