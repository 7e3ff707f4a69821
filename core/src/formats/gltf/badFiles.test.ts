import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { CoreError } from '../../errors.ts';
import { readBvh } from '../bvh.ts';
import { openGlb, writeGlb } from './container.ts';
import type { GltfJson } from './gltfJson.ts';
import { readCharacter } from './readCharacter.ts';
import { testContainer } from './testGlb.ts';

type Node = Record<string, unknown> | unknown[];

/** Every place in the file's JSON, as the keys that lead there. */
function placesIn(value: unknown, path: (string | number)[] = []): (string | number)[][] {
  if (typeof value !== 'object' || value === null) return [path];
  const inside = Object.entries(value).flatMap(([key, one]) => placesIn(one, [...path, key]));
  return path.length > 0 ? [path, ...inside] : inside;
}

const { json: GOOD, buffers } = testContainer();
const PLACES = placesIn(GOOD);

/** A `.glb` with just this in it, whatever it is. */
function glbOf(json: unknown, buffer: Uint8Array): Uint8Array {
  const text = new TextEncoder().encode(JSON.stringify(json).padEnd(4));
  const padded = (length: number): number => (length + 3) & ~3;
  const bytes = new Uint8Array(12 + 8 + padded(text.length) + 8 + padded(buffer.length)).fill(
    0x20,
    20,
    20 + padded(text.length),
  );
  const view = new DataView(bytes.buffer);
  const put = (at: number, numbers: number[]): void =>
    numbers.forEach((n, i) => view.setUint32(at + i * 4, n, true));
  put(0, [0x46546c67, 2, bytes.length]);
  put(12, [padded(text.length), 0x4e4f534a]);
  bytes.set(text, 20);
  put(20 + padded(text.length), [padded(buffer.length), 0x004e4942]);
  bytes.set(buffer, 28 + padded(text.length));
  return bytes;
}

/** The file with something else at a place; `undefined` takes it away. */
function broken(path: readonly (string | number)[], junk: unknown): Uint8Array {
  const json = JSON.parse(JSON.stringify(GOOD)) as GltfJson;
  let at = json as unknown as Node;
  for (const key of path.slice(0, -1)) at = (at as Record<string, Node>)[key];
  const last = path[path.length - 1];
  if (junk === undefined) Reflect.deleteProperty(at, last);
  else (at as Record<string, unknown>)[last] = junk;
  return glbOf(json, buffers[0]);
}

/** What must not be seen by a person: words of the language that the program is written in. */
const INSIDES =
  /undefined|Cannot read|is not a function|is not iterable|NaN|\[object|Invalid (array|typed)|call stack/;

/** What the file says itself may be anything. */
const withoutQuotes = (text: string): string => text.replace(/“[^”]*”/g, '“”');

async function readsOrRefuses(bytes: Uint8Array): Promise<void> {
  try {
    const { parts, rows } = await readCharacter(openGlb(bytes));
    parts.forEach((part, i) => {
      expect(part.positions.every(Number.isFinite)).toBe(true);
      expect(part.triangles.every((p) => p < part.pointCount)).toBe(true);
      expect(rows[i].values.every((value) => value >= 0 && value <= 1.000001)).toBe(true);
    });
  } catch (error) {
    if (!(error instanceof CoreError)) throw error;
    expect(withoutQuotes(error.message)).not.toMatch(INSIDES);
    expect(error.message).toMatch(/[.)]$/);
  }
}

const junk = fc.oneof(
  fc.constant(undefined),
  fc.constantFrom<unknown>(null, -1, 1e9, 0.5, 1e308, '', 'x', true, [], {}, [null], [-1], 'SCALAR', 'MAT4'),
  fc.integer({ min: -3, max: 40 }),
);

describe('files that are damaged', () => {
  test('at any place of their JSON, in any way: read, or refused in a sentence', async () => {
    await fc.assert(
      fc.asyncProperty(fc.constantFrom(...PLACES), junk, (path, value) =>
        readsOrRefuses(broken(path, value)),
      ),
      { numRuns: 1500 },
    );
  }, 120_000);

  test('cut off anywhere', async () => {
    const bytes = writeGlb(testContainer());
    await fc.assert(
      fc.asyncProperty(fc.integer({ min: 0, max: bytes.length - 1 }), async (length) => {
        const read = async () => readCharacter(openGlb(bytes.slice(0, length)));
        await expect(read()).rejects.toBeInstanceOf(CoreError);
      }),
      { numRuns: 300 },
    );
  });

  test('with any bytes of their buffers other ones', async () => {
    const edits = fc.array(fc.tuple(fc.nat(), fc.integer({ min: 0, max: 255 })), {
      minLength: 1,
      maxLength: 12,
    });
    await fc.assert(
      fc.asyncProperty(edits, async (changes) => {
        const { json, buffers: own } = testContainer();
        const buffer = own[0].slice();
        for (const [at, byte] of changes) buffer[at % buffer.length] = byte;
        await readsOrRefuses(glbOf(json, buffer));
      }),
      { numRuns: 400 },
    );
  });

  test('with a joint that is its own ancestor', async () => {
    const container = testContainer();
    const nodes = container.json.nodes ?? [];
    const joint = container.json.skins?.[0].joints[0] ?? 0;
    nodes[joint].children = [...(nodes[joint].children ?? []), joint];
    await expect(readCharacter(openGlb(writeGlb(container)))).rejects.toBeInstanceOf(CoreError);
  });
});

describe('motions that are damaged', () => {
  const GOOD_MOTION = `HIERARCHY
ROOT hips
{
  OFFSET 0 0 0
  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
  JOINT knee
  {
    OFFSET 0 -1 0
    CHANNELS 3 Zrotation Xrotation Yrotation
    End Site
    {
      OFFSET 0 -1 0
    }
  }
}
MOTION
Frames: 2
Frame Time: 0.04
0 1 0 0 0 0 10 20 30
0 1 0 0 0 0 20 30 40
`;
  const words = GOOD_MOTION.split(/(\s+)/);

  test('with any word another one, or left out: read, or refused in a sentence', () => {
    const other = fc.constantFrom(
      '',
      '{',
      '}',
      '-1',
      '1e99',
      'Frames:',
      'JOINT',
      'NaN',
      '1e9',
      'x',
      '0.00000001',
    );
    fc.assert(
      fc.property(fc.nat(words.length - 1), other, (at, word) => {
        const text = words.map((one, i) => (i === at && one.trim() ? word : one)).join('');
        try {
          const { values, frameSeconds, joints } = readBvh(text);
          expect(values.every(Number.isFinite)).toBe(true);
          expect(frameSeconds).toBeGreaterThan(0);
          expect(joints.length).toBeGreaterThan(0);
        } catch (error) {
          if (!(error instanceof CoreError)) throw error;
          expect(withoutQuotes(error.message)).not.toMatch(INSIDES);
        }
      }),
      { numRuns: 1500 },
    );
  });

  test('cut off anywhere', () => {
    for (let length = 0; length < GOOD_MOTION.length - 3; length++) {
      try {
        readBvh(GOOD_MOTION.slice(0, length));
      } catch (error) {
        expect(error).toBeInstanceOf(CoreError);
        continue;
      }
      // Only a number of the last frame may be shorter.
      expect(length).toBeGreaterThan(GOOD_MOTION.lastIndexOf(' '));
    }
  });
});
