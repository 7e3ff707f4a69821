import { worstFigures } from '../../analysis/bends/index.ts';
import { describe, expect, test } from '@jest/globals';
import type { Picture } from '../../analysis/picture/index.ts';
import { drawingOf } from '../../testing/testDrawing.ts';
import { type Character, DEFAULT_PROFILE } from '../../document/index.ts';
import { partOf, skeletonOf, tube } from '../../testing/testBody.ts';
import { rowsFrom } from '../../testing/shapes.ts';
import { noSourceWeights } from '../gltf/readWeights.ts';
import { countInfluences } from './countInfluences.ts';
import { reportOf, type CharacterReport } from './characterReport.ts';
import { reportPage } from './reportPage.ts';

type Place = [number, number, number];
const PLACES: Place[] = [
  [0, 0, 0],
  [2, 0, 0],
  [4, 0, 0],
];
const EMPTY: CharacterReport = {
  findings: [],
  strays: [],
  bends: [],
  atRest: [],
  profile: DEFAULT_PROFILE,
  limits: [],
  before: [],
};
const SETTINGS = { nonDeforming: new Set<number>(), ranges: {}, skinning: 'linear' } as const;

/** A tube along x about a chain of three joints; each point on the joint before it, or as `weights` says. */
function limb(weights?: (x: number) => Record<number, number>): Character {
  const { positions, triangles } = tube(-1, 6, 0, 0, { rings: 29, around: 12 });
  const part = partOf('sleeve & <cuff>', positions, triangles, PLACES);
  const nearest = (x: number): Record<number, number> => ({ [x > 4 ? 2 : x > 2 ? 1 : 0]: 1 });
  const rows = rowsFrom(
    Array.from({ length: part.pointCount }, (_, p) => (weights ?? nearest)(positions[p * 3])),
  );
  return {
    parts: [part],
    skeleton: skeletonOf([
      ['upper_arm', -1, PLACES[0]],
      ['fore_arm', 0, PLACES[1]],
      ['hand', 1, PLACES[2]],
    ]),
    rows: [rows],
    sourceWeights: [noSourceWeights(part.vertexCount)],
    clips: [],
    morphs: [],
    plainNodes: [],
    materialCount: 0,
    notes: [],
  };
}

const drawn: Picture[] = [];
const page = (character: Character, report: CharacterReport, name = 'Arm'): string =>
  reportPage(character, report, {
    name,
    at: new Date('2026-11-28T13:05:00Z'),
    encode: (picture) => `data:image/png;base64,${drawn.push(picture)}`,
  });

describe('a report', () => {
  test('has the worst bend first, in the pose that shows it, with the surface about it', async () => {
    const character = limb();
    const { bends, findings, strays } = await reportOf(character, SETTINGS);
    expect(strays).toEqual([]);
    expect(findings.filter(({ severity }) => severity === 'error')).toEqual([]);
    const stretch = bends.map(({ trial }) => worstFigures(trial, 'stretch').stretch);
    expect(stretch).toEqual([...stretch].sort((a, b) => b - a));
    expect(bends.length).toBeGreaterThan(0);
    for (const { trial, pose, surface } of bends) {
      expect(Object.keys(pose)).toEqual([String(trial.joint)]);
      const [cut] = surface;
      expect(Math.max(...cut.triangles)).toBe(cut.positions.length / 3 - 1);
      expect(cut.positions.length).toBeLessThanOrEqual(character.parts[0].positions.length);
    }
  });

  test('tells points without weight, and how far it is, up to all', async () => {
    const shares: number[] = [];
    const report = await reportOf(
      limb((x): Record<number, number> => (x > 5.4 ? {} : { 0: 1 })),
      SETTINGS,
      (share) => shares.push(share),
    );
    expect(report.findings.map(({ code }) => code)).toContain('unweighted');
    expect(shares).toEqual([...shares].sort((a, b) => a - b));
    expect(shares.at(-1)).toBe(1);
  });

  test('a limit of a joint’s range is kept to', async () => {
    const limits = { bend: [0, 10], side: [0, 0], twist: [0, 0] } as const;
    const { bends } = await reportOf(limb(), { ...SETTINGS, ranges: { 1: limits } });
    const elbow = bends.find(({ trial }) => trial.joint === 1);
    const angles = elbow?.trial.poses.map(({ at }) => ('angles' in at ? at.angles.bend : NaN));
    expect(Math.max(...(angles ?? [NaN]))).toBe(10);
  });

  test('bends that were changed are told beside those of before, and only those', async () => {
    const character = limb((x): Record<number, number> =>
      x > 4 ? { 2: 1 } : x > 2.4 ? { 1: 1 } : x > 1.6 ? { 0: 0.5, 1: 0.5 } : { 0: 1 },
    );
    const { before, bends } = await reportOf(character, { ...SETTINGS, before: limb().rows });
    expect(before.map(({ joint }) => joint)).toEqual([1]);
    const now = bends.find(({ trial }) => trial.joint === 1);
    expect(worstFigures(before[0], 'stretch').stretch).not.toBeCloseTo(
      now ? worstFigures(now.trial, 'stretch').stretch : 0,
      3,
    );
    const same = await reportOf(character, { ...SETTINGS, before: character.rows });
    expect(same.before).toEqual([]);
  });

  test('can be stopped', async () => {
    const stop = (): void => {
      throw new Error('enough');
    };
    await expect(reportOf(limb(), SETTINGS, stop)).rejects.toThrow('enough');
  });
});

describe('its page', () => {
  test('keeps names as text, carries its pictures, and says when', async () => {
    const character = limb();
    const html = page(character, await reportOf(character, SETTINGS), '<b>Arm</b> & "co"');
    expect(html).toContain('<h1>&lt;b&gt;Arm&lt;/b&gt; &amp; &quot;co&quot;</h1>');
    expect(html).toContain('Report of 2026-11-28, 13:05 UTC');
    expect(html).not.toMatch(/<b>|<script|src="(?!data:)|href=/);
    expect(html.match(/<figure>/g)?.length).toBe(Math.min(6, html.match(/<figcaption>/g)?.length ?? 0));
  });

  test('of a character without trouble says so; of one with trouble counts it', async () => {
    expect(page(limb(), EMPTY)).toContain('Nothing that has to be mended was found.');
    const [finding] = (
      await reportOf(
        limb(() => ({})),
        SETTINGS,
      )
    ).findings;
    const bad = { ...EMPTY, findings: [{ ...finding, severity: 'error' as const }] };
    expect(page(limb(), bad)).toContain('To be mended: 1 fault.');
  });

  test('lists forty of many findings and counts the rest', async () => {
    const [finding] = (
      await reportOf(
        limb(() => ({})),
        SETTINGS,
      )
    ).findings;
    const findings = Array.from({ length: 1041 }, () => finding);
    const html = page(limb(), { ...EMPTY, findings });
    expect(html).toContain('and 1,001 more');
  });
});

test('a drawing is shown in its own colours, at rest and bent', async () => {
  const corners: [number, number][] = [
    [-1, -1],
    [12, -1],
    [12, 1],
    [-1, 1],
  ];
  const joints = [
    ['shoulder', -1, [0, 0]],
    ['elbow', 0, [6, 0]],
  ] as const;
  const character = drawingOf(joints, [{ name: 'arm', anchors: corners, joint: ([x]) => (x > 6 ? 1 : 0) }]);
  const report = await reportOf(character, SETTINGS);
  expect(report.bends.length).toBeGreaterThan(0);
  const drawn: Picture[] = [];
  const encode = (picture: Picture): string => `data:${drawn.push(picture)}`;
  reportPage(character, report, { name: 'Arm', at: new Date(0), encode });
  expect(drawn).toHaveLength(1 + report.bends.length);
  for (const { pixels } of drawn) {
    const seen = Array.from({ length: pixels.length / 4 }, (_, p) => [...pixels.subarray(p * 4, p * 4 + 4)]);
    expect(
      seen.filter(([r, g, b, a]) => a === 255 && r === 0x44 && g === 0x66 && b === 0x88).length,
    ).toBeGreaterThan(500);
  }
});

test('influences are counted over the points that have some', () => {
  expect(countInfluences([rowsFrom([{ 0: 1 }, { 0: 0.5, 1: 0.3, 2: 0.2 }, {}])])).toEqual({
    mean: 2,
    most: 3,
  });
  expect(countInfluences([rowsFrom([{}])])).toEqual({ mean: 0, most: 0 });
});
