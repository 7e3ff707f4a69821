import { expect, test } from '@jest/globals';
import { differencePage, type DifferencePage } from './differencePage.ts';

const page: DifferencePage = {
  name: 'A <keeper>',
  before: 'Moment 1',
  after: 'Now',
  at: new Date('2026-11-28T10:00:00Z'),
  differences: { joints: [], places: [], points: 0 },
  jointName: (joint) => ['knee & shin', 'hip'][joint],
  partName: () => 'body',
};

test('names stay text, and what is not there is said', () => {
  const html = differencePage(page);
  expect(html).toContain('A &lt;keeper&gt;');
  expect(html).toContain('Nothing differs.');
  expect(html).not.toContain('<keeper>');
  expect(html).not.toContain('Bends,');
});

test('joints, places and bends are told with their figures', () => {
  const html = differencePage({
    ...page,
    differences: {
      joints: [{ joint: 0, more: 1.5, less: 0, points: 12, part: 0, point: 3, most: 0.5 }],
      places: [{ part: 0, points: Uint32Array.of(3, 4), joint: 0, point: 3, most: 0.5, sum: 1 }],
      points: 2,
    },
    bends: [{ joint: 1, before: 1, after: 0.25 }],
  });
  expect(html).toContain('2 points differ in 1 place.');
  expect(html).toMatch(/knee &amp; shin<\/td><td class="number">1\.50/);
  expect(html).toMatch(/×2\.00<\/td><td class="number">×1\.25<\/td><td class="number">better/);
});
