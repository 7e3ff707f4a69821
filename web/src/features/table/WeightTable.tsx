import { Drawer } from '@mantine/core';
import { type Change, rowSum, weightOf } from '@judoka/core/weights';
import { useVirtualizer, type VirtualItem } from '@tanstack/react-virtual';
import { memo, useEffect, useMemo, useRef, useState } from 'react';
import { scopeOf } from '../../scene/scope.ts';
import { useEvent } from '../../document/useEvent.ts';
import { columnsOf, isMoved, TableRows, type TableOrder } from './weightTable.ts';
import { useUiSettings } from '../../settings/store.ts';
import { Knot } from '../../ui/LockIcon.tsx';
import { useCells, type Cell as CellPlace, type Cells } from './useCells.ts';
import { useSortedRows } from './useSortedRows.ts';
import type { Editing } from '../../scene/Editing.ts';
import { setLocked } from '../../document/jointSettings.ts';
import './table.css';

type At = Editing;

const ROW_PX = 24;
const COLUMN_PX = 92;
const LEAD_PX = 190;
/** More lines than are ever in view. */
const LINES = 128;

/** All weights of the selection, points by joints: sorted, edited, pasted; each point's sum stays one. */
export function WeightTable({ at, close }: { at: At; close: () => void }) {
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
      <Table at={at} />
    </Drawer>
  );
}

function Table({ at }: { at: At }) {
  const weights = useEvent(at.document.events, 'weights');
  useEvent(at.document.events, 'values');
  const { limit } = useUiSettings('limit');
  const [order, setOrder] = useState<TableOrder>({ by: 'point' });
  const [wanted, setWanted] = useState('');
  const scroll = useRef<HTMLDivElement>(null);
  const rows = useMemo(() => new TableRows(scopeOf(at)), [at]);
  const columns = useMemo(() => columnsOf(at, rows), [at, rows]);
  const shown = useMemo(() => {
    const word = wanted.trim().toLowerCase();
    return columns.filter((joint) => at.document.jointName(joint).toLowerCase().includes(word));
  }, [at, columns, wanted]);
  // Rows must not run away under the hand: an edit does not sort them anew.
  const sorted = useSortedRows(at, rows, order);
  const cells = useCells(at, rows, sorted, shown, limit);
  const down = useVirtualizer({
    count: rows.count,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW_PX,
    overscan: 2,
    useFlushSync: false,
  });
  const across = useVirtualizer({
    horizontal: true,
    count: shown.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => COLUMN_PX,
    overscan: 1,
    useFlushSync: false,
  });
  useEffect(() => {
    down.scrollToIndex(cells.cursor.y);
    across.scrollToIndex(cells.cursor.x);
  }, [cells.cursor, down, across]);
  const isTyping = cells.typed !== undefined;
  useEffect(() => {
    if (!isTyping) return;
    const grid = scroll.current;
    // The field is gone: the keys are the table's again, unless the person went elsewhere.
    return () => {
      if (document.activeElement === document.body) grid?.focus({ preventScroll: true });
    };
  }, [isTyping]);
  if (rows.count === 0 || columns.length === 0)
    return <p className="group card-line">There are no points with weight to show.</p>;
  const width = LEAD_PX + across.getTotalSize();
  const items = across.getVirtualItems();
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
          Shift chooses a range, a double click on a name its column.
        </span>
      </div>
      <div
        ref={scroll}
        className="weight-table"
        role="grid"
        aria-label="Weights"
        aria-rowcount={rows.count + 1}
        tabIndex={0}
        // The keys are the table's as soon as it is open.
        data-autofocus
        onKeyDown={cells.onKeyDown}
        onPaste={cells.onPaste}
        onPointerDown={(event) => {
          const cell = cellUnder(event.target);
          if (cell) cells.choose(cell, event.shiftKey);
        }}
        onDoubleClick={(event) => cellUnder(event.target) && cells.setTyped('')}
        data-version={weights}
      >
        <div role="rowgroup" style={{ width, height: down.getTotalSize() + ROW_PX, position: 'relative' }}>
          <TableHead
            at={at}
            columns={shown}
            items={items}
            width={width}
            order={order}
            setOrder={setOrder}
            cells={cells}
          />
          {down.getVirtualItems().map(({ index, start }) => {
            const { part, point } = rows.row(sorted[index]);
            const isAt = cells.cursor.y === index;
            const isInRange = index >= cells.box.y0 && index <= cells.box.y1;
            return (
              <TableLine
                // Lines are used again for others: while scrolling nothing is made anew.
                key={index % LINES}
                at={at}
                version={weights}
                part={part}
                point={point}
                index={index}
                top={ROW_PX + start}
                columns={shown}
                items={items}
                cursor={isAt ? cells.cursor.x : -1}
                from={isInRange ? cells.box.x0 : -1}
                to={isInRange ? cells.box.x1 : -1}
                typed={isAt ? cells.typed : undefined}
                setTyped={cells.setTyped}
                moved={cells.moved}
              />
            );
          })}
        </div>
      </div>
    </>
  );
}

/** The cell under a pointer, told by the page's own elements. */
function cellUnder(target: EventTarget): CellPlace | undefined {
  const column = (target as HTMLElement).closest<HTMLElement>('[data-column]');
  const line = column?.closest<HTMLElement>('[data-line]');
  return column && line ? { x: Number(column.dataset.column), y: Number(line.dataset.line) } : undefined;
}

interface HeadProps {
  readonly at: At;
  readonly columns: readonly number[];
  readonly items: readonly VirtualItem[];
  readonly width: number;
  readonly order: TableOrder;
  readonly setOrder: (order: TableOrder) => void;
  readonly cells: Cells;
}

function TableHead({ at, columns, items, width, order, setOrder, cells }: HeadProps) {
  return (
    <div role="row" aria-rowindex={1} className="table-head" style={{ height: ROW_PX, width }}>
      <span role="columnheader" className="lead">
        <button type="button" onClick={() => setOrder({ by: 'point' })}>
          point
        </button>
      </span>
      <span role="columnheader" className="sum">
        <button
          type="button"
          title="Sort by the number of influences"
          onClick={() => setOrder({ by: 'count' })}
        >
          sum
        </button>
      </span>
      {items.map(({ index, start }) => {
        const joint = columns[index];
        const name = at.document.jointName(joint);
        const tied = at.document.locks[joint] === 1;
        return (
          <div
            key={index}
            role="columnheader"
            className="column-head"
            style={{ left: LEAD_PX + start, width: COLUMN_PX }}
          >
            <button
              type="button"
              title={`Sort by ${name}`}
              aria-pressed={order.by === 'joint' && order.joint === joint}
              onClick={() => setOrder({ by: 'joint', joint })}
              onDoubleClick={() => cells.chooseColumn(index)}
            >
              {name}
            </button>
            <button
              type="button"
              aria-label={`Lock ${name} in the table`}
              aria-pressed={tied}
              onClick={() => setLocked(at.document, joint, !tied)}
            >
              <Knot tied={tied} />
            </button>
          </div>
        );
      })}
    </div>
  );
}

interface LineProps {
  readonly at: At;
  /** Of the weights: a line says what they were when it was drawn. */
  readonly version: number;
  readonly part: number;
  readonly point: number;
  /** Number of the line, and where it stands. */
  readonly index: number;
  readonly top: number;
  readonly columns: readonly number[];
  readonly items: readonly VirtualItem[];
  /** Column of the cell that is worked on; -1 if it is on another line. */
  readonly cursor: number;
  /** First and last column that are chosen on this line; -1 for none. */
  readonly from: number;
  readonly to: number;
  readonly typed: string | undefined;
  readonly setTyped: (typed: string | undefined) => void;
  readonly moved: Change;
}

const weightWords = (weight: number): string => (weight === 0 ? '0' : weight.toFixed(3));
/** The bar under a weight, as the size of the cell's background. */
const barSize = (weight: number): string => `${Math.round(Math.min(1, weight) * (COLUMN_PX - 14))}px 2px`;

interface CellProps {
  readonly column: number;
  readonly left: number;
  readonly weight: number;
  readonly isAt: boolean;
  readonly isInside: boolean;
  readonly isMoved: boolean;
}

/** A weight, and a bar for it. Drawn anew only if it says something else: while scrolling most cells stay what they are. */
const Cell = memo(function Cell({ column, left, weight, isAt, isInside, isMoved: moved }: CellProps) {
  return (
    <span
      role="gridcell"
      className="cell figures"
      style={{ left, width: COLUMN_PX, backgroundSize: barSize(weight) }}
      data-column={column}
      data-at={isAt}
      data-inside={isInside}
      data-moved={moved}
      data-none={weight === 0}
    >
      {weightWords(weight)}
    </span>
  );
});

/** One point; the weight of each cell is also a bar in it. Lines that stay in view while others come are left alone. */
const TableLine = memo(function TableLine({ at, part, point, index, top, ...line }: LineProps) {
  const held = at.scene.parts[part].skin.rows;
  const { columns, items, cursor, from, to, typed, setTyped, moved } = line;
  return (
    <div
      role="row"
      aria-rowindex={index + 2}
      className="table-row"
      style={{ top, height: ROW_PX }}
      data-line={index}
    >
      <span role="rowheader" className="lead">
        {at.document.partName(part)} {point}
      </span>
      <span role="gridcell" className="sum figures">
        {rowSum(held, point).toFixed(3)}
      </span>
      {items.map(({ index: column, start }) => {
        const joint = columns[column];
        if (cursor === column && typed !== undefined)
          return <TypedCell key={column} left={LEAD_PX + start} typed={typed} setTyped={setTyped} />;
        return (
          <Cell
            key={column}
            column={column}
            left={LEAD_PX + start}
            weight={weightOf(held, point, joint)}
            isAt={cursor === column}
            isInside={column >= from && column <= to}
            isMoved={isMoved(moved, part, point, joint)}
          />
        );
      })}
    </div>
  );
});

interface TypedProps {
  readonly left: number;
  readonly typed: string;
  readonly setTyped: (typed: string | undefined) => void;
}

function TypedCell({ left, typed, setTyped }: TypedProps) {
  const field = useRef<HTMLInputElement>(null);
  useEffect(() => field.current?.focus(), []);
  return (
    <span
      role="gridcell"
      className="cell figures"
      style={{ left, width: COLUMN_PX, backgroundSize: '0' }}
      data-at
    >
      {`${typed}▏`}
      <input
        className="cell-input"
        aria-label="Weight in the table"
        // Escape drops what is typed; it does not close the table.
        data-mantine-stop-propagation="true"
        ref={field}
        value={typed}
        onChange={(event) => setTyped(event.currentTarget.value)}
        onBlur={() => setTyped(undefined)}
      />
    </span>
  );
}
