import { CoreError } from '@judoka/core/errors';

/**
 * A frame carries a JSON header and any number of byte blobs. Little-endian:
 *
 *   u32 magic "JDF1" · u32 length of the JSON · the JSON (UTF-8), padded with spaces to a multiple of 4
 *   u32 number of blobs · u32 length of each · the blobs, each padded with zeros to a multiple of 4
 */
const MAGIC = 0x3146444a;
/** More blobs than any frame has. */
const MAX_BLOBS = 4096;

export interface Frame {
  readonly header: unknown;
  readonly blobs: readonly Uint8Array[];
}

const padded = (length: number): number => (length + 3) & ~3;

export function packFrame(header: unknown, blobs: readonly Uint8Array[]): Uint8Array<ArrayBuffer> {
  const json = new TextEncoder().encode(JSON.stringify(header));
  const jsonLength = padded(json.length);
  const size = 12 + jsonLength + 4 * blobs.length + blobs.reduce((sum, blob) => sum + padded(blob.length), 0);
  const bytes = new Uint8Array(size);
  const view = new DataView(bytes.buffer);
  view.setUint32(0, MAGIC, true);
  view.setUint32(4, jsonLength, true);
  bytes.fill(0x20, 8, 8 + jsonLength);
  bytes.set(json, 8);
  let at = 8 + jsonLength;
  view.setUint32(at, blobs.length, true);
  at += 4;
  for (const blob of blobs) {
    view.setUint32(at, blob.length, true);
    at += 4;
  }
  for (const blob of blobs) {
    bytes.set(blob, at);
    at += padded(blob.length);
  }
  return bytes;
}

/**
 * Blobs are views into `bytes`, aligned to four if `bytes` is.
 * @throws CoreError delta-invalid if the bytes are no frame
 */
export function unpackFrame(bytes: Uint8Array): Frame {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const need = (end: number): void => {
    if (end > bytes.length) throw invalid(`it breaks off at ${bytes.length} of ${end} bytes`);
  };
  need(12);
  if (view.getUint32(0, true) !== MAGIC) throw invalid('it does not begin as a frame does');
  const jsonLength = view.getUint32(4, true);
  need(12 + jsonLength);
  let header: unknown;
  try {
    header = JSON.parse(new TextDecoder().decode(bytes.subarray(8, 8 + jsonLength)));
  } catch {
    throw invalid('its header is not JSON');
  }
  let at = 8 + jsonLength;
  const count = view.getUint32(at, true);
  at += 4;
  if (count > MAX_BLOBS) throw invalid(`it has ${count} blobs; ${MAX_BLOBS} are the most`);
  need(at + count * 4);
  const lengths = Array.from({ length: count }, (_, i) => view.getUint32(at + i * 4, true));
  at += count * 4;
  const blobs = lengths.map((length) => {
    need(at + length);
    const blob = bytes.subarray(at, at + length);
    at += padded(length);
    return blob;
  });
  return { header, blobs };
}

function invalid(why: string): CoreError {
  return new CoreError('delta-invalid', `The data sent is damaged: ${why}.`);
}
