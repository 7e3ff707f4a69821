import type { Editing } from '../../scene/Editing.ts';
import type { EventSource } from '../../document/events.ts';
import type { CellEdits, TableRows } from './tableRows.ts';

/** The column of the mask that is painted, among the numbers of joints. */
export const MASK_COLUMN = -1;

/** The mask that is painted, as the table needs it. */
export interface PaintedMask {
  readonly events: EventSource<'changed'>;
  readonly current: { readonly name: string } | undefined;
  /** By part: how much of each point it takes. */
  readonly amounts: readonly Float32Array[];
  change(label: string, amountOf: (part: number, point: number, amount: number) => number): void;
}

export type TableAt = Editing & { readonly masks?: PaintedMask };

export const columnName = ({ document, masks }: TableAt, column: number): string =>
  column === MASK_COLUMN ? (masks?.current?.name ?? '') : document.jointName(column);

/** Gives points the amounts that were typed in the mask's column. */
export function changeMaskCells(
  { masks }: TableAt,
  rows: TableRows,
  { rows: lines, joints, values }: CellEdits,
  label: string,
): void {
  const column = joints.indexOf(MASK_COLUMN);
  const wanted = new Map<number, Map<number, number>>();
  lines.forEach((line, i) => {
    const value = values[i * joints.length + column];
    if (Number.isNaN(value)) return;
    const { part, point } = rows.row(line);
    const own = wanted.get(part) ?? new Map<number, number>();
    wanted.set(part, own.set(point, value));
  });
  if (wanted.size === 0) return;
  masks?.change(label, (part, point, amount) => wanted.get(part)?.get(point) ?? amount);
}

/** Edits of joints' cells alone. */
export function withoutMaskCells({ rows, joints, values }: CellEdits): CellEdits {
  const kept = joints.flatMap((joint, x) => (joint === MASK_COLUMN ? [] : [x]));
  return {
    rows,
    joints: kept.map((x) => joints[x]),
    values: Float32Array.from(
      { length: rows.length * kept.length },
      (_, i) => values[Math.floor(i / kept.length) * joints.length + kept[i % kept.length]],
    ),
  };
}
