import { counted } from '@judoka/core/document';
import { ActionIcon, Tooltip } from '@mantine/core';
import { type Change, rowSum } from '@judoka/core/weights';
import { IconLayoutBottombar, IconLayoutSidebarRight, IconX } from '@tabler/icons-react';
import { useVirtualizer, type VirtualItem } from '@tanstack/react-virtual';
import { memo, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import { cellOf, columnsOf, isMoved, type TableOrder } from './weightTable.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { settingsChanged } from '../../settings/uiSettings.ts';
import { LockIcon } from '../../ui/LockIcon.tsx';
import { useCells, type Cell as CellPlace, type Cells } from './useCells.ts';
import { useSortedRows } from './useSortedRows.ts';
import { useTableRows, type ListedRows } from './useTableRows.ts';
import { columnName, MASK_COLUMN, type PaintedMask, type TableAt } from './maskColumn.ts';
import { setLocked } from '../../document/jointSettings.ts';
import './table.css';

type At = TableAt & { readonly masks: PaintedMask };

const ROW_PX = 24;
const COLUMN_PX = 92;
const LEAD_PX = 190;
/** More lines than are ever in view. */
const LINES = 128;

interface TableProps {
  readonly at: At;
  readonly close: () => void;
}

/** All weights of the selection, points by joints, beside or below the model: sorted, edited, pasted; sums stay one. */
export function WeightTable({ at, close }: TableProps) {
  const listed = useTableRows(at);
  const [order, setOrder] = useState<TableOrder>({ by: 'point' });
  const [wanted, setWanted] = useState('');
  const { rows } = listed;
  useEvent(at.masks.events, 'changed');
  const mask = at.masks.current?.name;
  // eslint-disable-next-line react-hooks/exhaustive-deps -- the mask's column comes and goes with it
  const columns = useMemo(() => columnsOf(at, rows), [at, rows, mask]);
  return (
    <section className="table-dock" aria-label="Table of weights">
      <div className="table-bar">
        <strong>Table</strong>
        <input
          className="rename"
          placeholder="Find a joint"
          aria-label="Find a column"
          value={wanted}
          onChange={(event) => setWanted(event.currentTarget.value)}
        />
        <span className="card-line" data-rows={rows.count} title={HELP}>
          {counted(rows.count, 'point')} by{' '}
          {counted(columns.filter((column) => column !== MASK_COLUMN).length, 'joint')}
        </span>
        <span className="spread" />
        <DockButtons close={close} />
      </div>
      {rows.count === 0 || columns.length === 0 ? (
        <p className="group card-line">There are no points with weight to show.</p>
      ) : (
        <Table
          // Another list begins at its beginning.
          key={`${rows.count} ${rows.parts[0]} ${rows.points[0]} ${rows.points[rows.count - 1]}`}
          {...{ at, listed, columns, order, setOrder, wanted }}
        />
      )}
    </section>
  );
}

const HELP =
  'Type, or paste from a spreadsheet. Shift chooses a range, a double click on a name its column. A click on a point selects it on the stage, Shift+Space what is chosen.';

/** Where the table stands, and away with it. */
function DockButtons({ close }: Pick<TableProps, 'close'>) {
  const dispatch = useAppDispatch();
  const { tableDock } = useUiSettings('tableDock');
  const places = [
    { dock: 'below', label: 'Table below the model', Icon: IconLayoutBottombar },
    { dock: 'beside', label: 'Table beside the model', Icon: IconLayoutSidebarRight },
  ] as const;
  return (
    <>
      {places.map(({ dock, label, Icon }) => (
        <Tooltip key={dock} label={label}>
          <ActionIcon
            variant={tableDock === dock ? 'light' : 'subtle'}
            aria-label={label}
            aria-pressed={tableDock === dock}
            onClick={() => dispatch(settingsChanged({ tableDock: dock }))}
          >
            <Icon size={17} />
          </ActionIcon>
        </Tooltip>
      ))}
      <ActionIcon variant="subtle" aria-label="Close the table" onClick={close}>
        <IconX size={16} />
      </ActionIcon>
    </>
  );
}

interface ListProps {
  readonly at: At;
  readonly listed: ListedRows;
  readonly columns: readonly number[];
  readonly order: TableOrder;
  readonly setOrder: (order: TableOrder) => void;
  /** Part of the names of the joints that are shown. */
  readonly wanted: string;
}

function Table({ at, listed, columns, order, setOrder, wanted }: ListProps) {
  const weights = useEvent(at.document.events, 'weights');
  const values = useEvent(at.document.events, 'values');
  // Amounts of a mask are values of the document.
  const version = weights + (at.masks.current ? values : 0);
  const { limit } = useUiSettings('limit');
  const { rows } = listed;
  const scroll = useRef<HTMLDivElement>(null);
  const shown = useMemo(() => {
    const word = wanted.trim().toLowerCase();
    return columns.filter((column) => columnName(at, column).toLowerCase().includes(word));
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
  const { x, y } = cells.cursor;
  const { row } = cells;
  useEffect(() => {
    down.scrollToIndex(y);
    across.scrollToIndex(x);
    // eslint-disable-next-line react-hooks/exhaustive-deps -- it follows the cursor's row, not where sorting takes it
  }, [x, row, down, across]);
  useEffect(() => down.scrollToOffset(0), [sorted, down]);
  const anchor = useRef(0);
  /** Selects the point of a line on the stage: alone, with those up to it, or beside what is selected. */
  const selectLine = (line: number, { shiftKey, ctrlKey, metaKey }: React.MouseEvent): void => {
    const from = shiftKey ? anchor.current : line;
    if (!shiftKey) anchor.current = line;
    const numbers = sorted.slice(Math.min(from, line), Math.max(from, line) + 1);
    listed.select(numbers, ctrlKey || metaKey ? 'toggle' : 'replace');
  };
  useKeysFromButton(scroll);
  const isTyping = cells.typed !== undefined;
  useEffect(() => {
    if (isTyping) down.scrollToIndex(y);
  }, [isTyping, y, down]);
  useEffect(() => {
    if (!isTyping) return;
    const grid = scroll.current;
    // The field is gone: the keys are the table's again, unless the person went elsewhere.
    return () => {
      if (document.activeElement === document.body) grid?.focus({ preventScroll: true });
    };
  }, [isTyping]);
  const width = LEAD_PX + across.getTotalSize();
  const items = across.getVirtualItems();
  return (
    <>
      <div
        ref={scroll}
        className="weight-table"
        role="grid"
        aria-label="Weights"
        aria-rowcount={rows.count + 1}
        tabIndex={0}
        onKeyDown={(event) => {
          if (event.key === ' ' && event.shiftKey) {
            event.preventDefault();
            listed.select(cells.rows, 'replace');
          } else cells.onKeyDown(event);
        }}
        onPaste={cells.onPaste}
        // A click on what is typed leaves the keys where they are.
        onMouseDown={(event) =>
          (event.target as HTMLElement).closest('[data-typed]') && event.preventDefault()
        }
        onPointerDown={(event) => {
          const cell = cellUnder(event.target);
          if (cell) cells.choose(cell, event.shiftKey);
        }}
        onClick={(event) => {
          const line = leadUnder(event.target);
          if (line !== undefined) selectLine(line, event);
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
            const [from, to] = cells.inside(index) ?? [-1, -1];
            return (
              <TableLine
                // Lines are used again for others: while scrolling nothing is made anew.
                key={index % LINES}
                at={at}
                version={version}
                part={part}
                point={point}
                index={index}
                top={ROW_PX + start}
                columns={shown}
                items={items}
                cursor={isAt ? cells.cursor.x : -1}
                from={from}
                to={to}
                isSelected={at.scene.selection.masks[part][point] === 1}
                typed={isAt ? cells.typed : undefined}
                moved={cells.moved}
              />
            );
          })}
        </div>
      </div>
      {isTyping && <TypedField cells={cells} />}
    </>
  );
}

/** Opened by its button, the table has the keys at once. */
function useKeysFromButton(grid: React.RefObject<HTMLDivElement | null>): void {
  useEffect(() => {
    if (document.activeElement?.matches('[data-action="Table of weights"]'))
      grid.current?.focus({ preventScroll: true });
  }, [grid]);
}

/** The line whose point is under a pointer. */
function leadUnder(target: EventTarget): number | undefined {
  const line = (target as HTMLElement).closest('.table-row .lead')?.closest<HTMLElement>('[data-line]');
  return line ? Number(line.dataset.line) : undefined;
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
        const name = columnName(at, joint);
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
            {joint === MASK_COLUMN ? (
              <span className="card-line">mask</span>
            ) : (
              <button
                type="button"
                aria-label={`Lock ${name} in the table`}
                aria-pressed={tied}
                onClick={() => setLocked(at.document, joint, !tied)}
              >
                <LockIcon locked={tied} />
              </button>
            )}
          </div>
        );
      })}
    </div>
  );
}

interface LineProps {
  readonly at: At;
  /** Of the weights, and of the mask that is painted: a line says what they were when it was drawn. */
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
  /** Whether the point is selected on the stage. */
  readonly isSelected: boolean;
  readonly typed: string | undefined;
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
  const { columns, items, cursor, from, to, typed, moved, isSelected } = line;
  return (
    <div
      role="row"
      aria-rowindex={index + 2}
      className="table-row"
      style={{ top, height: ROW_PX }}
      data-line={index}
    >
      <span role="rowheader" className="lead" data-selected={isSelected}>
        {at.document.partName(part)} {point}
      </span>
      <span role="gridcell" className="sum figures">
        {rowSum(held, point).toFixed(3)}
      </span>
      {items.map(({ index: column, start }) => {
        const joint = columns[column];
        if (cursor === column && typed !== undefined)
          return <TypedCell key={column} left={LEAD_PX + start} typed={typed} />;
        return (
          <Cell
            key={column}
            column={column}
            left={LEAD_PX + start}
            weight={cellOf(at, part, point, joint)}
            isAt={cursor === column}
            isInside={column >= from && column <= to}
            isMoved={isMoved(moved, part, point, joint)}
          />
        );
      })}
    </div>
  );
});

/** The cell that is typed into; the keys go to the table's one field. */
function TypedCell({ left, typed }: { left: number; typed: string }) {
  return (
    <span
      role="gridcell"
      className="cell figures"
      style={{ left, width: COLUMN_PX, backgroundSize: '0' }}
      data-at
      data-typed
    >
      {`${typed}▏`}
    </span>
  );
}

/**
 * Takes the keys while a weight is typed. It stands beside the lines, which come and go while rows are sorted and scrolled:
 * no key is lost with the line of its cell.
 */
function TypedField({ cells }: { cells: Cells }) {
  const field = useRef<HTMLInputElement>(null);
  useLayoutEffect(() => field.current?.focus({ preventScroll: true }), []);
  return (
    <input
      className="cell-input"
      aria-label="Weight in the table"
      // Escape drops what is typed; it does not close the table.
      data-mantine-stop-propagation="true"
      ref={field}
      value={cells.typed}
      onChange={(event) => cells.setTyped(event.currentTarget.value)}
      onKeyDown={cells.onKeyDown}
      onBlur={() => cells.setTyped(undefined)}
    />
  );
}
