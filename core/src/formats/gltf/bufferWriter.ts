import { CoreError } from '../../errors.ts';
import type { GltfContainer } from './container.ts';
import {
  COMPONENT_BYTES,
  TYPE_SIZE,
  type GltfAccessor,
  type GltfJson,
  type GltfPrimitive,
} from './gltfJson.ts';

export const FLOAT = 5126;
export const UNSIGNED_BYTE = 5121;
export const UNSIGNED_SHORT = 5123;
export const UNSIGNED_INT = 5125;

type NumberArray = Float32Array | Uint32Array | Uint16Array | Uint8Array;

/** Writes into copies of the file's buffers, made when first needed. */
export class BufferWriter {
  readonly #json: GltfJson;
  readonly #buffers: Uint8Array[];
  readonly #owned = new Set<number>();
  readonly #users: Uint32Array;
  readonly #added: Uint8Array[] = [];
  #addedBytes = 0;

  constructor(json: GltfJson, container: GltfContainer) {
    this.#json = json;
    this.#buffers = [...container.buffers];
    this.#users = countUsers(json);
  }

  /** Whether all of a primitive's sets can be written where they are. */
  canOverwriteAll(primitive: GltfPrimitive, sets: number, jointType: number): boolean {
    for (let set = 0; set < sets; set++) {
      if (!this.#canOverwrite(primitive.attributes[`JOINTS_${set}`], jointType)) return false;
      if (!this.#canOverwrite(primitive.attributes[`WEIGHTS_${set}`], FLOAT)) return false;
    }
    return true;
  }

  /** Gives a primitive's attribute these numbers, in place if its accessor allows, else through a new accessor. */
  putAttribute(
    primitive: GltfPrimitive,
    name: string,
    numbers: NumberArray,
    type: number,
    changed: Uint8Array,
  ): void {
    const index = primitive.attributes[name];
    if (this.#canOverwrite(index, type)) {
      this.#overwrite((this.#json.accessors ?? [])[index], numbers, changed);
      return;
    }
    primitive.attributes[name] = this.append(numbers, type, 'VEC4', numbers.length / 4, 34962);
    // A Draco stream still holds the old numbers; the primitive no longer points at them.
    delete primitive.extensions?.KHR_draco_mesh_compression?.attributes?.[name];
  }

  /** The numbers of a plain f32 accessor; undefined where they are kept in another way. */
  readFloats(index: number): Float32Array | undefined {
    const accessor = this.#json.accessors?.[index];
    if (!accessor || accessor.componentType !== FLOAT || accessor.sparse || accessor.bufferView === undefined)
      return undefined;
    const view = (this.#json.bufferViews ?? [])[accessor.bufferView];
    if (view.extensions) return undefined;
    const bytes = this.#buffers[view.buffer];
    const data = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    const size = TYPE_SIZE[accessor.type];
    const stride = view.byteStride ?? size * COMPONENT_BYTES[FLOAT];
    const start = (view.byteOffset ?? 0) + (accessor.byteOffset ?? 0);
    return Float32Array.from({ length: accessor.count * size }, (_, i) =>
      data.getFloat32(start + Math.floor(i / size) * stride + (i % size) * 4, true),
    );
  }

  append(numbers: NumberArray, componentType: number, type: string, count: number, target?: number): number {
    const accessors = (this.#json.accessors ??= []);
    accessors.push({ bufferView: this.#appendView(numbers, target), componentType, count, type });
    return accessors.length - 1;
  }

  /** Says more of an accessor. */
  describe(index: number, more: Pick<GltfAccessor, 'min' | 'max'>): void {
    Object.assign((this.#json.accessors ?? [])[index], more);
  }

  #appendView(numbers: NumberArray, target?: number): number {
    const bytes = new Uint8Array(numbers.buffer, numbers.byteOffset, numbers.byteLength).slice();
    const views = (this.#json.bufferViews ??= []);
    views.push({
      buffer: 0,
      byteOffset: this.#addedBytes,
      byteLength: bytes.length,
      ...(target ? { target } : {}),
    });
    this.#addedBytes += (bytes.length + 3) & ~3;
    this.#added.push(bytes);
    this.#pending.push(views.length - 1);
    return views.length - 1;
  }

  /** An accessor that is zero but at some elements (glTF 2.0 specification, 3.6.2.3). @param indices rising */
  appendSparse(
    accessor: Pick<GltfAccessor, 'count' | 'componentType' | 'type' | 'min' | 'max'>,
    indices: Uint32Array,
    indexType: number,
    values: NumberArray,
  ): number {
    const accessors = (this.#json.accessors ??= []);
    accessors.push(
      indices.length === 0
        ? { ...accessor }
        : {
            ...accessor,
            sparse: {
              count: indices.length,
              indices: { bufferView: this.#appendView(indices), componentType: indexType },
              values: { bufferView: this.#appendView(values) },
            },
          },
    );
    return accessors.length - 1;
  }

  readonly #pending: number[] = [];

  finish(): Uint8Array[] {
    if (this.#added.length === 0) return this.#buffers;
    const bytes = new Uint8Array(this.#addedBytes);
    let at = 0;
    for (const piece of this.#added) {
      bytes.set(piece, at);
      at += (piece.length + 3) & ~3;
    }
    const buffers = (this.#json.buffers ??= []);
    buffers.push({ byteLength: bytes.length });
    for (const view of this.#pending) (this.#json.bufferViews ?? [])[view].buffer = buffers.length - 1;
    return [...this.#buffers, bytes];
  }

  #canOverwrite(index: number | undefined, type: number): boolean {
    const accessor = index === undefined ? undefined : this.#json.accessors?.[index];
    if (!accessor || this.#users[index as number] !== 1 || accessor.type !== 'VEC4') return false;
    if (accessor.bufferView === undefined || accessor.sparse) return false;
    if (this.#json.bufferViews?.[accessor.bufferView].extensions) return false;
    if (type === FLOAT) return accessor.componentType === FLOAT;
    return accessor.componentType === UNSIGNED_SHORT || accessor.componentType === type;
  }

  #overwrite(accessor: GltfAccessor, numbers: NumberArray, changed: Uint8Array): void {
    const view = (this.#json.bufferViews ?? [])[accessor.bufferView as number];
    if (!this.#owned.has(view.buffer)) {
      this.#buffers[view.buffer] = this.#buffers[view.buffer].slice();
      this.#owned.add(view.buffer);
    }
    const bytes = this.#buffers[view.buffer];
    const size = { [FLOAT]: 4, [UNSIGNED_SHORT]: 2, [UNSIGNED_BYTE]: 1 }[accessor.componentType];
    if (!size)
      throw new CoreError('file-unsupported', 'An accessor of weights has a type that cannot be written.');
    const start = (view.byteOffset ?? 0) + (accessor.byteOffset ?? 0);
    const stride = view.byteStride ?? size * 4;
    const held = heldNumbers(numbers, size);
    const isAligned = (bytes.byteOffset + start) % size === 0 && stride % size === 0;
    const whole = isAligned ? size : 1;
    const from = wholeNumbers(held, 0, whole);
    const to = wholeNumbers(bytes, start, whole);
    copyChanged(from, to, { width: (size * 4) / whole, stride: stride / whole }, changed);
    delete accessor.min;
    delete accessor.max;
  }
}

/** What stands from a byte on, as numbers of so many bytes. */
function wholeNumbers(
  held: NumberArray,
  start: number,
  size: number,
): Uint32Array | Uint16Array | Uint8Array {
  const from = held.byteOffset + start;
  const count = Math.floor((held.byteLength - start) / size);
  if (size === 4) return new Uint32Array(held.buffer, from, count);
  return size === 2 ? new Uint16Array(held.buffer, from, count) : new Uint8Array(held.buffer, from, count);
}

/** Copies `width` numbers of each changed vertex to where it stands, `stride` apart. */
function copyChanged(
  from: NumberArray,
  to: NumberArray,
  { width, stride }: { width: number; stride: number },
  changed: Uint8Array,
): void {
  for (let v = 0; v < changed.length; v++) {
    if (changed[v] === 0) continue;
    for (let i = v * width, at = v * stride, end = i + width; i < end; i++, at++) to[at] = from[i];
  }
}

/** Numbers as an accessor with components of so many bytes holds them. */
function heldNumbers(numbers: NumberArray, size: number): NumberArray {
  if (numbers.BYTES_PER_ELEMENT === size) return numbers;
  return size === 4
    ? Float32Array.from(numbers)
    : size === 2
      ? Uint16Array.from(numbers)
      : Uint8Array.from(numbers);
}

/** How often each accessor is used by primitives and skins. */
function countUsers(json: GltfJson): Uint32Array {
  const users = new Uint32Array(json.accessors?.length ?? 0);
  for (const mesh of json.meshes ?? []) {
    for (const primitive of mesh.primitives)
      for (const index of Object.values(primitive.attributes)) users[index]++;
  }
  return users;
}
