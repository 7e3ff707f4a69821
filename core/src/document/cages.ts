import { MAX_CAGE_POINTS } from '../deform/follow/hold.ts';
import { decodeBase64 } from '../memory/decodeBase64.ts';
import { encodeBase64 } from '../memory/encodeBase64.ts';

/** A cage that was made here: a part behind those of the file. */
export interface SavedCage {
  /** The part of the file that it is bound as, and whose space its places are in. */
  readonly like: number;
  readonly points: number;
  /** Base64: three f32 a point. */
  readonly places: string;
  /** Base64: four u16 a quad, counter-clockwise from outside. */
  readonly quads: string;
}

/** The longest texts of a cage; a closed surface of quads has about as many quads as points. */
export const MAX_CAGE_TEXT = {
  places: base64Length(MAX_CAGE_POINTS * 12),
  quads: base64Length(MAX_CAGE_POINTS * 16),
};

function base64Length(bytes: number): number {
  return Math.ceil(bytes / 3) * 4;
}

/** @param positions Float32Array, 3 a point, in the space of the part `like` @param quads Uint32Array, 4 a quad */
export function savedCage(like: number, positions: Float32Array, quads: Uint32Array): SavedCage {
  return {
    like,
    points: positions.length / 3,
    places: encodeBase64(new Uint8Array(Float32Array.from(positions).buffer)),
    quads: encodeBase64(new Uint8Array(Uint16Array.from(quads).buffer)),
  };
}

/** Places and quads of a cage; quads that name points it does not have are left out, places that are none are at nought. */
export function readCage({ points, places, quads }: SavedCage): {
  readonly positions: Float32Array;
  readonly quads: Uint32Array;
} {
  const positions = new Float32Array(points * 3);
  const view = viewOf(places);
  for (let i = 0; i < positions.length && (i + 1) * 4 <= view.byteLength; i++) {
    const value = view.getFloat32(i * 4, true);
    positions[i] = Number.isFinite(value) ? value : 0;
  }
  const faces = viewOf(quads);
  const kept: number[] = [];
  for (let at = 0; at + 8 <= faces.byteLength; at += 8) {
    const corners = [0, 2, 4, 6].map((k) => faces.getUint16(at + k, true));
    if (corners.every((p) => p < points)) kept.push(...corners);
  }
  return { positions, quads: Uint32Array.from(kept) };
}

function viewOf(text: string): DataView {
  const bytes = decodeBase64(text);
  return new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
}
