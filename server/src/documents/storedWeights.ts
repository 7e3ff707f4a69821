import { deflateRawSync, inflateRawSync } from 'node:zlib';
import { decodeRows, decodeWeights, encodeRows, encodeWeights } from '@judoka/contract';
import { createRows, influenceCount, type Change, type Delta, type WeightRows } from '@judoka/core/weights';
import { PackReader, PackWriter } from './packBytes.ts';

/**
 * Weights as the database keeps them: the bytes that cross the wire, or, since they cost a third of that, packed. Packed,
 * a row says of its last weight how far it is from what the others leave of one, and a row after an edit how far its weights
 * are from those of the same joints before; what is left is mostly zeros, byte by byte side by side, and deflated. Every
 * bit comes back.
 */
const PACKED_CHANGE = 0x3150444a; // "JDP1"
const PACKED_ROWS = 0x3150524a; // "JRP1"
/** A link to no slot of the row before: the joint follows. */
const NEW_JOINT = 255;

export function storeWeights(change: Change): Buffer {
  const writer = new PackWriter();
  writer.u32(change.length);
  for (const delta of change) packDelta(writer, delta);
  return packed(PACKED_CHANGE, writer.finish());
}

export function readStoredWeights(bytes: Uint8Array): Change {
  if (magicOf(bytes) !== PACKED_CHANGE) return decodeWeights(bytes);
  const reader = new PackReader(inflateRawSync(bytes.subarray(4)));
  return Array.from({ length: reader.u32() }, () => unpackDelta(reader));
}

/** As they cross the wire. */
export const storedWeightsAsSent = (bytes: Uint8Array): Uint8Array =>
  magicOf(bytes) === PACKED_CHANGE ? encodeWeights(readStoredWeights(bytes)) : bytes;

export function storeRows(rowsOfPart: readonly WeightRows[]): Buffer {
  const writer = new PackWriter();
  writer.u32(rowsOfPart.length);
  for (const rows of rowsOfPart) {
    writer.u32(rows.stride);
    writer.u32(rows.pointCount);
    packRows(writer, rows);
  }
  return packed(PACKED_ROWS, writer.finish());
}

export function readStoredRows(bytes: Uint8Array): WeightRows[] {
  if (magicOf(bytes) !== PACKED_ROWS) return decodeRows(bytes);
  const reader = new PackReader(inflateRawSync(bytes.subarray(4)));
  return Array.from({ length: reader.u32() }, () => {
    const stride = reader.u32();
    return unpackRows(reader, reader.u32(), stride);
  });
}

/** As they cross the wire. */
export const storedRowsAsSent = (bytes: Uint8Array): Uint8Array =>
  magicOf(bytes) === PACKED_ROWS ? encodeRows(readStoredRows(bytes)) : bytes;

const magicOf = (bytes: Uint8Array): number =>
  bytes.length < 4 ? 0 : new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true);

function packed(magic: number, body: Uint8Array): Buffer {
  const head = Buffer.alloc(4);
  head.writeUInt32LE(magic);
  return Buffer.concat([head, deflateRawSync(body)]);
}

function packDelta(writer: PackWriter, { part, points, before, after }: Delta): void {
  writer.u32(part);
  writer.u32(before.stride);
  writer.u32(points.length);
  writer.rising(points);
  packRows(writer, before);
  const links = new Links(after.pointCount * after.stride);
  for (let p = 0; p < points.length; p++) links.pack(before, after, p);
  writer.bytes(links.counts.subarray(0, points.length));
  writer.bytes(links.slots.subarray(0, links.slotCount));
  writer.planes(links.values.subarray(0, links.valueCount));
}

function unpackDelta(reader: PackReader): Delta {
  const part = reader.u32();
  const stride = reader.u32();
  const points = reader.rising(reader.u32());
  const before = unpackRows(reader, points.length, stride);
  const after = createRows(points.length, stride);
  const [counts, slots, values] = [reader.bytes(), reader.bytes(), reader.planes()];
  let [slot, value] = [0, 0];
  for (let p = 0; p < points.length; p++) {
    let sum = 0;
    for (let k = 0; k < counts[p]; k++) {
      const at = p * stride + k;
      const link = slots[slot++];
      if (link === NEW_JOINT) {
        after.joints[at] = slots[slot] | (slots[slot + 1] << 8);
        slot += 2;
      } else after.joints[at] = before.joints[p * stride + link];
      const guess = guessOf(
        k === counts[p] - 1,
        sum,
        link === NEW_JOINT ? 0 : before.values[p * stride + link],
      );
      sum += after.values[at] = floatOf(guess + values[value++]);
    }
  }
  return { part, points, before, after };
}

function packRows(writer: PackWriter, rows: WeightRows): void {
  const { pointCount, stride } = rows;
  const counts = new Uint8Array(pointCount);
  const joints = new Uint16Array(pointCount * stride);
  const values = new Uint32Array(pointCount * stride);
  let used = 0;
  for (let p = 0; p < pointCount; p++) {
    counts[p] = influenceCount(rows, p);
    let sum = 0;
    for (let k = 0; k < counts[p]; k++, used++) {
      const value = rows.values[p * stride + k];
      joints[used] = rows.joints[p * stride + k];
      values[used] = bitsOf(value) - guessOf(k === counts[p] - 1, sum, 0);
      sum += value;
    }
  }
  writer.bytes(counts);
  writer.pairs(joints.subarray(0, used));
  writer.planes(values.subarray(0, used));
}

function unpackRows(reader: PackReader, pointCount: number, stride: number): WeightRows {
  const rows = createRows(pointCount, stride);
  const [counts, joints, values] = [reader.bytes(), reader.pairs(), reader.planes()];
  let used = 0;
  for (let p = 0; p < pointCount; p++) {
    let sum = 0;
    for (let k = 0; k < counts[p]; k++, used++) {
      rows.joints[p * stride + k] = joints[used];
      sum += rows.values[p * stride + k] = floatOf(guessOf(k === counts[p] - 1, sum, 0) + values[used]);
    }
  }
  return rows;
}

/** Rows after an edit, told by those before. */
class Links {
  readonly counts: Uint8Array;
  readonly slots: Uint8Array;
  readonly values: Uint32Array;
  slotCount = 0;
  valueCount = 0;

  constructor(capacity: number) {
    this.counts = new Uint8Array(capacity);
    this.slots = new Uint8Array(capacity * 3);
    this.values = new Uint32Array(capacity);
  }

  pack(before: WeightRows, after: WeightRows, p: number): void {
    const { stride } = after;
    const [had, has] = [influenceCount(before, p), influenceCount(after, p)];
    this.counts[p] = has;
    let sum = 0;
    for (let k = 0; k < has; k++) {
      const joint = after.joints[p * stride + k];
      let link = 0;
      while (link < had && before.joints[p * stride + link] !== joint) link++;
      const isNew = link === had;
      this.slots[this.slotCount++] = isNew ? NEW_JOINT : link;
      if (isNew) {
        this.slots[this.slotCount++] = joint & 255;
        this.slots[this.slotCount++] = joint >> 8;
      }
      const value = after.values[p * stride + k];
      const guess = guessOf(k === has - 1, sum, isNew ? 0 : before.values[p * stride + link]);
      this.values[this.valueCount++] = bitsOf(value) - guess;
      sum += value;
    }
  }
}

const float = new Float32Array(1);
const bits = new Uint32Array(float.buffer);

function bitsOf(value: number): number {
  float[0] = value;
  return bits[0];
}

function floatOf(from: number): number {
  bits[0] = from;
  return float[0];
}

/** The bits that a weight is held against: the last one of a row against what the others leave. */
const guessOf = (isLast: boolean, sum: number, before: number): number => bitsOf(isLast ? 1 - sum : before);
