import { Drawer } from '@mantine/core';
import { weightOf } from '@judoka/core';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useRef, useState, type ClipboardEvent, type KeyboardEvent } from 'react';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { scopeOf } from '../session/exact.ts';
import { useTopic } from '../session/useTopic.ts';
import {
  cellChange,
  columnsOf,
  readPasted,
  sortRows,
  TableRows,
  type CellEdits,
  type TableOrder,
} from '../session/weightTable.ts';
import { useBench } from '../state/store.ts';
import { Knot } from './Knot.tsx';

const ROW_PX = 24;
const COLUMN_PX = 92;

interface Cell {
  readonly x: number;
  readonly y: number;
}

/** All weights of the selection, points by joints: sorted, edited, pasted; each point's sum stays one. */
export function WeightTable({ session, close }: { session: CharacterSession; close: () => void }) {
  return (
    <Drawer
      opened
      onClose={close}
      position="right"
      size="72%"
      padding={0}
      title="Table of weights"
      styles={{
        header: { paddingLeft: 14 },
        body: { height: 'calc(100% - 60px)', display: 'flex', flexDirection: 'column' },
      }}
    >
      <Table session={session} />
    </Drawer>
  );
}

function Table({ session }: { session: CharacterSession }) {
  const weights = useTopic(session, 'weights');
  useTopic(session, 'locks');
  const { limit } = useBench();
  const [order, setOrder] = useState<TableOrder>({ by: 'point' });
  const [wanted, setWanted] = useState('');
  const [at, setAt] = useState<Cell>({ x: 0, y: 0 });
  const [range, setRange] = useState<Cell>();
  const [typed, setTyped] = useState<string>();
  const [moved, setMoved] = useState<ReadonlySet<string>>(new Set());
  const scroll = useRef<HTMLDivElement>(null);
  const rows = useMemo(() => new TableRows(scopeOf(session)), [session]);
  const columns = useMemo(() => columnsOf(session, rows), [session, rows]);
  const shown = columns.filter((joint) =>
    session.jointName(joint).toLowerCase().includes(wanted.trim().toLowerCase()),
  );
  // Sorted anew when asked for, not at every edit: rows must not run away under the hand.
  const sorted = useMemo(() => sortRows(session, rows, order), [session, rows, order]);
  const down = useVirtualizer({
    count: rows.count,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW_PX,
    overscan: 12,
  });
  const across = useVirtualizer({
    horizontal: true,
    count: shown.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => COLUMN_PX,
    overscan: 3,
  });
  useEffect(() => {
    down.scrollToIndex(at.y);
    across.scrollToIndex(at.x);
  }, [at, down, across]);

  const apply = (edits: CellEdits, label: string): void => {
    try {
      const change = cellChange(session, rows, edits, limit);
      const touched = new Set<string>();
      for (const { part, points, before, after } of change)
        points.forEach((point, i) => {
          for (const joint of shown)
            if (weightOf(before, i, joint) !== weightOf(after, i, joint))
              touched.add(`${part} ${point} ${joint}`);
        });
      setMoved(touched);
      session.perform(label, change).catch((error: Error) => session.tellPerson(error.message));
    } catch (error) {
      session.tellPerson(error instanceof Error ? error.message : String(error));
    }
  };
  const box = boxOf(at, range);
  const type = (): void => {
    if (typed === undefined) return;
    setTyped(undefined);
    const value = Number(typed.trim().replace(',', '.'));
    if (typed.trim() === '' || !(value >= 0 && value <= 1))
      return session.tellPerson('A weight is a number from 0 to 1.');
    const edits = new Map<number, Map<number, number>>();
    for (let y = box.y0; y <= box.y1; y++) {
      const cells = new Map<number, number>();
      for (let x = box.x0; x <= box.x1; x++) cells.set(shown[x], value);
      edits.set(sorted[y], cells);
    }
    apply(edits, `Type ${value} in the table`);
  };
  const paste = (event: ClipboardEvent): void => {
    event.preventDefault();
    try {
      const lines = readPasted(event.clipboardData.getData('text'), shown.length - at.x);
      if (lines.length > rows.count - at.y)
        throw new Error(
          `${lines.length} lines do not fit: from here there are ${rows.count - at.y} points. Nothing was pasted.`,
        );
      const edits = new Map<number, Map<number, number>>();
      lines.forEach((cells, dy) => {
        const own = new Map<number, number>();
        cells.forEach((value, dx) => value !== undefined && own.set(shown[at.x + dx], value));
        if (own.size > 0) edits.set(sorted[at.y + dy], own);
      });
      apply(edits, `Paste ${lines.length} lines in the table`);
    } catch (error) {
      session.tellPerson(error instanceof Error ? error.message : String(error));
    }
  };
  const onKeyDown = (event: KeyboardEvent): void => {
    const step = STEPS[event.key];
    if (typed !== undefined) {
      if (event.key === 'Enter') type();
      else if (event.key === 'Escape') setTyped(undefined);
      return;
    }
    if (step) {
      event.preventDefault();
      const from = event.shiftKey ? (range ?? at) : at;
      const to = {
        x: Math.max(0, Math.min(shown.length - 1, from.x + step[0])),
        y: Math.max(0, Math.min(rows.count - 1, from.y + step[1])),
      };
      if (event.shiftKey) setRange(to);
      else {
        setAt(to);
        setRange(undefined);
      }
    } else if (/^[\d.,]$/.test(event.key)) setTyped(event.key);
    else if (event.key === 'Enter') setTyped('');
    else if (event.key === 'Delete') setTyped('0');
  };
  if (rows.count === 0 || columns.length === 0)
    return <p className="group card-line">There are no points with weight to show.</p>;
  return (
    <>
      <div className="table-bar">
        <input
          className="rename"
          placeholder="Find a joint"
          aria-label="Find a column"
          value={wanted}
          onChange={(event) => setWanted(event.currentTarget.value)}
        />
        <span className="card-line" data-rows={rows.count}>
          {rows.count.toLocaleString('en')} points by {columns.length} joints. Type, paste from a spreadsheet;
          arrows and Shift choose a range.
        </span>
      </div>
      <div
        ref={scroll}
        className="weight-table"
        role="grid"
        aria-label="Weights"
        aria-rowcount={rows.count}
        tabIndex={0}
        onKeyDown={onKeyDown}
        onPaste={paste}
        data-version={weights}
      >
        <div
          style={{
            width: LEAD_PX + across.getTotalSize(),
            height: down.getTotalSize() + ROW_PX,
            position: 'relative',
          }}
        >
          <div className="table-head" style={{ height: ROW_PX, width: LEAD_PX + across.getTotalSize() }}>
            <button type="button" className="lead" onClick={() => setOrder({ by: 'point' })}>
              point
            </button>
            <button type="button" className="sum" onClick={() => setOrder({ by: 'count' })}>
              sum
            </button>
            {across.getVirtualItems().map(({ index, start }) => (
              <div key={index} className="column-head" style={{ left: LEAD_PX + start, width: COLUMN_PX }}>
                <button
                  type="button"
                  title={`Sort by ${session.jointName(shown[index])}`}
                  aria-pressed={order.by === 'joint' && order.joint === shown[index]}
                  onClick={() => setOrder({ by: 'joint', joint: shown[index] })}
                >
                  {session.jointName(shown[index])}
                </button>
                <button
                  type="button"
                  aria-label={`Lock ${session.jointName(shown[index])} in the table`}
                  aria-pressed={session.locks[shown[index]] === 1}
                  onClick={() => session.setLocked(shown[index], session.locks[shown[index]] === 0)}
                >
                  <Knot tied={session.locks[shown[index]] === 1} />
                </button>
              </div>
            ))}
          </div>
          {down.getVirtualItems().map((line) => {
            const { part, point } = rows.row(sorted[line.index]);
            const held = session.parts[part].skin.rows;
            return (
              <div
                key={line.index}
                className="table-row"
                style={{ top: ROW_PX + line.start, height: ROW_PX }}
              >
                <span className="lead">
                  {session.partName(part)} {point}
                </span>
                <span className="sum figures">{sumOf(held, point).toFixed(3)}</span>
                {across.getVirtualItems().map(({ index, start }) => {
                  const joint = shown[index];
                  const weight = weightOf(held, point, joint);
                  const isAt = at.x === index && at.y === line.index;
                  const inside =
                    index >= box.x0 && index <= box.x1 && line.index >= box.y0 && line.index <= box.y1;
                  return (
                    <span
                      key={index}
                      role="gridcell"
                      className="cell figures"
                      style={{ left: LEAD_PX + start, width: COLUMN_PX }}
                      data-at={isAt}
                      data-inside={inside}
                      data-moved={moved.has(`${part} ${point} ${joint}`)}
                      data-none={weight === 0}
                      onPointerDown={(event) => {
                        if (event.shiftKey) setRange({ x: index, y: line.index });
                        else {
                          setAt({ x: index, y: line.index });
                          setRange(undefined);
                          setTyped(undefined);
                        }
                      }}
                      onDoubleClick={() => setTyped('')}
                    >
                      {isAt && typed !== undefined ? `${typed}▏` : weight === 0 ? '0' : weight.toFixed(3)}
                      {isAt && typed !== undefined && (
                        <input
                          className="cell-input"
                          aria-label="Weight in the table"
                          autoFocus
                          value={typed}
                          onChange={(event) => setTyped(event.currentTarget.value)}
                          onBlur={() => setTyped(undefined)}
                        />
                      )}
                    </span>
                  );
                })}
              </div>
            );
          })}
        </div>
      </div>
    </>
  );
}

const LEAD_PX = 190;
const STEPS: Readonly<Record<string, readonly [number, number] | undefined>> = {
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  PageUp: [0, -20],
  PageDown: [0, 20],
};

function boxOf(a: Cell, b: Cell = a): { x0: number; x1: number; y0: number; y1: number } {
  return { x0: Math.min(a.x, b.x), x1: Math.max(a.x, b.x), y0: Math.min(a.y, b.y), y1: Math.max(a.y, b.y) };
}

function sumOf({ values, stride }: { values: Float32Array; stride: number }, point: number): number {
  let sum = 0;
  for (let k = point * stride; k < (point + 1) * stride; k++) sum += values[k];
  return sum;
}
