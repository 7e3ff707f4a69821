/** A row of the table: a point of a part. */
export interface TableRow {
  readonly part: number;
  readonly point: number;
}

/** Rows for points, part by part; two flat arrays, for there may be hundreds of thousands. */
export class TableRows {
  readonly parts: Uint16Array;
  readonly points: Uint32Array;
  readonly count: number;

  constructor(points: ReadonlyMap<number, Uint32Array>) {
    this.count = [...points.values()].reduce((sum, list) => sum + list.length, 0);
    this.parts = new Uint16Array(this.count);
    this.points = new Uint32Array(this.count);
    let at = 0;
    for (const [part, list] of points) {
      this.parts.fill(part, at, at + list.length);
      this.points.set(list, at);
      at += list.length;
    }
  }

  /** Runs of rows of one part, no longer than `most`: [part, first, end). */
  static *runs(parts: Uint16Array, rows: Uint32Array, most: number): Generator<[number, number, number]> {
    for (let from = 0, to = 1; from < rows.length; from = to++) {
      while (to < rows.length && to - from < most && parts[rows[to]] === parts[rows[from]]) to++;
      yield [parts[rows[from]], from, to];
    }
  }

  row(index: number): TableRow {
    return { part: this.parts[index], point: this.points[index] };
  }
}

/** Weights to be: of `rows`, by number and rising, for each of `joints`, row by row. NaN leaves a cell as it is. */
export interface CellEdits {
  readonly rows: Uint32Array;
  readonly joints: readonly number[];
  readonly values: Float32Array;
}
