import { describe, expect, test } from '@jest/globals';
import { drawingOf, type TestLayer } from '../../testing/testDrawing.ts';
import { checkInput } from './checkUp.ts';
import { findGapingSeams } from './layerSeams.ts';

const JOINTS = [
  ['shoulder', -1, [0, 0]],
  ['elbow', 0, [6, 0]],
  ['wrist', 1, [12, 0]],
] as const;

const box = (left: number, right: number, half: number): [number, number][] => [
  [left, -half],
  [right, -half],
  [right, half],
  [left, half],
];
/** An end that is round about a joint stays under what lies over it. */
const rounded = (x: number, to: number, half: number): [number, number][] => [
  [to, half],
  ...Array.from({ length: 13 }, (_, k): [number, number] => {
    const angle = Math.PI / 2 + (k / 12) * Math.PI;
    return [x + half * Math.cos(angle), half * Math.sin(angle)];
  }),
  [to, -half],
];
const sleeve: TestLayer = { name: 'sleeve', anchors: box(-1, 7.2, 1.5), joint: () => 0 };
const found = (layers: TestLayer[]) => findGapingSeams(checkInput(drawingOf(JOINTS, layers), {}));
const forearm = (anchors: [number, number][]): TestLayer => ({ name: 'forearm', anchors, joint: () => 1 });

describe('a seam', () => {
  test('gapes where a limb’s square end comes out from under the layer over it', () => {
    const [finding] = found([forearm(box(4, 12, 1.4)), sleeve]);
    expect(finding).toMatchObject({ code: 'layers-gape', severity: 'note', part: 0, joint: 1 });
    expect(finding.message).toMatch(
      /^“forearm” comes out from under “sleeve” by \d+ % .* when elbow turns to -?\d+°\.$/,
    );
    // The two corners of its end.
    expect([...(finding.points ?? [])].every((p) => p === 0 || p === 3)).toBe(true);
  });

  test.each([
    ['an end that is round about the joint', [forearm(rounded(6, 12, 1)), sleeve]],
    ['a limb that lies over the other', [sleeve, forearm(box(4, 12, 1.4))]],
    ['what passes through', [forearm(box(-8, 12, 0.6)), sleeve]],
    ['one layer that bends', [{ name: 'arm', anchors: box(-1, 12, 1), joint: ([x]) => (x > 6 ? 1 : 0) }]],
  ])('does not with %s', (_, layers) => {
    expect(found(layers)).toEqual([]);
  });
});
