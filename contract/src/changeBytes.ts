import { type Change, type Delta, influenceCount, type WeightRows } from '@judoka/core/weights';
import { ByteReader, ByteWriter, damaged } from './binary.ts';

/**
 * A change of weights as bytes. Little-endian; every array starts on a multiple of four.
 *
 *   u32 "JDC1" · u32 parts · a part: u32 part · u32 stride · u32 points · u32[] points, rising ·
 *   packed rows before · packed rows after (see rowBytes.ts)
 */
const MAGIC = 0x3143444a;
const MAX_PARTS = 4096;
const MAX_POINTS = 4_000_000;

export function encodeWeights(change: Change): Uint8Array<ArrayBuffer> {
  const writer = new ByteWriter();
  writer.u32(MAGIC, change.length);
  for (const { part, points, before, after } of change) {
    writer.u32(part, before.stride, points.length);
    writer.bytes(points);
    writer.rows(before);
    writer.rows(after);
  }
  return writer.finish();
}

/** The same bytes, made with turns for others in between: a change of all points takes longer than a page may stand still. */
export async function encodeWeightsInTurns(
  change: Change,
  turn: () => Promise<void>,
): Promise<Uint8Array<ArrayBuffer>> {
  const writer = new ByteWriter();
  writer.u32(MAGIC, change.length);
  for (const { part, points, before, after } of change) {
    writer.u32(part, before.stride, points.length);
    writer.bytes(points);
    for (const rows of [before, after]) {
      const packing = writer.packRows(rows);
      while (!packing.next().done) await turn();
    }
  }
  await turn();
  return writer.finish();
}

/**
 * Refuses what could not have come from an operation: points out of order, weights that are not in 0..1, rows that
 * neither are empty nor sum to one, joints that no skeleton has.
 * @throws CoreError delta-invalid
 */
export function decodeWeights(bytes: Uint8Array): Change {
  const reader = new ByteReader(bytes);
  if (reader.u32() !== MAGIC) throw damaged('it does not begin as a change does');
  const change: Delta[] = [];
  for (let left = reader.count(MAX_PARTS); left > 0; left--) {
    const part = reader.u32();
    const stride = reader.stride();
    const points = reader.u32Array(reader.count(MAX_POINTS));
    for (let i = 1; i < points.length; i++)
      if (points[i] <= points[i - 1]) throw damaged('its points are not rising');
    const before = reader.rows(stride);
    const after = reader.rows(stride);
    if (before.pointCount !== points.length || after.pointCount !== points.length)
      throw damaged('its rows do not match its points');
    checkRows(after);
    change.push({ part, points, before, after });
  }
  reader.end();
  return change;
}

function checkRows(rows: WeightRows): void {
  for (let p = 0; p < rows.pointCount; p++) {
    let sum = 0;
    const count = influenceCount(rows, p);
    for (let k = p * rows.stride; k < p * rows.stride + count; k++) {
      if (!(rows.values[k] > 0 && rows.values[k] <= 1)) throw damaged('a weight is not in 0 to 1');
      sum += rows.values[k];
    }
    if (count > 0 && Math.abs(sum - 1) > 1e-5)
      throw damaged(`the weights of a point sum to ${sum.toFixed(4)}`);
  }
}
