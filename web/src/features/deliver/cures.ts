import { copyRow, createRows, type Change, type WeightRows } from '@judoka/core/weights';
import type { JointDrop, LimitedPoints } from '@judoka/core/operations/limit';

/** One more step towards a limit. */
export interface CureStep {
  /** What it costs with all before it, in scene units. */
  readonly cost: number;
}

/** Steps towards a limit, cheapest first: how far one goes is the person's to say. */
export interface Cure {
  readonly kind: 'influences' | 'joints';
  readonly limit: number;
  readonly steps: readonly CureStep[];
  /** What the whole way would cost if the smallest weights were dropped; undefined where that means nothing. */
  readonly plainCost?: number;
  /** What is meant by a step. */
  readonly joints?: readonly JointDrop[];
  /** The change up to a step, from the weights that it was made on. */
  change(steps: number): Change;
}

/** Fewer influences: a step is a point. */
export function influenceCure(
  limit: number,
  before: readonly WeightRows[],
  found: readonly (readonly (LimitedPoints | undefined)[])[],
): Cure {
  const all: { part: number; point: number; cost: number; rows: WeightRows; row: number }[] = [];
  let plainCost = 0;
  for (const shares of found)
    shares.forEach((own, part) =>
      own?.points.forEach((point, row) => {
        all.push({ part, point, cost: own.costs[row], rows: own.rows, row });
        plainCost = Math.max(plainCost, own.plainCosts[row]);
      }),
    );
  all.sort((a, b) => a.cost - b.cost || a.part - b.part || a.point - b.point);
  return {
    ...{ kind: 'influences', limit, plainCost, steps: all },
    change: (steps) => {
      const byPart = new Map<number, (typeof all)[number][]>();
      for (const one of all.slice(0, steps)) {
        const own = byPart.get(one.part);
        if (own) own.push(one);
        else byPart.set(one.part, [one]);
      }
      return changeOf(before, byPart);
    },
  };
}

/** Fewer joints: a step is a joint. */
export function jointCure(limit: number, before: readonly WeightRows[], drops: readonly JointDrop[]): Cure {
  return {
    ...{ kind: 'joints', limit, steps: drops, joints: drops },
    change: (steps) => {
      const last = new Map<number, Map<number, { point: number; rows: WeightRows; row: number }>>();
      for (const { rows } of drops.slice(0, steps))
        for (const { part, points, rows: own } of rows) {
          const held = last.get(part) ?? new Map<number, { point: number; rows: WeightRows; row: number }>();
          points.forEach((point, row) => held.set(point, { point, rows: own, row }));
          last.set(part, held);
        }
      return changeOf(before, new Map([...last].map(([part, held]) => [part, [...held.values()]])));
    },
  };
}

function changeOf(
  before: readonly WeightRows[],
  byPart: ReadonlyMap<number, readonly { point: number; rows: WeightRows; row: number }[]>,
): Change {
  return [...byPart]
    .sort(([a], [b]) => a - b)
    .flatMap(([part, own]) => {
      const sorted = [...own].sort((a, b) => a.point - b.point);
      const after = createRows(sorted.length, before[part].stride);
      const was = createRows(sorted.length, before[part].stride);
      sorted.forEach(({ point, rows, row }, i) => {
        copyRow(rows, row, after, i);
        copyRow(before[part], point, was, i);
      });
      const points = Uint32Array.from(sorted, ({ point }) => point);
      return points.length === 0 ? [] : [{ part, points, before: was, after }];
    });
}
