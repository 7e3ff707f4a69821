import type { GltfAccessor, GltfBufferView } from '../gltf/gltfJson.ts';

const COMPONENT = new Map<unknown, number>([
  [Float32Array, 5126],
  [Uint32Array, 5125],
  [Uint16Array, 5123],
  [Uint8Array, 5121],
]);
const SIZE = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4, MAT4: 16 } as const;

/** Arrays of a new glTF file, one behind another. */
export class Binary {
  readonly accessors: GltfAccessor[] = [];
  readonly views: GltfBufferView[] = [];
  readonly #pieces: Uint8Array[] = [];
  length = 0;

  /** @param more of the accessor: `min` and `max`, `normalized`. @returns its index */
  add(
    array: Float32Array | Uint32Array | Uint16Array | Uint8Array,
    type: keyof typeof SIZE,
    more: Partial<GltfAccessor> = {},
  ): number {
    const bufferView = this.addView(new Uint8Array(array.buffer, array.byteOffset, array.byteLength));
    const componentType = COMPONENT.get(array.constructor) ?? 0;
    const count = array.length / SIZE[type];
    return this.accessors.push({ bufferView, componentType, count, type, ...more }) - 1;
  }

  addView(bytes: Uint8Array): number {
    const byteOffset = this.length;
    this.#pieces.push(bytes);
    this.length += (bytes.length + 3) & ~3;
    return this.views.push({ buffer: 0, byteOffset, byteLength: bytes.length }) - 1;
  }

  bytes(): Uint8Array {
    const all = new Uint8Array(this.length);
    this.views.forEach(({ byteOffset = 0 }, i) => {
      all.set(this.#pieces[i], byteOffset);
    });
    return all;
  }
}

/** What the format wants to know of positions. */
export function rangeOf(positions: Float32Array): { min: number[]; max: number[] } {
  const min = [Infinity, Infinity, Infinity];
  const max = [-Infinity, -Infinity, -Infinity];
  for (let k = 0; k < positions.length; k++) {
    min[k % 3] = Math.min(min[k % 3], positions[k]);
    max[k % 3] = Math.max(max[k % 3], positions[k]);
  }
  return { min, max };
}

/** Normals of what lies in the page. */
export function towardViewer(count: number): Float32Array {
  const normals = new Float32Array(count * 3);
  for (let p = 0; p < count; p++) normals[p * 3 + 2] = 1;
  return normals;
}

/** A colour written as `#rrggbb`, as linear light with an opacity. */
export function linearColour(hex: string, opacity: number): [number, number, number, number] {
  const linear = (at: number): number => {
    const value = Number.parseInt(hex.slice(at, at + 2), 16) / 255;
    return value <= 0.04045 ? value / 12.92 : ((value + 0.055) / 1.055) ** 2.4;
  };
  return [linear(1), linear(3), linear(5), opacity];
}
