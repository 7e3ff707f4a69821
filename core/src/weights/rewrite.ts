import { DeltaBuilder, rowsEqual, type Delta } from './delta.ts';
import { createCandidates, normalizeCandidates, RowStatus, type Candidates } from './normalize.ts';
import { BATCH_ROWS, pushBatch, type RowBatch } from './rowBatch.ts';
import { BATCH_WIDTH } from './normalizeBatch.ts';
import { createRows, type WeightRows } from './rows.ts';
import { weightKernels } from './weightKernels.ts';

/** Rows in the making: candidates in, normalized, a delta out. Points come in rising order. */
interface Rewrite {
  /** Where the next point's candidates go. */
  next(): Candidates;
  /** What was put there is a point's. @param fixed joint whose value is kept as given; -1 for none */
  take(point: number, limit: number): void;
  finish(): { delta: Delta; held: number };
}

/** One row at a time. */
export class SingleRewrite implements Rewrite {
  readonly #rows: WeightRows;
  readonly #locks: Uint8Array;
  readonly #fixed: number;
  readonly #builder: DeltaBuilder;
  readonly #after: WeightRows;
  readonly #candidates = createCandidates();
  #held = 0;

  constructor(part: number, rows: WeightRows, capacity: number, locks: Uint8Array, fixed = -1) {
    this.#rows = rows;
    this.#locks = locks;
    this.#fixed = fixed;
    this.#builder = new DeltaBuilder(part, rows.stride, capacity);
    this.#after = createRows(1, rows.stride);
  }

  next(): Candidates {
    return this.#candidates;
  }

  take(point: number, limit: number): void {
    const after = this.#after;
    after.values.fill(0);
    after.joints.fill(0);
    const rules = { fixed: this.#fixed, limit, locks: this.#locks };
    const status = normalizeCandidates(after, 0, this.#candidates, rules);
    if (status & RowStatus.noReceiver) this.#held++;
    if (this.#fixed >= 0 ? after.values[0] > 0 : !(status & RowStatus.noReceiver))
      this.#builder.push(point, this.#rows, point, after, 0);
  }

  finish(): { delta: Delta; held: number } {
    return { delta: this.#builder.finish(), held: this.#held };
  }
}

/** Many rows at a time, by the kernel. */
export class BatchedRewrite implements Rewrite {
  readonly #rows: WeightRows;
  readonly #locks: Uint8Array;
  readonly #fixed: number;
  readonly #builder: DeltaBuilder;
  readonly #batch: RowBatch;
  readonly #points = new Uint32Array(BATCH_ROWS);
  /** For a row with more candidates than a batch has places for. */
  readonly #wide = createCandidates();
  #count = 0;
  #held = 0;

  constructor(
    part: number,
    rows: WeightRows,
    capacity: number,
    locks: Uint8Array,
    batch: RowBatch,
    fixed = -1,
  ) {
    this.#rows = rows;
    this.#locks = locks;
    this.#fixed = fixed;
    this.#builder = new DeltaBuilder(part, rows.stride, capacity);
    this.#batch = batch;
  }

  next(): Candidates {
    this.#wide.count = 0;
    return this.#wide;
  }

  take(point: number, limit: number): void {
    const { joints, values, counts, limits } = this.#batch;
    const { count, joints: from, values: amounts } = this.#wide;
    const kept = count <= BATCH_WIDTH ? count : cutToLargest(this.#wide, this.#locks, this.#fixed);
    const at = this.#count * BATCH_WIDTH;
    for (let k = 0; k < kept; k++) {
      joints[at + k] = from[k];
      values[at + k] = amounts[k];
    }
    counts[this.#count] = kept;
    limits[this.#count] = Math.min(255, limit);
    this.#points[this.#count++] = point;
    if (this.#count === BATCH_ROWS) this.#flush();
  }

  #flush(): void {
    const { dst, status, memory } = this.#batch;
    weightKernels(memory).normalizeBatch(this.#batch, this.#count, this.#fixed, this.#locks);
    const points = this.#points.subarray(0, this.#count);
    const refused = (i: number): boolean => (status[i] & RowStatus.noReceiver) !== 0;
    for (let i = 0; i < points.length; i++) if (refused(i)) this.#held++;
    pushBatch(
      this.#builder,
      points,
      this.#rows,
      dst,
      (i) =>
        (this.#fixed >= 0 ? dst.values[i * dst.stride] > 0 : !refused(i)) &&
        !rowsEqual(this.#rows, points[i], dst, i),
    );
    this.#count = 0;
  }

  finish(): { delta: Delta; held: number } {
    if (this.#count > 0) this.#flush();
    return { delta: this.#builder.finish(), held: this.#held };
  }
}

/** Keeps the candidates that normalizing would keep first: locked ones, the fixed joint, the largest. */
function cutToLargest(c: Candidates, locks: Uint8Array, fixed: number): number {
  const rank = (i: number): number => (locks[c.joints[i]] ? 3 : c.joints[i] === fixed ? 2 : c.values[i]);
  const order = Array.from({ length: c.count }, (_, i) => i).sort(
    (a, b) => rank(b) - rank(a) || c.joints[a] - c.joints[b],
  );
  const kept = order.slice(0, BATCH_WIDTH).map((i): [number, number] => [c.joints[i], c.values[i]]);
  kept.forEach(([joint, value], i) => {
    c.joints[i] = joint;
    c.values[i] = value;
  });
  c.count = kept.length;
  return kept.length;
}
