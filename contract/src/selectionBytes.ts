import { selectionHeader } from './edits.ts';
import { packFrame, unpackFrame } from './frame.ts';

/** Points by part as the bytes of an attachment. */
export const encodeSelection = (points: ReadonlyMap<number, Uint32Array>): Uint8Array<ArrayBuffer> =>
  packFrame(
    { parts: [...points.keys()] },
    [...points.values()].map((list) => new Uint8Array(list.slice().buffer)),
  );

/** @throws Error if these are not the bytes of a selection */
export function decodeSelection(bytes: Uint8Array): Map<number, Uint32Array> {
  const { header, blobs } = unpackFrame(bytes);
  const { parts } = selectionHeader.parse(header);
  return new Map(parts.map((part, i) => [part, new Uint32Array(blobs[i].slice().buffer)]));
}
