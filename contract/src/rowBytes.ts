import type { WeightRows } from '@judoka/core/weights';
import { ByteReader, ByteWriter, damaged } from './binary.ts';

/**
 * Weights of all parts as bytes. Little-endian; every array starts on a multiple of four.
 *
 *   u32 "JDW1" · u32 parts · a part: u32 stride · packed rows
 *   packed rows: u32 rows · u32 used slots · u8[] used slots a row · u16[] joints · f32[] weights
 */
const MAGIC = 0x3157444a;
const MAX_PARTS = 4096;

export function encodeRows(parts: readonly WeightRows[]): Uint8Array<ArrayBuffer> {
  const writer = new ByteWriter();
  writer.u32(MAGIC, parts.length);
  for (const rows of parts) {
    writer.u32(rows.stride);
    writer.rows(rows);
  }
  return writer.finish();
}

/** @throws CoreError delta-invalid */
export function decodeRows(bytes: Uint8Array): WeightRows[] {
  const reader = new ByteReader(bytes);
  if (reader.u32() !== MAGIC) throw damaged('it does not begin as weights do');
  const parts = Array.from({ length: reader.count(MAX_PARTS) }, () => reader.rows(reader.stride()));
  reader.end();
  return parts;
}
