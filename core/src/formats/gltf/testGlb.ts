import type { GltfContainer } from './container.ts';
import type { GltfJson } from './gltfJson.ts';

/**
 * A strip of three points a column, bound to a chain of two joints along y: small enough to check by hand.
 *
 *   4---5        joint 1 at y = 1
 *   | / |
 *   2---3
 *   | / |
 *   0---1        joint 0 at the origin
 */
export interface TestGlbOptions {
  readonly weights?: readonly number[];
  readonly joints?: readonly number[];
  readonly positions?: readonly number[];
  readonly indices?: readonly number[];
}

export const TEST_POSITIONS = [0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0, 0, 2, 0, 1, 2, 0];
export const TEST_INDICES = [0, 1, 3, 0, 3, 2, 2, 3, 5, 2, 5, 4];
const row = (a: number, b: number): number[] => [a, b, 0, 0];
export const TEST_WEIGHTS = [row(1, 0), row(1, 0), row(0.5, 0.5), row(0.5, 0.5), row(1, 0), row(1, 0)].flat();
export const TEST_JOINTS = [row(0, 0), row(0, 0), row(0, 1), row(0, 1), row(1, 0), row(1, 0)].flat();

const identity = (y: number): number[] => [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, -y, 0, 1];

export function testContainer(options: TestGlbOptions = {}): GltfContainer {
  const arrays = [
    Float32Array.from(options.positions ?? TEST_POSITIONS),
    Uint16Array.from(options.indices ?? TEST_INDICES),
    Uint8Array.from(options.joints ?? TEST_JOINTS),
    Float32Array.from(options.weights ?? TEST_WEIGHTS),
    Float32Array.from([...identity(0), ...identity(1)]),
  ];
  const views: { buffer: number; byteOffset: number; byteLength: number }[] = [];
  let length = 0;
  for (const array of arrays) {
    views.push({ buffer: 0, byteOffset: length, byteLength: array.byteLength });
    length += (array.byteLength + 3) & ~3;
  }
  const bytes = new Uint8Array(length);
  arrays.forEach((array, i) => bytes.set(new Uint8Array(array.buffer), views[i].byteOffset));
  const vertices = arrays[0].length / 3;
  const json = {
    asset: { version: '2.0', extras: { made: 'by hand' } },
    scene: 0,
    scenes: [{ nodes: [0, 2] }],
    nodes: [
      { name: 'hip', children: [1] },
      { name: 'knee', translation: [0, 1, 0] },
      { name: 'leg', mesh: 0, skin: 0 },
    ],
    meshes: [
      {
        name: 'leg mesh',
        primitives: [
          { attributes: { POSITION: 0, JOINTS_0: 2, WEIGHTS_0: 3 }, indices: 1, extras: { keep: [1, 2] } },
        ],
      },
    ],
    skins: [{ joints: [0, 1], inverseBindMatrices: 4 }],
    accessors: [
      { bufferView: 0, componentType: 5126, count: vertices, type: 'VEC3', min: [0, 0, 0], max: [1, 2, 0] },
      { bufferView: 1, componentType: 5123, count: arrays[1].length, type: 'SCALAR' },
      { bufferView: 2, componentType: 5121, count: arrays[2].length / 4, type: 'VEC4' },
      { bufferView: 3, componentType: 5126, count: arrays[3].length / 4, type: 'VEC4' },
      { bufferView: 4, componentType: 5126, count: 2, type: 'MAT4' },
    ],
    bufferViews: views,
    buffers: [{ byteLength: length }],
    extensionsUsed: ['EXT_of_somebody'],
    extensions: { EXT_of_somebody: { secret: 7 } },
  } as unknown as GltfJson;
  return { json, buffers: [bytes], images: new Map() };
}

/** Puts numbers behind the last buffer, as an accessor of their own. @returns its index */
export function putNumbers(
  { json, buffers }: GltfContainer,
  numbers: readonly number[],
  type: string,
  size: number,
): number {
  const bytes = new Uint8Array(Float32Array.from(numbers).buffer);
  const held = buffers[0];
  const from = Math.ceil(held.length / 4) * 4;
  const all = new Uint8Array(from + bytes.length);
  all.set(held);
  all.set(bytes, from);
  (buffers as Uint8Array[])[0] = all;
  (json.buffers ?? [])[0].byteLength = all.length;
  (json.bufferViews ??= []).push({ buffer: 0, byteOffset: from, byteLength: bytes.length });
  const bound = (of: typeof Math.min): number[] =>
    Array.from({ length: size }, (_, k) => of(...numbers.filter((_x, i) => i % size === k)));
  (json.accessors ??= []).push({
    ...{ bufferView: json.bufferViews.length - 1, componentType: 5126, type },
    ...{ count: numbers.length / size, min: bound(Math.min), max: bound(Math.max) },
  });
  return json.accessors.length - 1;
}
