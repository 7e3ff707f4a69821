import { convertIndexedToRgb, decode } from 'fast-png';
import { Unzlib } from 'fflate';
import type { Picture } from './drawing.ts';

/** A picture's pixels, row by row: red, green, blue and opacity, a byte each. */
export interface PicturePixels {
  readonly width: number;
  readonly height: number;
  readonly data: Uint8Array;
  /** Whether some of it is not solid. */
  readonly isClear: boolean;
}

/** What a picture's pixels are made of; the rest (profiles, texts, animation) is left out, however large it unpacks. */
const CHUNKS = ['IHDR', 'PLTE', 'tRNS', 'IDAT', 'IEND'];
/** Bytes of a pixel at most: four channels of 16 bits. */
const MAX_PIXEL_BYTES = 8;

/** Pixels of a picture, at most: they are all in memory at once. */
export const MAX_PICTURE_PIXELS = 16_000_000;

/** The pixels of a PNG; undefined for another kind, or one that is damaged, or unpacks to more than it says. */
export function picturePixels({ mime, bytes, width, height }: Picture): PicturePixels | undefined {
  if (mime !== 'image/png' || width * height > MAX_PICTURE_PIXELS) return undefined;
  const size = pngSize(bytes);
  if (size?.width !== width || size.height !== height) return undefined;
  try {
    const bare = bareChunks(bytes, 1.2 * height * (width * MAX_PIXEL_BYTES + 1) + 4096);
    const read = decode(bare);
    const isIndexed = read.palette !== undefined;
    // Less than a byte a channel is only ever grey, and solid.
    if (!isIndexed && read.depth < 8) return undefined;
    const from = isIndexed ? convertIndexedToRgb(read) : read.data;
    const channels = isIndexed ? from.length / (width * height) : read.channels;
    return asBytes(from, channels, !isIndexed && read.depth === 16 ? 8 : 0, width, height);
  } catch {
    return undefined;
  }
}

/** The size that a PNG says it has (PNG specification, 11.2.2), before anything of it is unpacked. */
export function pngSize(bytes: Uint8Array): { width: number; height: number } | undefined {
  if (bytes.length < 33 || bytes[0] !== 0x89 || bytes[1] !== 0x50) return undefined;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  return { width: view.getUint32(16), height: view.getUint32(20) };
}

function asBytes(
  from: ArrayLike<number>,
  channels: number,
  shift: number,
  width: number,
  height: number,
): PicturePixels {
  const data = new Uint8Array(width * height * 4);
  const hasAlpha = channels === 2 || channels === 4;
  let isClear = false;
  for (let p = 0; p < width * height; p++) {
    for (let k = 0; k < 3; k++) data[p * 4 + k] = from[p * channels + (channels < 3 ? 0 : k)] >> shift;
    data[p * 4 + 3] = hasAlpha ? from[p * channels + channels - 1] >> shift : 255;
    isClear ||= data[p * 4 + 3] < 255;
  }
  return { width, height, data, isClear };
}

/** @throws RangeError where its rows unpack to more than `most` bytes */
function bareChunks(bytes: Uint8Array, most: number): Uint8Array {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const kept: Uint8Array[] = [bytes.subarray(0, 8)];
  let unpacked = 0;
  const rows = new Unzlib((piece) => {
    unpacked += piece.length;
    if (unpacked > most) throw new RangeError('It unpacks to more than it says.');
  });
  for (let at = 8; at + 12 <= bytes.length;) {
    const length = view.getUint32(at);
    const kind = String.fromCharCode(...bytes.subarray(at + 4, at + 8));
    const end = at + 12 + length;
    if (end > bytes.length) throw new RangeError('A piece of it is missing.');
    if (CHUNKS.includes(kind)) kept.push(bytes.subarray(at, end));
    if (kind === 'IDAT') rows.push(bytes.subarray(at + 8, end - 4), false);
    at = end;
  }
  const all = new Uint8Array(kept.reduce((sum, { length }) => sum + length, 0));
  let to = 0;
  for (const piece of kept) {
    all.set(piece, to);
    to += piece.length;
  }
  return all;
}
