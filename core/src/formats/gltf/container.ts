import { checkShape } from './checkShape.ts';
import { CoreError } from '../../errors.ts';
import type { GltfJson } from './gltfJson.ts';
import { decodeText, encodeText } from '../text.ts';

/**
 * A glTF file taken apart: its JSON as it came, and the bytes of each buffer (glTF 2.0 specification, section 3.6 and
 * chapter 4). `images` holds files that images name by uri, so that a `.gltf` can be packed into a `.glb`.
 */
export interface GltfContainer {
  readonly json: GltfJson;
  readonly buffers: readonly Uint8Array[];
  readonly images: ReadonlyMap<string, Uint8Array>;
}

const MAGIC = 0x46546c67;
const CHUNK_JSON = 0x4e4f534a;
const CHUNK_BIN = 0x004e4942;

/** Largest file taken, in bytes. */
export const MAX_FILE_BYTES = 256 * 1024 * 1024;

/**
 * Takes a `.glb` apart. Buffers are views into `bytes`, not copies.
 * @throws CoreError file-empty, file-too-large, file-not-gltf, file-version, file-truncated, file-invalid
 */
export function openGlb(bytes: Uint8Array): GltfContainer {
  if (bytes.length === 0) throw new CoreError('file-empty', 'The file is empty.');
  if (bytes.length > MAX_FILE_BYTES) {
    const size = Math.ceil(bytes.length / 1024 / 1024);
    throw new CoreError('file-too-large', `The file has ${size} MB; at most 256 MB can be taken.`, {
      megabytes: size,
    });
  }
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length < 4 || view.getUint32(0, true) !== MAGIC) {
    throw new CoreError(
      'file-not-gltf',
      'This is none of the files that can be read here: a .glb, .gltf, .dae, .obj, .svg, or a zip of one.',
    );
  }
  if (bytes.length < 20) throw truncated(bytes.length, 20);
  const version = view.getUint32(4, true);
  if (version !== 2) {
    throw new CoreError('file-version', `The file is binary glTF version ${version}; version 2 is needed.`, {
      version,
    });
  }
  const total = view.getUint32(8, true);
  if (total > bytes.length) throw truncated(bytes.length, total);
  let json: GltfJson | undefined;
  let binary: Uint8Array | undefined;
  for (let at = 12; at + 8 <= total;) {
    const length = view.getUint32(at, true);
    const type = view.getUint32(at + 4, true);
    if (at + 8 + length > total) throw truncated(bytes.length, at + 8 + length);
    const chunk = bytes.subarray(at + 8, at + 8 + length);
    if (type === CHUNK_JSON && !json) json = parseJson(chunk);
    else if (type === CHUNK_BIN && !binary) binary = chunk;
    at += 8 + length;
  }
  if (!json) throw new CoreError('file-invalid', 'The .glb has no JSON chunk.');
  const buffers = (json.buffers ?? []).map((buffer, index) => {
    if (typeof buffer.uri === 'string') return dataUri(buffer.uri, `buffers[${index}]`);
    return binary ?? new Uint8Array(0);
  });
  return checkBuffers({ json, buffers, images: new Map() });
}

/**
 * Takes a `.gltf` apart, with the files that it names.
 * @param fetchFile gives the bytes of a relative uri, or undefined where there is no such file
 */
export function openGltf(
  bytes: Uint8Array,
  fetchFile: (uri: string) => Uint8Array | undefined,
): GltfContainer {
  if (bytes.length === 0) throw new CoreError('file-empty', 'The file is empty.');
  const json = parseJson(bytes);
  const need = (uri: string, where: string): Uint8Array => {
    if (uri.startsWith('data:')) return dataUri(uri, where);
    const found = fetchFile(decodedUri(uri));
    if (!found)
      throw new CoreError('file-invalid', `The file names “${uri}” (${where}), which is not beside it.`, {
        where,
      });
    return found;
  };
  const buffers = (json.buffers ?? []).map((buffer, index) => {
    if (typeof buffer.uri !== 'string') {
      throw new CoreError('file-invalid', `buffers[${index}] of the .gltf has no uri.`, {
        where: `buffers[${index}]`,
      });
    }
    return need(buffer.uri, `buffers[${index}]`);
  });
  const images = new Map<string, Uint8Array>();
  (json.images ?? []).forEach(({ uri }, index) => {
    if (typeof uri === 'string' && !uri.startsWith('data:')) images.set(uri, need(uri, `images[${index}]`));
  });
  return checkBuffers({ json, buffers, images });
}

/** Writes a container as one `.glb`: all buffers in one, image files packed in; everything else as it is. */
export function writeGlb(container: GltfContainer): Uint8Array {
  const { json, pieces, length } = packed(container);
  const text = encodeText(JSON.stringify(json));
  const jsonLength = (text.length + 3) & ~3;
  const total = 12 + 8 + jsonLength + (length > 0 ? 8 + length : 0);
  const out = new Uint8Array(total);
  const view = new DataView(out.buffer);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, 2, true);
  view.setUint32(8, total, true);
  view.setUint32(12, jsonLength, true);
  view.setUint32(16, CHUNK_JSON, true);
  out.fill(0x20, 20, 20 + jsonLength);
  out.set(text, 20);
  if (length > 0) {
    view.setUint32(20 + jsonLength, length, true);
    view.setUint32(24 + jsonLength, CHUNK_BIN, true);
    putPieces(pieces, out.subarray(28 + jsonLength));
  }
  return out;
}

/** Writes a container as a `.gltf` text and its one binary file. */
export function writeGltf(
  container: GltfContainer,
  binaryName: string,
): { text: string; binary: Uint8Array } {
  const { json, pieces, length } = packed(container);
  const binary = new Uint8Array(length);
  putPieces(pieces, binary);
  if (json.buffers?.[0]) json.buffers[0].uri = encodeURIComponent(binaryName);
  return { text: JSON.stringify(json, null, 2), binary };
}

/** Pieces end to end, each on a multiple of four. */
function putPieces(pieces: readonly Uint8Array[], out: Uint8Array): void {
  let at = 0;
  for (const piece of pieces) {
    out.set(piece, at);
    at += (piece.length + 3) & ~3;
  }
}

/** The JSON for one buffer of so many bytes, and the pieces of it: see {@link putPieces}. */
function packed(container: GltfContainer): { json: GltfJson; pieces: Uint8Array[]; length: number } {
  const json = JSON.parse(JSON.stringify(container.json)) as GltfJson;
  // 1. All buffers end to end, each on a multiple of four.
  const starts: number[] = [];
  const pieces: Uint8Array[] = [];
  let length = 0;
  const add = (bytes: Uint8Array): number => {
    const start = length;
    pieces.push(bytes);
    length += (bytes.length + 3) & ~3;
    return start;
  };
  container.buffers.forEach((bytes, index) => {
    starts[index] = isFallbackBuffer(container.json, index) ? 0 : add(bytes);
  });
  for (const view of json.bufferViews ?? []) moveBufferView(container.json, view, starts);
  // 2. Image files become buffer views.
  for (const image of json.images ?? []) {
    const bytes = image.uri === undefined ? undefined : container.images.get(image.uri);
    if (!bytes) continue;
    json.bufferViews = [
      ...(json.bufferViews ?? []),
      { buffer: 0, byteOffset: add(bytes), byteLength: bytes.length },
    ];
    image.mimeType ??= /\.jpe?g$/i.test(image.uri ?? '') ? 'image/jpeg' : 'image/png';
    image.bufferView = json.bufferViews.length - 1;
    delete image.uri;
  }
  // 3. One buffer, and behind it those that only stand in for compressed data.
  const fallbacks = (json.buffers ?? []).filter((_, index) => isFallbackBuffer(container.json, index));
  const source = json.buffers?.find((buffer) => !buffer.extensions);
  const first: NonNullable<GltfJson['buffers']>[number] = { ...source, byteLength: length };
  delete first.uri;
  json.buffers = length > 0 || fallbacks.length > 0 ? [first, ...fallbacks] : undefined;
  if (!json.buffers) delete json.buffers;
  return { json, pieces, length };
}

/** EXT_meshopt_compression lets a buffer stand in, without bytes, for what its views decompress to. */
function isFallbackBuffer(json: GltfJson, index: number): boolean {
  const extensions = json.buffers?.[index]?.extensions as
    Record<string, { fallback?: boolean } | undefined> | undefined;
  return Boolean(
    extensions?.EXT_meshopt_compression?.fallback ?? extensions?.KHR_meshopt_compression?.fallback,
  );
}

type BufferRange = { buffer: number; byteOffset?: number };

function moveBufferView(
  json: GltfJson,
  view: BufferRange & { extensions?: unknown },
  starts: readonly number[],
): void {
  const move = (range: BufferRange): void => {
    if (isFallbackBuffer(json, range.buffer)) {
      const earlier = (json.buffers ?? [])
        .slice(0, range.buffer)
        .filter((_, i) => isFallbackBuffer(json, i)).length;
      range.buffer = 1 + earlier;
      return;
    }
    range.byteOffset = (range.byteOffset ?? 0) + starts[range.buffer];
    range.buffer = 0;
  };
  move(view);
  const extensions = (view.extensions ?? {}) as Record<string, BufferRange | undefined>;
  for (const name of ['EXT_meshopt_compression', 'KHR_meshopt_compression']) {
    const range = extensions[name];
    if (range) move(range);
  }
}

function checkBuffers(container: GltfContainer): GltfContainer {
  (container.json.buffers ?? []).forEach((buffer, index) => {
    const held = container.buffers[index].length;
    if (isFallbackBuffer(container.json, index) || !(buffer.byteLength > held)) return;
    const where = `buffers[${index}]`;
    throw new CoreError(
      'file-truncated',
      `${where} should have ${buffer.byteLength} bytes, but only ${held} are there.`,
      {
        where,
      },
    );
  });
  return container;
}

function truncated(has: number, needs: number): CoreError {
  return new CoreError(
    'file-truncated',
    `The file breaks off: it has ${has} bytes, and ${needs} are announced.`,
    {
      has,
      needs,
    },
  );
}

function parseJson(bytes: Uint8Array): GltfJson {
  let value: unknown;
  try {
    value = JSON.parse(decodeText(bytes));
  } catch {
    throw new CoreError('file-invalid', 'The glTF JSON cannot be parsed; the file is damaged or not glTF.', {
      where: 'JSON',
    });
  }
  if (typeof value !== 'object' || value === null || Array.isArray(value)) {
    throw new CoreError('file-invalid', 'The glTF JSON is not an object.', { where: 'JSON' });
  }
  const json = value as GltfJson;
  checkShape(json);
  return json;
}

function decodedUri(uri: string): string {
  try {
    return decodeURIComponent(uri);
  } catch {
    return uri;
  }
}

function dataUri(uri: string, where: string): Uint8Array {
  const match = /^data:[^,]*?(;base64)?,/.exec(uri);
  if (!match)
    throw new CoreError('file-unsupported', `${where} points outside the file; pack it into the .glb.`, {
      where,
    });
  const body = uri.slice(match[0].length);
  try {
    const text = match[1] ? atob(body) : decodeURIComponent(body);
    return Uint8Array.from(text, (letter) => letter.charCodeAt(0));
  } catch {
    throw new CoreError('file-invalid', `The data URI of ${where} is not valid.`, { where });
  }
}

// It stands in every page, worker and Node, but its type comes with the DOM's, which core does without.
declare function atob(text: string): string;
