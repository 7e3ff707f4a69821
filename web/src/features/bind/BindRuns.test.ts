import { beforeEach, describe, expect, test } from '@jest/globals';
import { countUnweighted, weightOf } from '@judoka/core/weights';
import { OLD } from '../../document/alternative.ts';
import { type ProposedPicture, sourceShown, stripPictures } from '../../workspace/stage/stripPictures.ts';
import {
  ARM_L,
  BODY,
  doneLabels,
  HAND_L,
  openAnother,
  openForEach,
  saved,
  weightsOf,
} from '../../testing/testWorkspace.ts';
import type { SimulatedServer } from '../../testing/SimulatedServer.ts';
import type { Workspace } from '../../workspace/Workspace.ts';

let at: Workspace;
let server: SimulatedServer;
openForEach((opened) => ({ at, server } = opened), { workers: true });

// Coarse: the tests' surroundings make numbers slow.
const WISH = { softness: 0.25, limit: 4, bindSelected: false, bindChosen: false, cells: 3000 };
let before: ReturnType<typeof weightsOf>;
beforeEach(() => {
  before = weightsOf(at);
});

const names = (): string[] => at.document.proposals.current?.alternatives.map(({ name }) => name) ?? [];

describe('bindings side by side', () => {
  test('all methods are proposed and measured, old ones too; one is taken, as one edit', async () => {
    await at.bindRuns.compare(WISH);
    expect(at.bindRuns.failure).toBe('');
    expect(names()).toEqual(['Nearest', 'Heat', 'Volume']);
    const { proposals } = at.document;
    const measured = proposals.current?.alternatives.map(({ figures }) => figures);
    for (const figures of measured ?? []) {
      expect(figures?.joints).toBe(proposals.current?.before?.joints);
      expect(figures?.strain).toBeGreaterThan(0);
    }
    expect(doneLabels(at)).toEqual([]);
    const first = weightsOf(at);
    await proposals.choose(1);
    const heat = weightsOf(at);
    expect(heat).not.toEqual(first);
    await proposals.choose(OLD);
    expect(weightsOf(at)).toEqual(before);
    await proposals.choose(1);
    await proposals.keep();
    expect(weightsOf(at)).toEqual(heat);
    expect(doneLabels(at)).toEqual(['Bind by heat']);
    await saved(at);
    expect(server.log).toHaveLength(1);
    await at.document.undo();
    expect(weightsOf(at)).toEqual(before);
  });

  test('the strip shows each in the same bends, with its own weights, and leaves the document as it is', async () => {
    at.scene.chooseJoint(ARM_L);
    await at.bindRuns.compare(WISH);
    const { strip } = at.scene;
    const now = weightsOf(at);
    const pictures = stripPictures(at, 'proposed', 'z', 30);
    expect(pictures.map((picture) => (picture as ProposedPicture).name).slice(0, 4)).toEqual([
      'Old',
      'Nearest',
      'Heat',
      'Volume',
    ]);
    strip.setPictures(pictures);
    const drawn = pictures.map((_, i) => strip.positions[i].slice(0, strip.count * 3));
    expect(drawn[1]).not.toEqual(drawn[2]);
    expect(weightsOf(at)).toEqual(now);
    // What a picture shows is what the stage shows once that one is chosen.
    await at.document.proposals.choose(1);
    strip.setPictures([{ label: 'Heat', pose: pictures[2].pose }]);
    expect(strip.positions[0].slice(0, strip.count * 3)).toEqual(drawn[2]);
    await at.document.proposals.drop();
    expect(sourceShown(at, 'proposed')).toBe('range');
  });

  test('one for some joints and another for others, as one more of them', async () => {
    await at.bindRuns.compare(WISH);
    await at.bindRuns.mix(2, [HAND_L], 4);
    expect(at.bindRuns.failure).toBe('');
    expect(names()).toEqual(['Nearest', 'Heat', 'Volume', 'Mixed']);
    const { current } = at.document.proposals;
    expect(current?.label).toBe('Bind by nearest bone, hand_L as by volume');
    expect(current?.figures?.strain).toBeGreaterThan(0);
    const { rows } = at.scene.parts[BODY].skin;
    const mixed = Array.from({ length: rows.pointCount }, (_, p) => weightOf(rows, p, HAND_L));
    await at.document.proposals.choose(2);
    mixed.forEach((weight, p) => {
      const other = weightOf(at.scene.parts[BODY].skin.rows, p, HAND_L);
      if (other >= 0.5) expect(weight).toBeCloseTo(other, 5);
    });
    expect(countUnweighted(rows)).toBe(0);
  });

  test('they are there again after a reload, with their figures, and the one that was looked at', async () => {
    await at.bindRuns.compare(WISH);
    await at.document.proposals.choose(2);
    const volume = weightsOf(at);
    const figures = at.document.proposals.current?.figures;
    at.close();
    const again = await openAnother();
    await again.document.proposals.restore();
    expect(again.document.proposals.current?.alternatives).toHaveLength(3);
    expect(again.document.proposals.current?.figures).toEqual(figures);
    expect(weightsOf(again)).toEqual(volume);
    again.close();
  });

  test('kept while others are still computed, the rest is not', async () => {
    const run = at.bindRuns.compare(WISH);
    await new Promise<void>((resolve) => {
      const end = at.document.events.subscribe('shown', () => {
        end();
        resolve();
      });
    });
    await at.document.proposals.keep();
    await run;
    expect(at.document.proposals.current).toBeUndefined();
    expect(at.bindRuns.running).toBeUndefined();
    expect(doneLabels(at)).toEqual(['Bind by nearest bone']);
  });

  test('stopped, what is there already stays to be decided', async () => {
    const run = at.bindRuns.compare(WISH);
    await new Promise<void>((resolve) => {
      const end = at.document.events.subscribe('shown', () => {
        end();
        resolve();
      });
    });
    at.bindRuns.stop();
    await run;
    expect(names()).toEqual(['Nearest']);
    expect(at.bindRuns.failure).toBe('');
  });

  test('what cannot be bound says why, and proposes nothing', async () => {
    await at.bindRuns.compare({ ...WISH, bindSelected: true });
    expect(at.bindRuns.failure).toMatch(/No point is selected/);
    expect(at.document.proposals.current).toBeUndefined();
  });
});
