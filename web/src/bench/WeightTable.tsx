import { Drawer } from '@mantine/core';
import { rowSum, weightOf } from '@judoka/core';
import { useVirtualizer, type VirtualItem } from '@tanstack/react-virtual';
import { memo, useEffect, useMemo, useRef, useState } from 'react';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { scopeOf } from '../session/exact.ts';
import { useTopic } from '../session/useTopic.ts';
import {
  columnsOf,
  isMoved,
  sortRows,
  TableRows,
  type TableOrder,
  type TableRow,
} from '../session/weightTable.ts';
import { useBench } from '../state/store.ts';
import { Knot } from './Knot.tsx';
import { useCells, type Cells } from './useCells.ts';

const ROW_PX = 24;
const COLUMN_PX = 92;
const LEAD_PX = 190;
/** More lines than are ever in view. */
const LINES = 128;

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
  const scroll = useRef<HTMLDivElement>(null);
  const rows = useMemo(() => new TableRows(scopeOf(session)), [session]);
  const columns = useMemo(() => columnsOf(session, rows), [session, rows]);
  const shown = useMemo(() => {
    const word = wanted.trim().toLowerCase();
    return columns.filter((joint) => session.jointName(joint).toLowerCase().includes(word));
  }, [session, columns, wanted]);
  // Sorted anew when asked for, not at every edit: rows must not run away under the hand.
  const sorted = useMemo(() => sortRows(session, rows, order), [session, rows, order]);
  const cells = useCells(session, rows, sorted, shown, limit);
  const down = useVirtualizer({
    count: rows.count,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW_PX,
    overscan: 2,
  });
  const across = useVirtualizer({
    horizontal: true,
    count: shown.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => COLUMN_PX,
    overscan: 1,
  });
  useEffect(() => {
    down.scrollToIndex(cells.at.y);
    across.scrollToIndex(cells.at.x);
  }, [cells.at, down, across]);
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
        aria-rowcount={rows.count}
        tabIndex={0}
        onKeyDown={cells.onKeyDown}
        onPaste={cells.onPaste}
        data-version={weights}
      >
        <div style={{ width, height: down.getTotalSize() + ROW_PX, position: 'relative' }}>
          <TableHead
            session={session}
            columns={shown}
            items={items}
            width={width}
            order={order}
            setOrder={setOrder}
            cells={cells}
          />
          {down.getVirtualItems().map((line) => (
            <TableLine
              // Lines are used again for others: while scrolling nothing is made anew.
              key={line.index % LINES}
              session={session}
              row={rows.row(sorted[line.index])}
              line={line}
              columns={shown}
              items={items}
              cells={cells}
            />
          ))}
        </div>
      </div>
    </>
  );
}

interface HeadProps {
  readonly session: CharacterSession;
  readonly columns: readonly number[];
  readonly items: readonly VirtualItem[];
  readonly width: number;
  readonly order: TableOrder;
  readonly setOrder: (order: TableOrder) => void;
  readonly cells: Cells;
}

function TableHead({ session, columns, items, width, order, setOrder, cells }: HeadProps) {
  return (
    <div className="table-head" style={{ height: ROW_PX, width }}>
      <button type="button" className="lead" onClick={() => setOrder({ by: 'point' })}>
        point
      </button>
      <button
        type="button"
        className="sum"
        title="Sort by the number of influences"
        onClick={() => setOrder({ by: 'count' })}
      >
        sum
      </button>
      {items.map(({ index, start }) => {
        const joint = columns[index];
        const name = session.jointName(joint);
        const tied = session.locks[joint] === 1;
        return (
          <div key={index} className="column-head" style={{ left: LEAD_PX + start, width: COLUMN_PX }}>
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
              onClick={() => session.setLocked(joint, !tied)}
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
  readonly session: CharacterSession;
  readonly row: TableRow;
  readonly line: VirtualItem;
  readonly columns: readonly number[];
  readonly items: readonly VirtualItem[];
  readonly cells: Cells;
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

/** One point; the weight of each cell is also a bar in it. */
function TableLine({ session, row: { part, point }, line, columns, items, cells }: LineProps) {
  const held = session.parts[part].skin.rows;
  const { at, box, typed, moved } = cells;
  const isInRange = line.index >= box.y0 && line.index <= box.y1;
  const columnUnder = (target: EventTarget): number =>
    Number((target as HTMLElement).closest<HTMLElement>('[data-column]')?.dataset.column ?? -1);
  return (
    <div
      className="table-row"
      style={{ top: ROW_PX + line.start, height: ROW_PX }}
      onPointerDown={(event) => {
        const x = columnUnder(event.target);
        if (x >= 0) cells.choose({ x, y: line.index }, event.shiftKey);
      }}
      onDoubleClick={(event) => columnUnder(event.target) >= 0 && cells.setTyped('')}
    >
      <span className="lead">
        {session.partName(part)} {point}
      </span>
      <span className="sum figures">{rowSum(held, point).toFixed(3)}</span>
      {items.map(({ index, start }) => {
        const joint = columns[index];
        const isAt = at.x === index && at.y === line.index;
        if (isAt && typed !== undefined)
          return <TypedCell key={index} left={LEAD_PX + start} typed={typed} cells={cells} />;
        return (
          <Cell
            key={index}
            column={index}
            left={LEAD_PX + start}
            weight={weightOf(held, point, joint)}
            isAt={isAt}
            isInside={isInRange && index >= box.x0 && index <= box.x1}
            isMoved={isMoved(moved, part, point, joint)}
          />
        );
      })}
    </div>
  );
}

function TypedCell({ left, typed, cells }: { left: number; typed: string; cells: Cells }) {
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
        autoFocus
        value={typed}
        onChange={(event) => cells.setTyped(event.currentTarget.value)}
        onBlur={() => cells.setTyped(undefined)}
      />
    </span>
  );
}
