import { beforeEach, describe, expect, test } from '@jest/globals';
import { DEFAULT_PROFILE, type DeliveryProfile } from '@judoka/core/document';
import { influenceCount } from '@judoka/core/weights';
import { openForEach, until, weightsOf } from '../../testing/testWorkspace.ts';
import type { Workspace } from '../../workspace/Workspace.ts';

const ONE: DeliveryProfile = { ...DEFAULT_PROFILE, name: 'One bone', influences: 1, weights: 'u8' };

let at: Workspace;
openForEach((opened) => ({ at } = opened), { workers: true });
beforeEach(() => at.delivering.setProfile(ONE));

const most = (): number =>
  Math.max(
    ...at.document.rowsOfPart().map((rows) => {
      let found = 0;
      for (let p = 0; p < rows.pointCount; p++) found = Math.max(found, influenceCount(rows, p));
      return found;
    }),
  );
const line = (limit: string) => at.delivering.lines().find((one) => one.limit === limit);

describe('a cure', () => {
  test('meets its limit, says in the history what it cost, and one undo takes it back', async () => {
    const before = weightsOf(at);
    expect(line('influences')?.isMet).toBe(false);
    await at.delivering.findInfluences();
    expect(most()).toBe(1);
    expect(line('influences')?.isMet).toBe(true);
    await at.document.proposals.keep();
    expect(at.document.log.history.done?.top.label).toMatch(
      /^Fewer influences for “One bone”, at the cost of [\d.]+ mm/,
    );
    await at.document.undo();
    expect(weightsOf(at)).toEqual(before);
  });

  test('its costs are measured on the whole, and are what was told while it was weighed', async () => {
    await at.delivering.findInfluences();
    const { cure } = at.delivering;
    await until('it is measured', () => at.delivering.measured !== undefined);
    const told = cure?.steps.at(-1)?.cost ?? NaN;
    expect(at.delivering.measured?.cost.greatest).toBeCloseTo(told, 4);
    expect(at.delivering.measured?.pose).toBeDefined();
  });

  test('kept while it is measured, the measuring ends, and nothing waits for it', async () => {
    await at.delivering.findInfluences();
    await new Promise<void>((resolve) => {
      at.delivering.events.subscribe('changed', () => {
        if (at.delivering.working?.what === 'Measuring') resolve();
      });
    });
    await at.document.proposals.keep();
    await until('it has ended', () => at.delivering.working === undefined);
    expect(at.delivering.cure).toBeUndefined();
  });

  test('none of its steps leaves what it was, and nothing of its own on the stage', async () => {
    const before = weightsOf(at);
    await at.delivering.findInfluences();
    await at.delivering.take(0);
    expect(at.document.proposals.current).toBeUndefined();
    expect(weightsOf(at)).toEqual(before);
  });
});

describe('rounding', () => {
  test('is measured for a format, and anew once weights have changed', async () => {
    await at.delivering.findRounding('u8');
    await at.delivering.findRounding('u16');
    const [coarse, fine] = [at.delivering.rounding('u8'), at.delivering.rounding('u16')];
    expect(coarse?.cost.greatest).toBeGreaterThan(fine?.cost.greatest ?? Infinity);
    await at.delivering.findInfluences();
    await at.document.proposals.keep();
    expect(at.delivering.rounding('u8')).toBeUndefined();
    // A weight of one is a whole number already.
    await at.delivering.findRounding('u8');
    expect(at.delivering.rounding('u8')?.cost.greatest).toBe(0);
  });
});
