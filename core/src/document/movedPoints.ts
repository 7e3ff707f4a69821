import { decodeBase64 } from '../memory/decodeBase64.ts';
import { encodeBase64 } from '../memory/encodeBase64.ts';
import type { PointMoves } from '../mesh/morphs.ts';
import type { Json } from './json.ts';
import { movedPath } from './paths.ts';

/** Points of so many numbers in a row are kept under one path, so that a stroke writes what it touches and little more. */
const BLOCK = 256;
/** A point in its block, then three f32. */
const RECORD = 13;
/** The longest text that a block can be. */
export const MAX_MOVED_TEXT = Math.ceil((BLOCK * RECORD) / 3) * 4;

/** By block of points, how far they are moved at rest: base64 of records; part space. */
export type MovedBlocks = Readonly<Record<number, string | undefined>>;

/** How far points are moved at rest, as they are kept; what is damaged is no move. */
export function readMoved(blocks: MovedBlocks): PointMoves {
  const points: number[] = [];
  const moves: number[] = [];
  for (const block of Object.keys(blocks).map(Number)) {
    const bytes = decodeBase64(blocks[block] ?? '');
    const view = new DataView(bytes.buffer);
    for (let at = 0; at + RECORD <= bytes.length; at += RECORD) {
      const by = [1, 5, 9].map((k) => view.getFloat32(at + k, true));
      if (!by.every(Number.isFinite)) continue;
      points.push(block * BLOCK + bytes[at]);
      moves.push(...by);
    }
  }
  return { points: Uint32Array.from(points), moves: Float32Array.from(moves) };
}

/**
 * The values that move points at rest from where they came.
 * @param wanted how far each point is to be from its own place, all in all; nothing takes it back there
 */
export function movedValues(
  part: number,
  held: MovedBlocks,
  wanted: ReadonlyMap<number, readonly [number, number, number]>,
): Record<string, Json> {
  const touched = new Set([...wanted.keys()].map((p) => Math.floor(p / BLOCK)));
  const paths: Record<string, Json> = {};
  for (const block of touched) {
    const own = readMoved({ [block]: held[block] });
    const moves = new Map<number, ArrayLike<number>>();
    own.points.forEach((p, i) => moves.set(p, own.moves.subarray(i * 3, i * 3 + 3)));
    for (const [p, by] of wanted) if (Math.floor(p / BLOCK) === block) moves.set(p, by);
    paths[movedPath(part, block)] = blockText(block, moves);
  }
  return paths;
}

function blockText(block: number, moves: ReadonlyMap<number, ArrayLike<number>>): string | null {
  const kept = [...moves]
    .filter(([, by]) => Math.fround(by[0]) !== 0 || Math.fround(by[1]) !== 0 || Math.fround(by[2]) !== 0)
    .sort(([a], [b]) => a - b);
  if (kept.length === 0) return null;
  const bytes = new Uint8Array(kept.length * RECORD);
  const view = new DataView(bytes.buffer);
  kept.forEach(([p, by], i) => {
    bytes[i * RECORD] = p - block * BLOCK;
    for (let k = 0; k < 3; k++) view.setFloat32(i * RECORD + 1 + k * 4, by[k], true);
  });
  return encodeBase64(bytes);
}
