import type { Document } from '@gltf-transform/core';
import { arrayOf } from '../accessorArray.ts';
import type { GltfContainer } from '../container.ts';
import type { GltfAccessor, GltfJson } from '../gltfJson.ts';
import { NewBuffer } from './NewBuffer.ts';

const COMPONENT = new Map<unknown, number>([
  [Float32Array, 5126],
  [Uint32Array, 5125],
  [Uint16Array, 5123],
  [Uint8Array, 5121],
  [Int16Array, 5122],
  [Int8Array, 5120],
]);
const SIZE: Readonly<Record<string, number>> = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4, MAT4: 16 };

export type Numbers = Float32Array | Uint32Array | Uint16Array | Uint8Array | Int16Array | Int8Array;

/** A file that is changed: its JSON, its numbers decoded, and new ones behind the last buffer. */
export class GltfEdit {
  readonly json: GltfJson;
  readonly #source: GltfContainer;
  readonly #document: Document;
  readonly #added = new NewBuffer();

  /** @param document of the container, see decodeGltf */
  constructor(container: GltfContainer, document: Document) {
    this.json = JSON.parse(JSON.stringify(container.json)) as GltfJson;
    this.#source = container;
    this.#document = document;
  }

  /** The numbers of an accessor of the file as it came, decoded but as they are kept: whole numbers stay whole. */
  numbers(index: number): Numbers {
    const accessor = this.#document.getRoot().listAccessors()[index];
    const size = accessor.getElementSize();
    return arrayOf(accessor) ?? new Float32Array(accessor.getCount() * size);
  }

  /** Adds numbers. @returns the accessor's index */
  add(numbers: Numbers, like: Pick<GltfAccessor, 'type'> & Partial<GltfAccessor>): number {
    const { type, normalized } = like;
    const size = SIZE[type];
    const bytesEach = numbers.BYTES_PER_ELEMENT * size;
    // Attributes stand on multiples of four (glTF 2.0 specification, section 3.6.2.4).
    const stride = type === 'SCALAR' ? bytesEach : (bytesEach + 3) & ~3;
    const count = numbers.length / size;
    const bytes = new Uint8Array(stride * count);
    const tight = new Uint8Array(numbers.buffer, numbers.byteOffset, numbers.byteLength);
    for (let i = 0; i < count; i++) bytes.set(tight.subarray(i * bytesEach, (i + 1) * bytesEach), i * stride);
    const views = (this.json.bufferViews ??= []);
    const accessors = (this.json.accessors ??= []);
    views.push({
      ...{
        buffer: this.#source.buffers.length,
        byteOffset: this.#added.add(bytes),
        byteLength: bytes.length,
      },
      ...(stride !== bytesEach && { byteStride: stride }),
    });
    const componentType = COMPONENT.get(numbers.constructor) ?? 5126;
    const range = type === 'VEC3' && like.min ? rangeOf(numbers) : {};
    return (
      accessors.push({
        bufferView: views.length - 1,
        componentType,
        count,
        type,
        ...(normalized && { normalized }),
        ...range,
      }) - 1
    );
  }

  finish(): GltfContainer {
    const { buffers, images } = this.#source;
    if (this.#added.length === 0) return { json: this.json, buffers, images };
    (this.json.buffers ??= []).push({ byteLength: this.#added.length });
    return { json: this.json, buffers: [...buffers, this.#added.all()], images };
  }
}

function rangeOf(numbers: Numbers): { min: number[]; max: number[] } {
  const [min, max] = [
    [Infinity, Infinity, Infinity],
    [-Infinity, -Infinity, -Infinity],
  ];
  for (let i = 0; i < numbers.length; i++) {
    min[i % 3] = Math.min(min[i % 3], numbers[i]);
    max[i % 3] = Math.max(max[i % 3], numbers[i]);
  }
  return { min, max };
}
