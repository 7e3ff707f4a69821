import { CoreError } from '../errors.ts';
import { rowsEqual } from '../weights/delta.ts';
import { influenceCount, type WeightRows } from '../weights/rows.ts';
import type { Character, CharacterPart } from './character.ts';
import type { GltfContainer } from './container.ts';
import type { GltfAccessor, GltfJson, GltfPrimitive } from './gltfJson.ts';

const FLOAT = 5126;
const UNSIGNED_BYTE = 5121;
const UNSIGNED_SHORT = 5123;

/**
 * The source file with its weights replaced, everything else as it came.
 *
 * Only primitives with a changed row are touched, and in them only the vertices of changed points; a vertex that still
 * says what the file said keeps the file's own numbers. Where the file's own accessor can hold the result (plain f32
 * weights), its bytes are overwritten; else a new accessor is added behind the last buffer. The format knows no vertex
 * without weight: unweighted ones are written on the skin's uppermost joint.
 *
 * @param container the source, as it was read for `character`; not changed
 * @param rows      the weights to write, one a part
 * @param leave     by part, 1 for vertices that keep the file's own numbers though they were put right when read
 */
export function exportCharacter(
  container: GltfContainer,
  character: Character,
  rows: readonly WeightRows[],
  leave: readonly (Uint8Array | undefined)[] = [],
): GltfContainer {
  const json = JSON.parse(JSON.stringify(container.json)) as GltfJson;
  const writer = new BufferWriter(json, container);
  character.parts.forEach((part, index) => {
    if (part.role !== 'skinned') return;
    const changed = changedVertices(character, index, rows[index], leave[index]);
    if (changed.includes(1)) writePart(writer, json, part, character, rows[index], changed);
  });
  return { json, buffers: writer.finish(), images: container.images };
}

/** 1 for each vertex whose row differs from what the file says, and for each that has no weight. */
function changedVertices(
  character: Character,
  index: number,
  rows: WeightRows,
  leave: Uint8Array | undefined,
): Uint8Array {
  const part = character.parts[index];
  const { asCame } = character.sourceWeights[index];
  const changed = new Uint8Array(part.vertexCount);
  for (let v = 0; v < part.vertexCount; v++) {
    const point = part.vertexPoint[v];
    const own = rowsEqual(rows, point, character.rows[index], point);
    const left = own && leave?.[v] === 1;
    changed[v] = left || (own && asCame[v] && rows.values[point * rows.stride] > 0) ? 0 : 1;
  }
  return changed;
}

function writePart(
  writer: BufferWriter,
  json: GltfJson,
  part: CharacterPart,
  character: Character,
  rows: WeightRows,
  changed: Uint8Array,
): void {
  const primitive = (json.meshes ?? [])[part.source.mesh].primitives[part.source.primitive];
  const slotOfJoint = slotsFor(writer, json, part, character, rows);
  let most = 0;
  for (let p = 0; p < part.pointCount; p++) most = Math.max(most, influenceCount(rows, p));
  let sets = Math.max(1, Math.ceil(most / 4));
  while (primitive.attributes[`WEIGHTS_${sets}`] !== undefined) sets++;
  const jointType = slotOfJoint.size > 256 ? UNSIGNED_SHORT : UNSIGNED_BYTE;
  // Slots are sorted anew where weights are written; a vertex must not get one half of that.
  if (!writer.canOverwriteAll(primitive, sets, jointType)) changed.fill(1);
  const uppermost = slotOfJoint.get(Math.min(...part.source.jointOfSlot)) as number;
  for (let set = 0; set < sets; set++) {
    const joints =
      jointType === UNSIGNED_BYTE
        ? new Uint8Array(part.vertexCount * 4)
        : new Uint16Array(part.vertexCount * 4);
    const weights = new Float32Array(part.vertexCount * 4);
    for (let v = 0; v < part.vertexCount; v++) {
      const row = part.vertexPoint[v] * rows.stride;
      if (set === 0 && rows.values[row] === 0) {
        weights[v * 4] = 1;
        joints[v * 4] = uppermost;
      }
      for (let k = 0; k < 4 && set * 4 + k < rows.stride; k++) {
        const weight = rows.values[row + set * 4 + k];
        if (weight === 0) break;
        weights[v * 4 + k] = weight;
        joints[v * 4 + k] = slotOfJoint.get(rows.joints[row + set * 4 + k]) as number;
      }
    }
    writer.putAttribute(primitive, `JOINTS_${set}`, joints, jointType, changed);
    writer.putAttribute(primitive, `WEIGHTS_${set}`, weights, FLOAT, changed);
  }
}

/** Skeleton joint → slot of the part's skin; joints that the skin lacks are added to it with their bind matrices. */
function slotsFor(
  writer: BufferWriter,
  json: GltfJson,
  part: CharacterPart,
  character: Character,
  rows: WeightRows,
): Map<number, number> {
  const skin = (json.skins ?? [])[part.source.skin];
  const slots = new Map<number, number>();
  part.source.jointOfSlot.forEach((joint, slot) => {
    if (!slots.has(joint)) slots.set(joint, slot);
  });
  const missing = new Set<number>();
  for (let i = 0; i < rows.values.length; i++)
    if (rows.values[i] > 0 && !slots.has(rows.joints[i])) missing.add(rows.joints[i]);
  if (missing.size === 0) return slots;
  const known = part.source.jointOfSlot;
  const matrices = new Float32Array((skin.joints.length + missing.size) * 16);
  // Another part of the same skin may have added joints before this one.
  skin.joints.forEach((node, slot) => {
    const joint = character.skeleton.joints.findIndex((j) => j.node === node);
    if (slot >= known.length) slots.set(joint, slot);
    matrices.set(part.inverseBinds.subarray(joint * 16, joint * 16 + 16), slot * 16);
  });
  for (const joint of missing) {
    if (slots.has(joint)) continue;
    slots.set(joint, skin.joints.length);
    matrices.set(part.inverseBinds.subarray(joint * 16, joint * 16 + 16), skin.joints.length * 16);
    skin.joints.push(character.skeleton.joints[joint].node);
  }
  skin.inverseBindMatrices = writer.append(
    matrices.subarray(0, skin.joints.length * 16),
    FLOAT,
    'MAT4',
    skin.joints.length,
  );
  return slots;
}

type NumberArray = Float32Array | Uint16Array | Uint8Array;

/** Writes into copies of the file's buffers, made when first needed. */
class BufferWriter {
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

  append(numbers: NumberArray, componentType: number, type: string, count: number, target?: number): number {
    const bytes = new Uint8Array(numbers.buffer, numbers.byteOffset, numbers.byteLength).slice();
    const views = (this.#json.bufferViews ??= []);
    const accessors = (this.#json.accessors ??= []);
    views.push({
      buffer: 0,
      byteOffset: this.#addedBytes,
      byteLength: bytes.length,
      ...(target ? { target } : {}),
    });
    this.#addedBytes += (bytes.length + 3) & ~3;
    this.#added.push(bytes);
    accessors.push({ bufferView: views.length - 1, componentType, count, type });
    this.#pending.push(views.length - 1);
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
    const data = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    const size = { [FLOAT]: 4, [UNSIGNED_SHORT]: 2, [UNSIGNED_BYTE]: 1 }[accessor.componentType];
    if (!size)
      throw new CoreError('file-unsupported', 'An accessor of weights has a type that cannot be written.');
    const start = (view.byteOffset ?? 0) + (accessor.byteOffset ?? 0);
    const stride = view.byteStride ?? size * 4;
    for (let v = 0; v < changed.length; v++) {
      if (!changed[v]) continue;
      for (let k = 0; k < 4; k++) {
        const at = start + v * stride + k * size;
        const value = numbers[v * 4 + k];
        if (size === 4) data.setFloat32(at, value, true);
        else if (size === 2) data.setUint16(at, value, true);
        else data.setUint8(at, value);
      }
    }
    delete accessor.min;
    delete accessor.max;
  }
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
