import { influencesOf, rewritePoints, weightOf, type Change } from '@judoka/core';
import type { CharacterSession } from './CharacterSession.ts';
import { confinesOf } from './scope.ts';

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

  row(index: number): TableRow {
    return { part: this.parts[index], point: this.points[index] };
  }
}

/** The joints that have weight on the rows, heaviest first. */
export function columnsOf({ parts, rig }: CharacterSession, rows: TableRows): number[] {
  const mass = new Float64Array(rig.room);
  for (let i = 0; i < rows.count; i++) {
    const { joints, values, stride } = parts[rows.parts[i]].skin.rows;
    for (let k = rows.points[i] * stride, end = k + stride; k < end && values[k] !== 0; k++)
      mass[joints[k]] += values[k];
  }
  return [...mass.keys()].filter((joint) => mass[joint] > 0).sort((a, b) => mass[b] - mass[a]);
}

export type TableOrder =
  { readonly by: 'point' } | { readonly by: 'count' } | { readonly by: 'joint'; readonly joint: number };

/** The order in which rows are shown: Uint32Array of row numbers, heaviest first where weights decide. */
export function sortRows({ parts }: CharacterSession, rows: TableRows, order: TableOrder): Uint32Array {
  const sorted = Uint32Array.from({ length: rows.count }, (_, i) => i);
  if (order.by === 'point') return sorted;
  const key = new Float32Array(rows.count);
  for (let i = 0; i < rows.count; i++) {
    const held = parts[rows.parts[i]].skin.rows;
    key[i] =
      order.by === 'joint'
        ? weightOf(held, rows.points[i], order.joint)
        : influencesOf(held, rows.points[i]).length;
  }
  return sorted.sort((a, b) => key[b] - key[a] || a - b);
}

/** Numbers as a spreadsheet copies them: lines, and tabs or semicolons within them. */
export type PastedCells = readonly (readonly (number | undefined)[])[];

/**
 * Reads pasted text. Empty cells stay as they are.
 * @throws Error with a sentence where a cell is no weight
 */
export function readPasted(text: string, mostColumns: number): PastedCells {
  const lines = text.replace(/\r/g, '').replace(/\n+$/, '').split('\n');
  return lines.map((line, y) => {
    const cells = line.split(/[\t;]/);
    if (cells.length > mostColumns)
      throw new Error(
        `Line ${y + 1} has ${cells.length} columns; from here there are ${mostColumns}. Nothing was pasted.`,
      );
    return cells.map((cell, x) => {
      const trimmed = cell.trim().replace(',', '.');
      if (trimmed === '') return undefined;
      const value = trimmed.endsWith('%') ? Number(trimmed.slice(0, -1)) / 100 : Number(trimmed);
      if (!Number.isFinite(value))
        throw new Error(
          `“${cell.trim().slice(0, 30)}” in line ${y + 1}, column ${x + 1} is no number. Nothing was pasted.`,
        );
      if (value < 0 || value > 1)
        throw new Error(
          `${trimmed} in line ${y + 1}, column ${x + 1} is no weight from 0 to 1. Nothing was pasted.`,
        );
      return value;
    });
  });
}

/** Weights to be, by row: joint → value. */
export type CellEdits = ReadonlyMap<number, ReadonlyMap<number, number>>;

/**
 * The change that gives cells their values: those are kept as typed, as far as they leave room for one another, and the
 * point's other unlocked influences share the rest in proportion.
 */
export function cellChange(
  session: CharacterSession,
  rows: TableRows,
  edits: CellEdits,
  limit: number,
): Change {
  const byPart = new Map<number, Map<number, ReadonlyMap<number, number>>>();
  for (const [index, cells] of edits) {
    const { part, point } = rows.row(index);
    const own = byPart.get(part) ?? new Map<number, ReadonlyMap<number, number>>();
    byPart.set(part, own.set(point, cells));
  }
  const rules = {
    locks: session.locks,
    limit: Math.max(limit, 8),
    confines: confinesOf(session),
    batch: session.batch,
  };
  return [...byPart]
    .sort(([a], [b]) => a - b)
    .map(([part, cells]) => {
      const held = session.parts[part].skin.rows;
      const points = Uint32Array.from(cells.keys()).sort();
      return rewritePoints(part, held, points, rules, (p, c) => {
        const typed = cells.get(p) as ReadonlyMap<number, number>;
        let room = 1;
        for (let i = 0; i < c.count; i++) room -= c.values[i];
        let wanted = 0;
        for (const [joint, value] of typed) if (!session.locks[joint]) wanted += value;
        const fit = wanted > room ? room / wanted : 1;
        let others = 0;
        for (const { joint, weight } of influencesOf(held, p))
          if (!typed.has(joint) && !session.locks[joint]) others += weight;
        for (const [joint, value] of typed) {
          if (value <= 0) continue;
          c.joints[c.count] = joint;
          c.values[c.count++] = value * fit;
        }
        const left = Math.max(0, room - wanted * fit);
        for (const { joint, weight } of influencesOf(held, p)) {
          if (typed.has(joint) || session.locks[joint] || others <= 0) continue;
          c.joints[c.count] = joint;
          c.values[c.count++] = (weight / others) * left;
        }
      }).delta;
    })
    .filter(({ points }) => points.length > 0);
}
