import { MeshoptEncoder } from 'meshoptimizer';
import type { GltfContainer } from '../container.ts';
import type { GltfAccessor, GltfJson } from '../gltfJson.ts';
import { decodeGltf, type Decoders } from '../readCharacter.ts';
import { dropUnused } from './dropUnused.ts';
import { GltfEdit, type Numbers } from './GltfEdit.ts';
import { NewBuffer } from './NewBuffer.ts';

const EXTENSION = 'EXT_meshopt_compression';
/** Bytes an element, at most, that the extension packs. */
const MAX_STRIDE = 256;

type Mode = 'ATTRIBUTES' | 'TRIANGLES' | 'INDICES';

/**
 * A file whose numbers are packed without any loss (glTF extension EXT_meshopt_compression): pictures and everything else stay.
 * Whoever cannot unpack cannot read it. A file whose numbers cannot be told apart, or are packed already, stays as it is.
 */
export async function packBuffers(container: GltfContainer, decoders: Decoders): Promise<GltfContainer> {
  const bare = dropUnused(container);
  if (bare === container || !bare.json.accessors) return container;
  await MeshoptEncoder.ready;
  const edit = new GltfEdit(bare, await decodeGltf(bare, decoders));
  const { json } = edit;
  const views = json.bufferViews ?? [];
  const indices = indexModes(json);
  const bytes = new NewBuffer();
  const packed = new Set<number>();
  let unpackedBytes = 0;
  json.accessors?.forEach((accessor, index) => {
    if (accessor.bufferView === undefined || accessor.sparse || accessor.count === 0) return;
    const numbers = widened(edit.numbers(index), indices.has(index));
    const own = pack(numbers, accessor, indices.get(index) ?? 'ATTRIBUTES');
    if (!own) return;
    if (indices.has(index) && numbers instanceof Uint16Array) accessor.componentType = 5123;
    const { byteLength, byteStride, extension, from } = own;
    const { target } = views[accessor.bufferView];
    views[accessor.bufferView] = {
      ...{ buffer: 1, byteOffset: unpackedBytes, byteLength },
      ...(byteStride !== undefined && { byteStride }),
      ...(target !== undefined && { target }),
      extensions: { [EXTENSION]: { ...extension, buffer: 0, byteOffset: bytes.add(from) } },
    };
    packed.add(accessor.bufferView);
    unpackedBytes += (byteLength + 3) & ~3;
  });
  views.forEach((view, index) => {
    if (packed.has(index)) return;
    const from = view.byteOffset ?? 0;
    view.byteOffset = bytes.add(bare.buffers[0].subarray(from, from + view.byteLength));
  });
  // The second buffer has no bytes: it stands for what the first unpacks to.
  json.buffers = [
    { byteLength: bytes.length },
    { byteLength: unpackedBytes, extensions: { [EXTENSION]: { fallback: true } } },
  ];
  for (const key of ['extensionsUsed', 'extensionsRequired'] as const)
    json[key] = [...new Set([...(json[key] ?? []), EXTENSION])];
  return { json, buffers: [bytes.all(), new Uint8Array(0)], images: bare.images };
}

/** How each accessor of indices is packed: triangles go by what they share. */
function indexModes({ meshes = [], accessors = [] }: GltfJson): Map<number, Mode> {
  const modes = new Map<number, Mode>();
  for (const { primitives } of meshes)
    for (const { indices, mode = 4 } of primitives) {
      if (indices === undefined) continue;
      const isTriangles = mode === 4 && accessors[indices].count % 3 === 0;
      modes.set(indices, isTriangles && modes.get(indices) !== 'INDICES' ? 'TRIANGLES' : 'INDICES');
    }
  return modes;
}

/** Indices have two or four bytes each. */
const widened = (numbers: Numbers, isIndex: boolean): Numbers =>
  isIndex && numbers instanceof Uint8Array ? Uint16Array.from(numbers) : numbers;

function pack(numbers: Numbers, { count }: GltfAccessor, mode: Mode) {
  const tight = numbers.byteLength / count;
  const stride = mode === 'ATTRIBUTES' ? (tight + 3) & ~3 : tight;
  if (stride > MAX_STRIDE) return undefined;
  const source = new Uint8Array(stride * count);
  const held = new Uint8Array(numbers.buffer, numbers.byteOffset, numbers.byteLength);
  for (let i = 0; i < count; i++) source.set(held.subarray(i * tight, (i + 1) * tight), i * stride);
  // Version 0 of the codec is the extension's.
  const from = MeshoptEncoder.encodeGltfBuffer(source, count, stride, mode, 0);
  return {
    byteLength: source.length,
    byteStride: stride === tight || mode !== 'ATTRIBUTES' ? undefined : stride,
    extension: { byteLength: from.length, byteStride: stride, mode, count },
    from,
  };
}
