import { copyRow, DeltaBuilder, rowsEqual, type Change, type Delta } from './delta.ts';
import { createCandidates, normalizeCandidates, RowStatus, type Candidates } from './normalize.ts';
import { createRows, influenceCount, type WeightRows } from './rows.ts';

/** A change put on top of other weights, and what of it was not taken. */
export interface RebasedWeights {
  readonly change: Change;
  /** Points that others had changed too. */
  readonly overlapping: number;
  /** By part: points where not all of the change could be taken, rising; and the rows that it had wanted there. */
  readonly notTaken: Change;
}

/** A row that both changed may have this many influences, and as many as either had. */
const USUAL_INFLUENCES = 4;
/** A change of a row counts as taken if no more than this much weight of it is lost. */
const LOST_WEIGHT = 0.005;

/**
 * The same change on top of weights that others have changed meanwhile, influence by influence: what the change took from
 * a joint is taken from what that joint has now, as far as it is there, and as much goes to the joints that gained, in
 * the change's own proportions. All else stays as others left it, locked joints too. A row that was empty before or is
 * empty now is taken as a whole.
 */
export function rebaseWeights(
  rowsOfPart: readonly WeightRows[],
  change: Change,
  locks: Uint8Array,
): RebasedWeights {
  let overlapping = 0;
  const notTaken: Delta[] = [];
  const rebased = change.flatMap((delta) => {
    const rows = rowsOfPart[delta.part];
    const merger = new RowMerger(rows, locks);
    const builder = new DeltaBuilder(delta.part, rows.stride, delta.points.length);
    const lost = new DeltaBuilder(delta.part, rows.stride, delta.points.length);
    delta.points.forEach((point, i) => {
      if (rowsEqual(delta.before, i, rows, point)) {
        builder.push(point, rows, point, delta.after, i);
        return;
      }
      overlapping++;
      const isWhole = merger.merge(delta, i, point);
      builder.push(point, rows, point, merger.row, 0);
      if (!isWhole) lost.push(point, merger.row, 0, delta.after, i);
    });
    const left = lost.finish();
    if (left.points.length > 0) notTaken.push(left);
    const made = builder.finish();
    return made.points.length > 0 ? [made] : [];
  });
  return { change: rebased, overlapping, notTaken };
}

/**
 * What several changes, one after the other, had wanted at points where some of them could not be taken whole: one delta a
 * part, its points rising. The row is the one that the last of them to touch the point had wanted.
 *
 * @param lost what was not taken of each, in their order
 * @param made the changes themselves, in their order
 */
export function wantedRows(lost: readonly Delta[], made: readonly Delta[]): Change {
  return [...new Set(lost.map(({ part }) => part))]
    .sort((a, b) => a - b)
    .map((part) => {
      const own = lost.filter((delta) => delta.part === part);
      const points = Uint32Array.from(new Set(own.flatMap((delta) => [...delta.points]))).sort();
      const held = lastRows(own);
      const wanted = lastRows([...own, ...made.filter((delta) => delta.part === part)]);
      const builder = new DeltaBuilder(part, own[0].after.stride, points.length);
      for (const point of points) {
        const [from, to] = [held.get(point), wanted.get(point)];
        if (from && to) builder.push(point, from.delta.before, from.i, to.delta.after, to.i);
      }
      return builder.finish();
    })
    .filter(({ points }) => points.length > 0);
}

/** By point, where the last of some deltas of one part has it. */
function lastRows(deltas: readonly Delta[]): Map<number, { delta: Delta; i: number }> {
  const last = new Map<number, { delta: Delta; i: number }>();
  for (const delta of deltas) delta.points.forEach((point, i) => last.set(point, { delta, i }));
  return last;
}

class RowMerger {
  readonly row: WeightRows;
  readonly #rows: WeightRows;
  readonly #locks: Uint8Array;
  readonly #candidates: Candidates = createCandidates();
  readonly #moves = new Map<number, number>();
  readonly #held = new Map<number, number>();

  constructor(rows: WeightRows, locks: Uint8Array) {
    this.#rows = rows;
    this.#locks = locks;
    this.row = createRows(1, rows.stride);
  }

  /** Puts into `row` what point `point` is to hold. @returns whether all of the change was taken */
  merge({ before, after }: Delta, i: number, point: number): boolean {
    const rows = this.#rows;
    const [was, will, now] = [
      influenceCount(before, i),
      influenceCount(after, i),
      influenceCount(rows, point),
    ];
    if (was === 0 || will === 0 || now === 0) {
      // There is nothing to move weight from or to: an empty row gives way to one that is not.
      const stays = will === 0;
      copyRow(stays ? rows : after, stays ? point : i, this.row, 0);
      return !stays && now === 0;
    }
    const moves = this.#moves;
    moves.clear();
    addRow(moves, after, i, 1);
    addRow(moves, before, i, -1);
    const held = this.#held;
    held.clear();
    addRow(held, rows, point, 1);
    const { asked, taken } = this.#take(moves, held);
    this.#give(moves, held, taken);
    const c = this.#candidates;
    c.count = 0;
    for (const [joint, weight] of held) {
      if (weight <= 0) continue;
      c.joints[c.count] = joint;
      c.values[c.count++] = weight;
    }
    copyRow(rows, point, this.row, 0);
    const rules = { fixed: -1, limit: Math.max(USUAL_INFLUENCES, will, now), locks: this.#locks };
    const status = normalizeCandidates(this.row, 0, c, rules);
    return asked - taken <= LOST_WEIGHT && (status & RowStatus.dropped) === 0;
  }

  /** Takes from joints what the change took, as far as it is there. */
  #take(moves: ReadonlyMap<number, number>, held: Map<number, number>): { asked: number; taken: number } {
    let [asked, taken] = [0, 0];
    for (const [joint, move] of moves) {
      if (move >= 0) continue;
      asked -= move;
      const own = this.#locks[joint] ? 0 : Math.min(-move, held.get(joint) ?? 0);
      held.set(joint, (held.get(joint) ?? 0) - own);
      taken += own;
    }
    return { asked, taken };
  }

  /** Gives it to the joints that gained; to those it came from where all that gained are locked. */
  #give(moves: ReadonlyMap<number, number>, held: Map<number, number>, amount: number): void {
    let gains = 0;
    for (const [joint, move] of moves) if (move > 0 && !this.#locks[joint]) gains += move;
    for (const [joint, move] of moves)
      if (move > 0 && !this.#locks[joint]) held.set(joint, (held.get(joint) ?? 0) + (move / gains) * amount);
  }
}

function addRow(weights: Map<number, number>, rows: WeightRows, point: number, factor: number): void {
  const first = point * rows.stride;
  for (let k = first; k < first + rows.stride && rows.values[k] !== 0; k++) {
    const joint = rows.joints[k];
    weights.set(joint, (weights.get(joint) ?? 0) + factor * rows.values[k]);
  }
}
