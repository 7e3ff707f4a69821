import type { GltfContainer } from '../container.ts';
import {
  COMPONENT_BYTES,
  TYPE_SIZE,
  type GltfAccessor,
  type GltfBufferView,
  type GltfJson,
} from '../gltfJson.ts';
import { NewBuffer } from './NewBuffer.ts';

/** Extensions whose numbers of accessors and views are known; with others in it a file stays as it is. */
const KNOWN = /^(KHR_(materials|texture|lights|mesh_quantization)|EXT_(texture|mesh_gpu_instancing))/;

/**
 * A file without the numbers and bytes that nothing uses any more: each accessor gets a view of its own, all in one buffer. A
 * file with packed numbers, or with extensions that may name accessors in ways of their own, stays as it is.
 */
export function dropUnused(container: GltfContainer): GltfContainer {
  const json = JSON.parse(JSON.stringify(container.json)) as GltfJson;
  const isKnown = (json.extensionsUsed ?? []).every((name) => KNOWN.test(name));
  const isPacked = (json.bufferViews ?? []).some(({ extensions }) => extensions !== undefined);
  // Our drawings name views of their own there.
  if (!isKnown || isPacked || namesViews(json.extras)) return container;
  keepAccessors(json);
  const bytes = new NewBuffer();
  const views = json.bufferViews ?? [];
  const moved: GltfBufferView[] = [];
  const put = (view: GltfBufferView): number => moved.push({ ...view, buffer: 0 }) - 1;
  const whole = (index: number): number => {
    const { buffer, byteOffset = 0, byteLength } = views[index];
    const from = container.buffers[buffer].subarray(byteOffset, byteOffset + byteLength);
    return put({ ...views[index], byteOffset: bytes.add(from) });
  };
  for (const accessor of json.accessors ?? []) {
    if (accessor.sparse)
      for (const part of [accessor.sparse.indices, accessor.sparse.values])
        part.bufferView = whole(part.bufferView);
    if (accessor.bufferView === undefined) continue;
    const view = views[accessor.bufferView];
    const { elements, stride } = elementsOf(accessor, view, container.buffers[view.buffer]);
    const own: GltfBufferView = { buffer: 0, byteOffset: bytes.add(elements), byteLength: elements.length };
    if (view.target !== undefined) own.target = view.target;
    if (stride !== undefined) own.byteStride = stride;
    accessor.bufferView = put(own);
    delete accessor.byteOffset;
  }
  for (const image of json.images ?? [])
    if (image.bufferView !== undefined) image.bufferView = whole(image.bufferView);
  json.bufferViews = moved;
  json.buffers = [{ byteLength: bytes.length }];
  if (moved.length === 0) {
    delete json.bufferViews;
    delete json.buffers;
  }
  return { json, buffers: moved.length === 0 ? [] : [bytes.all()], images: container.images };
}

/** An accessor's elements, one behind the other, at the stride that the view had if that is needed. */
function elementsOf(
  { type, componentType, count, byteOffset = 0 }: GltfAccessor,
  { byteOffset: viewOffset = 0, byteStride }: GltfBufferView,
  buffer: Uint8Array,
): { elements: Uint8Array; stride?: number } {
  const tight = tightSize(type, componentType);
  const from = viewOffset + byteOffset;
  if (byteStride === undefined || byteStride === tight)
    return { elements: buffer.subarray(from, from + count * tight), stride: byteStride };
  const stride = (tight + 3) & ~3;
  const elements = new Uint8Array(stride * count);
  for (let i = 0; i < count; i++)
    elements.set(buffer.subarray(from + i * byteStride, from + i * byteStride + tight), i * stride);
  return { elements, ...(stride !== tight && { stride }) };
}

/** Bytes of an element; columns of matrices begin on multiples of four (glTF 2.0 specification, section 3.6.2.4). */
function tightSize(type: string, componentType: number): number {
  const each = COMPONENT_BYTES[componentType];
  if (type === 'MAT2' && each === 1) return 8;
  if (type === 'MAT3' && each < 4) return each === 1 ? 12 : 24;
  return TYPE_SIZE[type] * each;
}

function namesViews(extras: unknown): boolean {
  if (typeof extras !== 'object' || extras === null) return false;
  return Object.entries(extras).some(
    ([key, value]) =>
      ((key === 'view' || key === 'source') && typeof value === 'number') || namesViews(value),
  );
}

/** Leaves out accessors that nothing names. */
function keepAccessors(json: GltfJson): void {
  const numbers = new Map<number, number>();
  const keep = (index: number): number => {
    if (!numbers.has(index)) numbers.set(index, numbers.size);
    return numbers.get(index) ?? 0;
  };
  const keepAll = (of: Record<string, number>): void => {
    for (const [name, index] of Object.entries(of)) of[name] = keep(index);
  };
  for (const { primitives } of json.meshes ?? [])
    for (const primitive of primitives) {
      keepAll(primitive.attributes);
      primitive.targets?.forEach(keepAll);
      if (primitive.indices !== undefined) primitive.indices = keep(primitive.indices);
    }
  for (const skin of json.skins ?? [])
    if (skin.inverseBindMatrices !== undefined) skin.inverseBindMatrices = keep(skin.inverseBindMatrices);
  for (const { samplers } of json.animations ?? [])
    for (const sampler of samplers)
      [sampler.input, sampler.output] = [keep(sampler.input), keep(sampler.output)];
  for (const { extensions } of json.nodes ?? []) {
    const instanced = extensions?.EXT_mesh_gpu_instancing as
      { attributes?: Record<string, number> } | undefined;
    if (instanced?.attributes) keepAll(instanced.attributes);
  }
  const all = json.accessors ?? [];
  json.accessors = [...numbers.keys()].map((index) => all[index]);
  if (json.accessors.length === 0) delete json.accessors;
}
