import { describe, expect, test } from '@jest/globals';
import type { Workspace } from '../../workspace/Workspace.ts';
import { ARM_L, giveWeight, HAND_R, openForEach, ringPoints, until } from '../../testing/testWorkspace.ts';

let at: Workspace;
openForEach((opened) => ({ at } = opened), { workers: true });

const counted = async (): Promise<void> => {
  const before = at.strayCounts.counts;
  await until('the strays are counted', () => at.strayCounts.counts !== before);
};

describe('counts of strays', () => {
  test('nothing strays on a body that is painted well', async () => {
    await counted();
    expect([...at.strayCounts.counts].every((count) => count === 0)).toBe(true);
  });

  test('weight of the right hand on the left arm counts for the hand, and for nobody else', async () => {
    await counted();
    await at.document.perform('Stray', { weights: giveWeight(at, ringPoints(20), HAND_R, 0.5) });
    await until('it is counted', () => at.strayCounts.counts[HAND_R] > 0);
    expect(at.strayCounts.counts[HAND_R]).toBe(8);
    expect(at.strayCounts.counts[ARM_L]).toBe(0);
  });

  test('a weight so small that it hides counts too; undo takes the count back', async () => {
    await counted();
    await at.document.perform('Tiny', { weights: giveWeight(at, ringPoints(3), ARM_L, 0.004) });
    await until('it is counted', () => at.strayCounts.counts[ARM_L] > 0);
    await at.document.undo();
    await until('it is gone', () => at.strayCounts.counts[ARM_L] === 0);
  });

  test('each count is told of once; a closed watch says nothing more', async () => {
    await counted();
    let told = 0;
    at.strayCounts.events.subscribe('changed', () => told++);
    await at.document.perform('Stray', { weights: giveWeight(at, ringPoints(20), HAND_R, 0.5) });
    await until('it is counted', () => told > 0);
    expect(told).toBe(1);
    at.strayCounts.close();
    await at.document.undo();
    await new Promise((resolve) => setTimeout(resolve, 400));
    expect(told).toBe(1);
  });
});
