import { describe, expect, test } from '@jest/globals';
import { sampleClip } from '../../animation/clip.ts';
import { CoreError } from '../../errors.ts';
import { influencesOf } from '../../weights/rows.ts';
import { restWorld } from '../../skeleton/skeleton.ts';
import { readCharacter } from '../gltf/readCharacter.ts';
import { encodeText } from '../text.ts';
import { readDae } from './readDae.ts';
import { POSITIONS, QUADS, SKIN, SKINNED_NODES, testDae, words, type TestDae } from './testDae.ts';

const read = (options?: TestDae) => readCharacter(readDae(encodeText(testDae(options))));
const refusal = (text: string): CoreError => {
  try {
    readDae(encodeText(text));
  } catch (error) {
    if (error instanceof CoreError) return error;
  }
  throw new Error('It was not refused.');
};

describe('the shape', () => {
  test('is read with quads, and normals of length one', async () => {
    const { parts, skeleton } = await read();
    expect(parts.map(({ name }) => name)).toEqual(['leg mesh']);
    expect([...parts[0].positions].map(String).join(' ')).toBe(POSITIONS);
    expect([...parts[0].polygonOffsets]).toEqual([0, 4, 8]);
    expect([...parts[0].normals.subarray(0, 3)]).toEqual([0, 0, 1]);
    expect(skeleton.joints).toEqual([]);
  });

  test.each([
    // A strip: every second face turns the other way. A fan: all from the first corner.
    ['tristrips', '<p>0 0 1 0 2 0 3 0</p>', [0, 1, 2, 2, 1, 3]],
    ['trifans', '<p>0 0 1 0 3 0 2 0</p>', [0, 1, 3, 0, 3, 2]],
    ['polygons', '<p>0 0 1 0 3 0 2 0</p>', [0, 1, 3, 0, 3, 2]],
    ['triangles', '<p>0 0 1 0 3 0</p>', [0, 1, 3]],
  ])('%s are cut into triangles', async (kind, lists, corners) => {
    const inputs = QUADS.slice(QUADS.indexOf('<input'), QUADS.indexOf('<vcount>'));
    const { parts } = await read({ faces: `<${kind} count="1">${inputs}${lists}</${kind}>` });
    const at = (p: number): string => [...parts[0].positions.subarray(p * 3, p * 3 + 3)].join(' ');
    const all = POSITIONS.split(' ');
    const meant = corners.map((p) => all.slice(p * 3, p * 3 + 3).join(' '));
    expect([...parts[0].triangles].map(at)).toEqual(meant);
  });

  test('one that is not convex is cut within itself', async () => {
    // An arrowhead: its third corner lies inside the other three's triangle.
    const positions = '0 0 0 4 0 0 1 1 0 0 4 0 9 9 9 9 9 9';
    const inputs = '<input semantic="VERTEX" source="#leg-vertices" offset="0"/>';
    const text = testDae({
      faces: `<polylist count="1">${inputs}<vcount>4</vcount><p>0 1 2 3</p></polylist>`,
    });
    const { parts } = await readCharacter(readDae(encodeText(text.replace(POSITIONS, positions))));
    const { triangles, positions: p } = parts[0];
    let area = 0;
    for (let t = 0; t < triangles.length; t += 3) {
      const [a, b, c] = [triangles[t] * 3, triangles[t + 1] * 3, triangles[t + 2] * 3];
      const own = (p[b] - p[a]) * (p[c + 1] - p[a + 1]) - (p[b + 1] - p[a + 1]) * (p[c] - p[a]);
      expect(own).toBeGreaterThan(0);
      area += own / 2;
    }
    expect(area).toBe(4);
  });

  test('stands in metres with y up, whatever the file has', async () => {
    const asset = '<unit meter="0.01" name="centimeter"/><up_axis>Z_UP</up_axis>';
    const container = readDae(encodeText(testDae({ asset, controllers: SKIN, nodes: SKINNED_NODES })));
    const { skeleton } = await readCharacter(container);
    const world = restWorld(skeleton);
    // The knee is a unit along y, which is backwards where z is up.
    [0, 0, -0.01].forEach((x, k) => expect(world[16 + 12 + k]).toBeCloseTo(x, 6));
  });
});

describe('a skin', () => {
  const skinned = { controllers: SKIN, nodes: SKINNED_NODES };

  test('has its joints, its bind matrices and its weights to the bit', async () => {
    const { parts, rows, skeleton } = await read(skinned);
    expect(skeleton.joints.map(({ name, parent }) => [name, parent])).toEqual([
      ['Hip', -1],
      ['Knee', 0],
    ]);
    expect(parts[0].role).toBe('skinned');
    expect([...parts[0].inverseBinds.subarray(28, 32)]).toEqual([0, -1, 0, 1]);
    const low = [...parts[0].positions].findIndex((_, i) => i % 3 === 1 && parts[0].positions[i] === 1);
    expect(influencesOf(rows[0], Math.floor(low / 3))).toEqual([
      { joint: 0, weight: 0.75 },
      { joint: 1, weight: 0.25 },
    ]);
  });

  test('moves as its turns say, over more than half a circle between two keys', async () => {
    const source = (id: string, numbers: string): string =>
      `<source id="${id}"><float_array id="${id}-a" count="2">${numbers}</float_array><technique_common>
       <accessor source="#${id}-a" count="2" stride="1"><param name="P" type="float"/></accessor></technique_common></source>`;
    const more = `<library_animations><animation id="a">${source('t', '0 2')}${source('v', '0 270')}
      ${words('k', 'Name_array', 'LINEAR LINEAR')}
      <sampler id="s"><input semantic="INPUT" source="#t"/><input semantic="OUTPUT" source="#v"/>
      <input semantic="INTERPOLATION" source="#k"/></sampler>
      <channel source="#s" target="n-knee/bend.ANGLE"/></animation></library_animations>`;
    const { clips } = await read({ ...skinned, more });
    expect(clips.map(({ seconds }) => seconds)).toEqual([2]);
    const { rotation } = sampleClip(clips[0], 1)[1];
    // Half of it: 135 degrees about x.
    expect(Math.abs(rotation[0])).toBeCloseTo(Math.sin((135 / 360) * Math.PI), 5);
    expect(Math.abs(rotation[3])).toBeCloseTo(Math.cos((135 / 360) * Math.PI), 5);
  });

  test('whose joints share a name takes each once', async () => {
    // Both slots mean the knee: what is on the hip's slot goes to the knee too.
    const controllers = SKIN.replace('hip knee', 'knee knee');
    const { parts, rows, skeleton } = await read({ ...skinned, controllers });
    expect(skeleton.joints.map(({ name }) => name)).toEqual(['Knee']);
    expect([...parts[0].source.jointOfSlot]).toEqual([0]);
    for (let p = 0; p < rows[0].pointCount; p++)
      expect(influencesOf(rows[0], p)).toEqual([{ joint: 0, weight: 1 }]);
  });

  test('motions that are damaged stay behind, and it is told', async () => {
    const more = `<library_animations><animation id="a"><sampler id="s"><input semantic="INPUT" source="#gone"/></sampler>
      <channel source="#s" target="n-knee/bend.ANGLE"/></animation></library_animations>`;
    const { clips, notes } = await read({ ...skinned, more });
    expect(clips).toEqual([]);
    expect(notes.join(' ')).toContain('“#gone” is named at');
  });
});

describe('what cannot be read is refused with its place', () => {
  const spline = '<library_geometries><geometry id="g"><spline/></geometry></library_geometries>';
  test.each([
    [
      'a joint that is nowhere',
      testDae({ controllers: SKIN.replace('hip knee', 'hip shin'), nodes: SKINNED_NODES }),
      'joint “shin” is not in the scene',
    ],
    [
      'an index out of range',
      testDae({ faces: QUADS.replace('5 0 4 0', '6 0 4 0') }),
      'position 6 does not exist (there are 6)',
    ],
    [
      'fewer numbers than announced',
      testDae().replace('count="18">', 'count="19">'),
      'it announces 19 numbers, and 18 are there',
    ],
    [
      'a count as of a bomb',
      testDae().replace('count="18">', 'count="2000000000">'),
      'it announces 2000000000 numbers',
    ],
    [
      'too few influences',
      testDae({ controllers: SKIN.replace('1 0 1 0</v>', '</v>'), nodes: SKINNED_NODES }),
      'influences are counted',
    ],
    ['a word among numbers', testDae().replace('0 0 2<', '0 zero 2<'), '“zero” is no number'],
    ['a unit of nothing', testDae({ asset: '<unit meter="0"/>' }), 'which is no length'],
    [
      'splines alone',
      testDae()
        .replace(/<library_geometries>.*<\/library_geometries>/s, spline)
        .replace('#leg', '#g'),
      'It holds splines',
    ],
    [
      'cameras alone',
      testDae({ nodes: '<node/>' }).replace(
        /<library_geometries>.*<\/library_geometries>/s,
        '<library_cameras><camera id="c"/></library_cameras>',
      ),
      'cameras and lights alone',
    ],
    ['two roots', `${testDae()}<COLLADA/>`, 'is not well-formed XML'],
    [
      'a node in itself',
      testDae({ nodes: '<node id="n"><instance_node url="#n"/></node>' }),
      'or they show themselves',
    ],
    ['another version', testDae().replace('1.4.1', '1.3'), 'COLLADA version 1.3'],
    ['entities', testDae().replace('?>', '?><!DOCTYPE a [<!ENTITY b "c">]>'), 'entities of its own'],
  ])('%s', (_, text, words) => {
    expect(refusal(text).message).toContain(words);
  });
});
