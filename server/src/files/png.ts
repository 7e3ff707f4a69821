import type { Picture } from '@judoka/core/analysis/picture';
import { PNG } from 'pngjs';

export function encodePng({ width, height, pixels }: Picture): Buffer {
  const png = new PNG({ width, height });
  png.data = Buffer.from(pixels.buffer, pixels.byteOffset, pixels.byteLength);
  return PNG.sync.write(png, { filterType: 0 });
}

/** The picture as it stands in a page that carries it. */
export const dataUrl = (picture: Picture): string =>
  `data:image/png;base64,${encodePng(picture).toString('base64')}`;
