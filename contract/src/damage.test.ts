import { describe, expect, test } from '@jest/globals';
import { CoreError } from '@judoka/core/errors';
import { createRows, DeltaBuilder, type Change, type WeightRows } from '@judoka/core/weights';
import fc from 'fast-check';
import { decodeRows, decodeWeights, encodeRows, encodeWeights, packFrame, unpackFrame } from './index.ts';

/** Rows with one or two influences a point. */
function rowsOf(seeds: readonly number[]): WeightRows {
  const rows = createRows(seeds.length);
  seeds.forEach((seed, p) => {
    const share = Math.fround(0.5 + (seed % 50) / 100);
    rows.joints.set(share < 1 ? [seed % 7, 7 + (seed % 5)] : [seed % 7], p * 8);
    rows.values.set(share < 1 ? [share, Math.fround(1 - share)] : [1], p * 8);
  });
  return rows;
}

/** Every other point moves on to the next one's row. */
function changeOf(rows: WeightRows): Change {
  const builder = new DeltaBuilder(0, rows.stride, rows.pointCount);
  for (let p = 0; p + 1 < rows.pointCount; p += 2) builder.push(p, rows, p, rows, p + 1);
  return [builder.finish()];
}

const seeds = fc.array(fc.nat(1000), { minLength: 2, maxLength: 40 });

describe('what crosses the wire', () => {
  test('comes out as it went in', () => {
    fc.assert(
      fc.property(seeds, (list) => {
        const rows = rowsOf(list);
        expect(decodeRows(encodeRows([rows, rows]))).toEqual([rows, rows]);
        const change = changeOf(rows);
        expect(decodeWeights(encodeWeights(change))).toEqual(change);
        const blobs = [encodeRows([rows]), new Uint8Array(0), Uint8Array.of(1)];
        const frame = unpackFrame(packFrame({ head: list.length }, blobs));
        expect(frame.header).toEqual({ head: list.length });
        expect(frame.blobs.map((blob) => [...blob])).toEqual(blobs.map((blob) => [...blob]));
      }),
    );
  });

  /** Reads or refuses; any other error is ours, and a fault. */
  const refusesAtMost = (read: () => unknown): void => {
    try {
      read();
    } catch (error) {
      if (!(error instanceof CoreError)) throw error;
      expect(error.message).not.toMatch(/undefined|Cannot read|Invalid (array|typed)|Offset|bounds/);
    }
  };

  test.each([
    ['rows', (list: number[]) => encodeRows([rowsOf(list)]), decodeRows],
    ['a change', (list: number[]) => encodeWeights(changeOf(rowsOf(list))), decodeWeights],
    ['a frame', (list: number[]) => packFrame({ list }, [encodeRows([rowsOf(list)])]), unpackFrame],
  ] as const)(
    '%s with any bytes other ones, or cut off, is read or refused in a sentence',
    (_, encode, decode) => {
      const damage = fc.array(fc.tuple(fc.nat(), fc.nat(255)), { maxLength: 6 });
      fc.assert(
        fc.property(seeds, damage, fc.nat(), fc.boolean(), (list, changes, cut, isCut) => {
          const bytes = Uint8Array.from(encode(list));
          for (const [at, byte] of changes) bytes[at % bytes.length] = byte;
          refusesAtMost(() => decode(isCut ? bytes.slice(0, cut % bytes.length) : bytes));
        }),
        { numRuns: 400 },
      );
    },
  );

  test('bytes that are nothing of ours', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 300 }), (bytes) => {
        for (const decode of [decodeRows, decodeWeights, unpackFrame]) refusesAtMost(() => decode(bytes));
      }),
      { numRuns: 500 },
    );
  });

  test('more points than anything has are refused before memory is taken for them', () => {
    const bytes = Uint8Array.from(encodeRows([rowsOf([1, 2, 3])]));
    const before = process.memoryUsage().arrayBuffers;
    for (let at = 0; at + 4 <= bytes.length; at += 4) {
      const huge = bytes.slice();
      new DataView(huge.buffer).setUint32(at, 0xfffffff0, true);
      refusesAtMost(() => decodeRows(huge));
    }
    expect(process.memoryUsage().arrayBuffers - before).toBeLessThan(64 << 20);
  });
});
