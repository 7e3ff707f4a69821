import type { Picture } from '../../drawing/drawing.ts';
import {
  MAX_PICTURE_PIXELS,
  picturePixels,
  pngSize,
  type PicturePixels,
} from '../../drawing/picturePixels.ts';
import { decodeBase64 } from '../../memory/decodeBase64.ts';
import { tracePicture } from './tracePicture.ts';

/** A picture that a drawing holds: its bytes, where it is seen, and its colour in the mean. */
export interface ReadPicture {
  readonly picture: Picture;
  /** Closed rings of places in pixels. */
  readonly rings: readonly (readonly (readonly [number, number])[])[];
  readonly colour: string;
}

/** Of a picture whose pixels are not read. */
const GREY = '#808080';

/**
 * Reads a picture out of a drawing: PNG, whose opacities tell its outline, or JPEG, which is as large as its box.
 * @param room pixels that it may have, for all of a drawing's pictures are held at once
 * @returns what it is that is left out, in words, where it cannot be shown
 */
export function readPicture(href: string, room: number): ReadPicture | string {
  const held = /^data:image\/(png|jpe?g);base64,([A-Za-z0-9+/=\s]+)$/.exec(href);
  if (!held) return href.startsWith('data:') ? 'a picture of another kind' : 'a picture in another file';
  const bytes = decodeBase64(held[2].replace(/\s+/g, ''));
  const size = held[1] === 'png' ? pngSize(bytes) : jpegSize(bytes);
  if (!size || !(size.width > 0 && size.height > 0)) return 'a picture that is damaged';
  const { width, height } = size;
  if (width * height > Math.min(room, MAX_PICTURE_PIXELS)) return 'a picture that is too large';
  const mime = held[1] === 'png' ? 'image/png' : 'image/jpeg';
  const picture = { mime, width, height, bytes } as const;
  if (mime === 'image/jpeg') return { picture, rings: tracePicture(width, height, undefined), colour: GREY };
  const pixels = picturePixels(picture);
  if (!pixels) return 'a picture that is damaged';
  const rings = tracePicture(width, height, pixels.isClear ? opacities(pixels) : undefined);
  return rings.length > 0
    ? { picture, rings, colour: meanColour(pixels) }
    : 'a picture on which nothing is seen';
}

/** The size that a JPEG says it has: in its frame header (ITU T.81, B.2.2). */
function jpegSize(bytes: Uint8Array): { width: number; height: number } | undefined {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  for (let at = 2; at + 9 < bytes.length && bytes[at] === 0xff;) {
    const marker = bytes[at + 1];
    const isFrame = marker >= 0xc0 && marker <= 0xcf && ![0xc4, 0xc8, 0xcc].includes(marker);
    if (isFrame) return { height: view.getUint16(at + 5), width: view.getUint16(at + 7) };
    at += 2 + view.getUint16(at + 2);
  }
  return undefined;
}

const opacities = ({ data }: PicturePixels): Float32Array =>
  Float32Array.from({ length: data.length / 4 }, (_, p) => data[p * 4 + 3] / 255);

/** The colour of what is seen of it, in the mean. */
function meanColour({ data }: PicturePixels): string {
  const sums = [0, 0, 0, 0];
  for (let k = 0; k < data.length; k += 4) {
    for (let c = 0; c < 3; c++) sums[c] += data[k + c] * data[k + 3];
    sums[3] += data[k + 3];
  }
  const hex = sums.slice(0, 3).map((sum) => Math.round(sum / (sums[3] || 1)));
  return `#${hex.map((value) => value.toString(16).padStart(2, '0')).join('')}`;
}
