import { describe, expect, test } from '@jest/globals';
import { type Change, createRows, DeltaBuilder, type WeightRows } from '@judoka/core/weights';
import fc from 'fast-check';
import { packFrame, unpackFrame } from './frame.ts';
import { decodeWeights, encodeWeights, encodeWeightsInTurns } from './changeBytes.ts';
import { decodeRows, encodeRows } from './rowBytes.ts';

const arbitraryRows = fc
  .array(fc.tuple(fc.nat(90), fc.double({ min: 0, max: 1, noNaN: true })), { maxLength: 20 })
  .map((points): WeightRows => {
    const rows = createRows(points.length, 4);
    points.forEach(([joint, w], p) => {
      const first = Math.fround(Math.max(w, 1 - w));
      rows.joints.set(first < 1 ? [joint, joint + 1] : [joint], p * 4);
      rows.values.set(first < 1 ? [first, Math.fround(1 - first)] : [1], p * 4);
    });
    return rows;
  });

function changeOf(rows: WeightRows): Change {
  const builder = new DeltaBuilder(2, rows.stride, rows.pointCount);
  const none = createRows(rows.pointCount, rows.stride);
  for (let p = 0; p < rows.pointCount; p++) builder.push(p, none, p, rows, p);
  return [builder.finish()];
}

describe('round trips', () => {
  test('rows', () => {
    fc.assert(
      fc.property(arbitraryRows, (rows) =>
        expect(decodeRows(encodeRows([rows, rows]))).toEqual([rows, rows]),
      ),
    );
  });

  test('changes', () => {
    fc.assert(
      fc.property(arbitraryRows, (rows) => {
        const change = changeOf(rows);
        expect(decodeWeights(encodeWeights(change))).toEqual(change);
      }),
    );
  });

  test('frames', () => {
    const blobs = [Uint8Array.of(1, 2, 3), new Uint8Array(0), Uint8Array.of(9)];
    const frame = unpackFrame(packFrame({ words: 'ünïcode' }, blobs));
    expect(frame.header).toEqual({ words: 'ünïcode' });
    expect(frame.blobs.map((blob) => [...blob])).toEqual([[1, 2, 3], [], [9]]);
  });
});

test('bytes inside a larger pool, as drivers hand them out, are read the same', () => {
  const rows = createRows(1, 4);
  rows.joints[0] = 3;
  rows.values[0] = 1;
  const bytes = encodeRows([rows]);
  const pool = Buffer.alloc(bytes.length + 9, 7);
  pool.set(bytes, 5);
  expect(decodeRows(pool.subarray(5, 5 + bytes.length))).toEqual([rows]);
});

test('the exact bytes of the smallest change', () => {
  const rows = createRows(1, 4);
  rows.joints[0] = 7;
  rows.values[0] = 1;
  const words = [...new Uint32Array(encodeWeights(changeOf(rows)).buffer)];
  expect(words).toEqual([
    0x3143444a, 1, /* part */ 2, /* stride */ 4, /* points */ 1, 0,
    /* before: rows, used, counts */ 1, 0, 0,
    /* after */ 1, 1, 1, /* joint */ 7, /* 1.0f */ 0x3f800000,
  ]); // prettier-ignore
});

test('made in turns they are the same bytes, and others get their turn', async () => {
  const count = 40_000;
  const rows = createRows(count, 4);
  for (let p = 0; p < count; p++) {
    rows.joints[p * 4] = p % 9;
    rows.values[p * 4] = 1;
  }
  const change: Change = [
    {
      part: 3,
      points: Uint32Array.from({ length: count }, (_, p) => p),
      before: createRows(count, 4),
      after: rows,
    },
  ];
  let turns = 0;
  const bytes = await encodeWeightsInTurns(change, () => {
    turns++;
    return Promise.resolve();
  });
  expect(Buffer.from(bytes).equals(Buffer.from(encodeWeights(change)))).toBe(true);
  expect(turns).toBeGreaterThan(6);
});

describe('damaged bytes are refused', () => {
  const whole = encodeWeights(changeOf(createRows(0, 4)));
  const rows = createRows(2, 4);
  rows.values.set([1, 0, 0, 0, 0.6, 0.3, 0, 0]);

  test('cut short or too long', () => {
    for (let cut = 0; cut < whole.length; cut++) {
      expect(() => decodeWeights(whole.slice(0, cut))).toThrow(
        expect.objectContaining({ code: 'delta-invalid' }),
      );
    }
    expect(() => decodeWeights(new Uint8Array([...whole, 0, 0, 0, 0]))).toThrow(/left over/);
  });

  test('a sum off one, a weight that is no number', () => {
    expect(() => decodeWeights(encodeWeights(changeOf(rows)))).toThrow(/sum to 0.9/);
    rows.values.set([0.7], 4);
    rows.values.set([NaN], 4);
    expect(() => decodeWeights(encodeWeights(changeOf(rows)))).toThrow(/not in 0 to 1/);
  });

  test('any bytes at all end in a refusal, never in a crash', () => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 200 }), (bytes) => {
        for (const read of [decodeWeights, decodeRows, unpackFrame]) {
          expect(() => read(bytes)).toThrow(expect.objectContaining({ code: 'delta-invalid' }));
        }
      }),
    );
  });
});
