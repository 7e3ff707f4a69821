import { expect, test } from '@jest/globals';
import { createRows } from '@judoka/core/weights';
import { decodeMomentFile, encodeMomentFile, packFrame } from './index.ts';

const rows = createRows(2, 8);
rows.joints.set([1, 0], 0);
rows.values.set([0.75, 0.25], 0);
rows.values.set([1], 8);
const header = {
  name: 'Good knee',
  madeAt: '2026-11-28T10:00:00.000Z',
  joints: [
    { id: 'joint:0', name: 'hip', parent: -1 },
    { id: 'joint:1', name: 'knee', parent: 0 },
  ],
  parts: [{ name: 'body', points: 2 }],
};

test('a moment comes back as it was given away', () => {
  const { header: read, rows: back } = decodeMomentFile(encodeMomentFile(header, [rows]));
  expect(read).toMatchObject(header);
  expect(back).toEqual([rows]);
});

test.each([
  ['a text', new TextEncoder().encode('this is a text')],
  ['nothing', new Uint8Array(0)],
  ['one that is cut off', encodeMomentFile(header, [rows]).subarray(0, 80)],
  ['another frame', packFrame({ what: 'something' }, [])],
  ['one of a later version', packFrame({ what: 'judoka moment', version: 2, ...header }, [])],
])('%s is refused in a sentence', (_, bytes) => {
  expect(() => decodeMomentFile(bytes)).toThrow(/not a moment/);
});
