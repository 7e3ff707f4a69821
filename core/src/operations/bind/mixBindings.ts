import type { Change, Delta } from '../../weights/delta.ts';
import type { Candidates } from '../../weights/normalize.ts';
import { rewritePoints, type RewriteRules } from '../../weights/rewritePoints.ts';
import { TINY_WEIGHT, type WeightRows } from '../../weights/rows.ts';

/** From where a point is wholly the other binding's: the share of the chosen joints in either. */
const WHOLE_SHARE = 0.5;

export interface Mixture {
  /** Two bindings of the same rows. */
  readonly main: Change;
  readonly other: Change;
  /** Uint8Array, jointCount: 1 for the joints that are taken from `other`. */
  readonly joints: Uint8Array;
}

/**
 * One binding for some joints and another for the rest. A point is the other binding's as far as the chosen joints hold
 * it in either of the two, wholly from a half on; between, the two rows are blended, so that no border is torn.
 *
 * @param rowsOfPart the weights that both bindings were made on
 */
export function mixBindings(
  rowsOfPart: readonly WeightRows[],
  { main, other, joints }: Mixture,
  rules: RewriteRules,
): Change {
  const parts = [...new Set([...main, ...other].map(({ part }) => part))].sort((a, b) => a - b);
  return parts
    .map((part) => {
      const rows = rowsOfPart[part];
      const readers = [main, other].map((change) => new RowReader(rows, changeOf(change, part)));
      const points = mergeSorted(readers.map(({ points: of }) => of));
      return rewritePoints(part, rows, points, rules, (p, c) => mixRow(c, p, readers, joints)).delta;
    })
    .filter((delta) => delta.points.length > 0);
}

function mixRow(c: Candidates, point: number, readers: readonly RowReader[], joints: Uint8Array): void {
  for (const reader of readers) reader.moveTo(point);
  const held = Math.max(...readers.map((reader) => reader.shareOf(joints)));
  const share = Math.min(1, held / WHOLE_SHARE);
  const locked = c.count;
  readers.forEach((reader, i) => reader.add(c, i === 0 ? 1 - share : share, locked));
  dropTiny(c, locked);
}

/** A mixture leaves no weight so small that it hides, as no binding does. */
function dropTiny(c: Candidates, from: number): void {
  let kept = from;
  for (let k = from; k < c.count; k++) {
    if (c.values[k] < TINY_WEIGHT) continue;
    c.joints[kept] = c.joints[k];
    c.values[kept++] = c.values[k];
  }
  c.count = kept;
}

const changeOf = (change: Change, part: number): Delta | undefined =>
  change.find((delta) => delta.part === part);

/** A part's rows after a change, read at rising points. */
class RowReader {
  readonly #rows: WeightRows;
  readonly #delta: Delta | undefined;
  #next = 0;
  #at: WeightRows;
  #from = 0;

  constructor(rows: WeightRows, delta: Delta | undefined) {
    this.#rows = rows;
    this.#delta = delta;
    this.#at = rows;
  }

  get points(): Uint32Array {
    return this.#delta?.points ?? new Uint32Array(0);
  }

  moveTo(point: number): void {
    const { points } = this;
    while (this.#next < points.length && points[this.#next] < point) this.#next++;
    const isChanged = points[this.#next] === point;
    this.#at = isChanged && this.#delta ? this.#delta.after : this.#rows;
    this.#from = (isChanged ? this.#next : point) * this.#at.stride;
  }

  shareOf(joints: Uint8Array): number {
    let share = 0;
    this.#each((joint, value) => (share += joints[joint] ? value : 0));
    return share;
  }

  /** Adds the row to candidates, so much of it; those before `from` are locked joints', which keep what they have. */
  add(c: Candidates, share: number, from: number): void {
    if (share === 0) return;
    this.#each((joint, value) => {
      let k = 0;
      while (k < c.count && c.joints[k] !== joint) k++;
      if (k < from) return;
      if (k === c.count) {
        c.joints[c.count] = joint;
        c.values[c.count++] = 0;
      }
      c.values[k] += share * value;
    });
  }

  #each(visit: (joint: number, value: number) => void): void {
    const { joints, values, stride } = this.#at;
    for (let k = this.#from; k < this.#from + stride && values[k] !== 0; k++) visit(joints[k], values[k]);
  }
}

function mergeSorted([a, b]: readonly Uint32Array[]): Uint32Array {
  const merged = new Uint32Array(a.length + b.length);
  let [i, k, count] = [0, 0, 0];
  while (i < a.length || k < b.length) {
    const next = k >= b.length || (i < a.length && a[i] <= b[k]) ? a[i++] : b[k++];
    if (count === 0 || merged[count - 1] !== next) merged[count++] = next;
  }
  return merged.subarray(0, count);
}
