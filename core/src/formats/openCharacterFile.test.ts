import { describe, expect, test } from '@jest/globals';
import { zipSync } from 'fflate';
import { CoreError } from '../errors.ts';
import { testDae } from './dae/testDae.ts';
import { writeGlb, writeGltf } from './gltf/container.ts';
import { readCharacter } from './gltf/readCharacter.ts';
import { testContainer } from './gltf/testGlb.ts';
import { asGlb, kindOfFile, openCharacterFile } from './openCharacterFile.ts';
import { encodeText } from './text.ts';
import { unzip, zip } from './zip.ts';

const refusal = (run: () => unknown): string => {
  try {
    run();
  } catch (error) {
    if (error instanceof CoreError) return error.message;
  }
  throw new Error('It was not refused.');
};
const obj = (...lines: string[]): Uint8Array => encodeText(lines.join('\n'));
const SQUARE = ['v 0 0 0', 'v 1 0 0', 'v 1 1 0', 'v 0 1 0'];

describe('what a file is', () => {
  test('is told by what is in it', () => {
    expect(kindOfFile(writeGlb(testContainer()))).toBe('glb');
    expect(kindOfFile(encodeText(testDae()))).toBe('dae');
    expect(kindOfFile(encodeText('<svg xmlns="http://www.w3.org/2000/svg"/>'))).toBe('svg');
    expect(kindOfFile(obj('# a square', '', ...SQUARE))).toBe('obj');
    expect(kindOfFile(encodeText('{"asset":{}}'))).toBe('gltf');
    expect(kindOfFile(encodeText('hello'))).toBe('unknown');
  });

  test('UTF-16 is read like any other text', async () => {
    const text = `\ufeff${testDae()}`;
    const bytes = new Uint8Array(text.length * 2);
    for (let i = 0; i < text.length; i++)
      bytes.set([text.charCodeAt(i) & 255, text.charCodeAt(i) >> 8], i * 2);
    const swapped = bytes.map((_, i) => bytes[i ^ 1]);
    for (const each of [bytes, swapped])
      expect((await readCharacter(openCharacterFile(each))).parts[0].pointCount).toBe(6);
  });
});

describe('a zipped .gltf', () => {
  const { text, binary } = writeGltf(testContainer(), 'leg data.bin');
  const packed = (names: readonly [string, string]): Uint8Array =>
    zip(
      new Map([
        [names[0], encodeText(text)],
        [names[1], binary],
        ['notes.txt', encodeText('hi')],
      ]),
    );

  test('is found with its files, in a folder and by another case', async () => {
    for (const names of [
      ['leg.gltf', 'leg data.bin'],
      ['a/leg.gltf', 'a/Leg Data.BIN'],
    ] as const) {
      const glb = asGlb(packed(names));
      expect(kindOfFile(glb)).toBe('glb');
      expect((await readCharacter(openCharacterFile(glb))).rows[0].values[0]).toBe(1);
    }
  });

  test('without its buffer is refused by its name', () => {
    const alone = zip(new Map([['leg.gltf', encodeText(text)]]));
    expect(refusal(() => asGlb(alone))).toBe(
      'The file names “leg%20data.bin” (buffers[0]), which is not beside it.',
    );
  });

  test('of several characters, and of none, is refused', () => {
    const one = writeGlb(testContainer());
    expect(
      refusal(() =>
        asGlb(
          zip(
            new Map([
              ['a.glb', one],
              ['b.glb', one],
            ]),
          ),
        ),
      ),
    ).toContain('2 characters in it (“a.glb”, “b.glb”)');
    expect(refusal(() => asGlb(zip(new Map([['a.txt', encodeText('hi')]]))))).toContain(
      'None of these files is a character',
    );
  });

  test('comes out as the same bytes whenever it is made', () => {
    expect(packed(['a.gltf', 'b.bin'])).toEqual(packed(['a.gltf', 'b.bin']));
  });
});

describe('zip files that mean harm', () => {
  test('that announce too much are refused before they are unpacked', () => {
    const bomb = zipSync({ 'a.glb': new Uint8Array(1000) }, { level: 6 });
    const view = new DataView(bomb.buffer, bomb.byteOffset);
    // The size stands in the directory at the end, 24 bytes into its entry.
    const at = bomb.lastIndexOf(0x01, bomb.length);
    expect(at).toBeGreaterThan(0);
    for (let i = 0; i + 28 < bomb.length; i++)
      if (view.getUint32(i, true) === 0x02014b50) view.setUint32(i + 24, 0x7fffffff, true);
    expect(refusal(() => unzip(bomb))).toContain('unpacks to more than');
  });

  test('that are cut off are refused', () => {
    const whole = zip(new Map([['a.glb', new Uint8Array(5000).map((_, i) => (i * 7919) % 251)]]));
    expect(refusal(() => unzip(whole.subarray(0, 60)))).toContain('The zip file is damaged');
  });
});

describe('an .obj', () => {
  test('has its objects as parts, counted from either end', async () => {
    const bytes = obj(
      'o left',
      ...SQUARE,
      'f 1 2 3 4',
      'o right',
      'v 2 0 0',
      'v 3 0 0',
      'v 3 1 0 \\',
      '',
      'f -3 -2 -1',
    );
    const { parts } = await readCharacter(openCharacterFile(bytes));
    expect(parts.map(({ name, pointCount }) => [name, pointCount])).toEqual([
      ['left', 4],
      ['right', 3],
    ]);
    expect([...parts[0].polygonOffsets]).toEqual([0, 4]);
  });

  test('has vertices apart where coordinates differ, which weld to one point', async () => {
    const bytes = obj(...SQUARE, 'vt 0 0', 'vt 1 0.25', 'f 1/1 2/1 3/1', 'f 1/2 3/2 4/2');
    const { parts } = await readCharacter(openCharacterFile(bytes));
    expect([parts[0].pointCount, parts[0].vertexCount]).toEqual([4, 6]);
  });

  test('has the colours of its materials, where they lie beside it', () => {
    const mtl = encodeText('newmtl red\nKd 1 0 0\nd 0.5\n');
    const bytes = obj('mtllib all.mtl', ...SQUARE, 'usemtl red', 'f 1 2 3 4');
    const { json } = openCharacterFile(bytes, (name) => (name === 'all.mtl' ? mtl : undefined));
    expect(json.materials).toEqual([
      expect.objectContaining({
        name: 'red',
        alphaMode: 'BLEND',
        pbrMetallicRoughness: expect.objectContaining({ baseColorFactor: [1, 0, 0, 0.5] }),
      }),
    ]);
  });

  test.each([
    [['f 1 2 5'], 'in line 5: a face names place 5, and there are 4 above it'],
    [['f 1 2 -5'], 'a face names place -5'],
    [['f 1 2 0'], '“0” is no corner'],
    [['f 1 2'], 'a face has three corners or more'],
    [['v 1 nan 2'], '“1 nan 2” is no place'],
    [['surf 0 1 0 1 1 2 3 4'], 'a curved surface'],
    [[], 'There is no face'],
  ])('%j is refused with its line', (lines, words) => {
    expect(refusal(() => openCharacterFile(obj(...SQUARE, ...lines)))).toContain(words);
  });
});
