import type { Neighbours } from '../../mesh/neighbours.ts';
import type { WeightRows } from '../../weights/rows.ts';
import type { BendJudge } from './BendJudge.ts';

/** By part: one number a point. */
type Places = ReadonlyMap<number, Float64Array>;

/** Points are let go until they made up for so many times what a bend got worse by, with some rings about them. */
const AMENDS = 1.5;
const SOFT_RINGS = 2;
/** A place is not let go whose gain is so many times the harm: what was mended there would come back. */
const DEAR = 10;

/**
 * Where a change has made bends worse, as far as letting go of it there makes up for it: first where that costs least of what
 * was gained at the bends that were asked for.
 *
 * @param worse     joints whose bends got worse
 * @param asked     those that were to be cured
 * @param before, now the weights; the judge has those of now, and has them again afterwards
 * @returns by joint that got worse, by part: one number a point, 0 to 1, soft about the places
 */
export function findHarm(
  judge: BendJudge,
  worse: readonly number[],
  asked: readonly number[],
  before: readonly WeightRows[],
  now: readonly WeightRows[],
  neighboursOf: (part: number) => Neighbours,
): Map<number, Float32Array>[] {
  const counts = now.map(({ pointCount }) => pointCount);
  const sumAt = (joints: readonly number[]): Places => summed(joints.map((joint) => judge.damageAt(joint)));
  const [left, are] = [sumAt(asked), worse.map((joint) => judge.damageAt(joint))];
  judge.setRows(before);
  const [came, were] = [sumAt(asked), worse.map((joint) => judge.damageAt(joint))];
  judge.setRows(now);
  const gain = difference(came, left, counts);
  return are.map((own, i) => {
    const places = placesToLetGo(difference(own, were[i], counts), gain);
    return new Map(
      [...places].map(([part, { points, most }]) => {
        const isOpen = gain.get(part)?.map((by) => (by < DEAR * most ? 1 : 0));
        return [part, softly(points, counts[part], neighboursOf(part), isOpen)];
      }),
    );
  });
}

function summed(all: readonly Places[]): Places {
  const sums = new Map<number, Float64Array>();
  for (const each of all)
    for (const [part, own] of each) {
      const sum = sums.get(part);
      if (sum) own.forEach((x, p) => (sum[p] += x));
      else sums.set(part, own.slice());
    }
  return sums;
}

function difference(a: Places, b: Places, counts: readonly number[]): Places {
  const parts = new Set([...a.keys(), ...b.keys()]);
  return new Map(
    [...parts].map((part) => {
      const [from, less] = [a.get(part), b.get(part)];
      return [
        part,
        Float64Array.from({ length: counts[part] }, (_, p) => (from?.[p] ?? 0) - (less?.[p] ?? 0)),
      ];
    }),
  );
}

interface LetGo {
  readonly points: number[];
  /** The greatest harm at one of them. */
  most: number;
}

/** Points that together make up for all of an excess, those first that have much of it and little gain. */
function placesToLetGo(excess: Places, gain: Places): Map<number, LetGo> {
  const bad: { readonly part: number; readonly point: number; readonly by: number }[] = [];
  let [net, all] = [0, 0];
  for (const [part, own] of excess)
    own.forEach((by, point) => {
      net += by;
      if (by <= 0) return;
      all += by;
      if ((gain.get(part)?.[point] ?? 0) < DEAR * by) bad.push({ part, point, by });
    });
  const mean = all / Math.max(1, bad.length);
  const worth = ({ part, point, by }: (typeof bad)[number]): number =>
    by / (mean + Math.max(0, gain.get(part)?.[point] ?? 0));
  const ordered = bad.map((each) => ({ ...each, worth: worth(each) })).sort((a, b) => b.worth - a.worth);
  const found = new Map<number, LetGo>();
  let sum = 0;
  for (const { part, point, by } of ordered) {
    if (sum >= AMENDS * net) break;
    sum += by;
    const own = found.get(part) ?? { points: [], most: 0 };
    own.points.push(point);
    own.most = Math.max(own.most, by);
    found.set(part, own);
  }
  return found;
}

/** 1 at points, falling to nothing over some rings. @param isOpen by point: 1 where the rings may go */
function softly(
  points: readonly number[],
  count: number,
  { offsets, points: next }: Neighbours,
  isOpen: ArrayLike<number> | undefined,
): Float32Array {
  const soft = new Float32Array(count);
  for (const p of points) soft[p] = 1;
  let edge = points;
  for (let ring = 1; ring <= SOFT_RINGS; ring++) {
    const found: number[] = [];
    for (const p of edge)
      for (let n = offsets[p]; n < offsets[p + 1]; n++) {
        if (soft[next[n]] > 0 || isOpen?.[next[n]] === 0) continue;
        soft[next[n]] = 1 - ring / (SOFT_RINGS + 1);
        found.push(next[n]);
      }
    edge = found;
  }
  return soft;
}
