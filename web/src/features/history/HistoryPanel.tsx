import { ActionIcon, Button, Loader, TextInput } from '@mantine/core';
import { IconBookmark, IconX } from '@tabler/icons-react';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useRef, useState } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import { counted } from '@judoka/core/document';
import { Segments } from '../../ui/Segments.tsx';
import type { HistoryList, HistoryMode } from './HistoryList.ts';
import type { HistoryAt } from './historyAt.ts';
import { LineRow } from './LineRow.tsx';
import { MomentRows } from './MomentRows.tsx';
import { rowsOfLines, spellWords } from './spells.ts';
import './history.css';

const MODES: Readonly<Record<HistoryMode, string>> = {
  all: 'All',
  moments: 'Moments',
  joint: 'Joint',
  place: 'Here',
};

/** What was done to the character: by whom, when, to what; and the moments that can be looked at and brought back. */
export function HistoryPanel({ at }: { at: HistoryAt }) {
  const { historyList } = at;
  useEvent(historyList.events, 'changed');
  if (!historyList.isShown) return null;
  return (
    <section className="history" aria-label="History">
      <header>
        <strong>History</strong>
        <span className="spread" />
        {at.document.mayChange && (
          <Button
            variant="default"
            size="compact-sm"
            leftSection={<IconBookmark size={14} />}
            onClick={() => at.document.moments.keep(at.document.moments.freeName())}
          >
            Keep this moment
          </Button>
        )}
        <ActionIcon variant="subtle" aria-label="Close the history" onClick={() => historyList.toggle()}>
          <IconX size={15} />
        </ActionIcon>
      </header>
      <Segments
        name="What is listed"
        choices={MODES}
        value={historyList.mode}
        set={(mode) => historyList.setMode(mode)}
      />
      {historyList.mode === 'all' && <Search list={historyList} />}
      <Unsaved at={at} />
      {historyList.trouble !== undefined && (
        <div className="trouble" role="alert">
          {historyList.trouble}
        </div>
      )}
      {historyList.mode === 'moments' ? <MomentRows at={at} /> : <Lines at={at} />}
    </section>
  );
}

function Search({ list }: { list: HistoryList }) {
  const [text, setText] = useState(list.text);
  useEffect(() => {
    if (text === list.text) return undefined;
    const later = setTimeout(() => list.setText(text), SEARCH_MS);
    return () => clearTimeout(later);
  }, [list, text]);
  return (
    <TextInput
      size="xs"
      mt={6}
      aria-label="Search the history"
      placeholder="Joint, part, tool or person"
      value={text}
      onChange={(event) => setText(event.currentTarget.value)}
      onKeyDown={(event) => event.key === 'Escape' && setText('')}
    />
  );
}

const SEARCH_MS = 200;

/** What is not in the log yet. */
function Unsaved({ at }: { at: HistoryAt }) {
  useEvent(at.document.events, 'saving');
  const count = at.document.log.queue.pending.length;
  if (count === 0) return null;
  return (
    <p className="card-line history-note">{`${counted(count, 'edit is', 'edits are')} not saved yet, and come once they are.`}</p>
  );
}

/** Heights that rows have as a rule; those that are opened are measured. */
const ROW_PX = { spell: 30, line: 28 } as const;

function Lines({ at }: { at: HistoryAt }) {
  const { historyList } = at;
  const { lines, hasMore, isBusy } = historyList;
  const rows = useMemo(() => rowsOfLines(lines), [lines]);
  const [chosen, setChosen] = useState<string>();
  const scroll = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroll.current,
    estimateSize: (i) => ROW_PX[rows[i].kind],
    getItemKey: (i) => {
      const row = rows[i];
      return row.kind === 'line' ? row.line.id : `spell ${row.to}`;
    },
    overscan: 12,
  });
  const items = virtual.getVirtualItems();
  const last = items.at(-1)?.index ?? 0;
  useEffect(() => {
    if (hasMore && last > rows.length - NEAR_END) historyList.more();
  }, [historyList, hasMore, last, rows.length]);
  return (
    <>
      <p className="card-line history-note">{listedWords(at)}</p>
      <div className="history-scroll" ref={scroll} data-lines={lines.length} data-busy={isBusy}>
        <ol style={{ height: virtual.getTotalSize() }}>
          {items.map(({ index, key, start }) => {
            const row = rows[index];
            return (
              <li
                key={key}
                data-index={index}
                ref={virtual.measureElement}
                style={{ transform: `translateY(${start}px)` }}
              >
                {row.kind === 'spell' ? (
                  <div className="history-spell">
                    <span>{spellWords(row)}</span>
                    <span>{row.author ?? ''}</span>
                  </div>
                ) : (
                  <LineRow
                    at={at}
                    line={row.line}
                    isChosen={chosen === row.line.id}
                    choose={() => setChosen(chosen === row.line.id ? undefined : row.line.id)}
                  />
                )}
              </li>
            );
          })}
        </ol>
        {isBusy && <Loader size="xs" aria-label="Lines are coming" />}
      </div>
    </>
  );
}

/** Further lines are asked for when the end comes this near, in rows. */
const NEAR_END = 60;

function listedWords({ historyList, scene, document }: HistoryAt): string {
  const { mode, place, lines, isBusy, text } = historyList;
  if (mode === 'place') {
    if (!place) return 'Point at the surface and press H, or select points: their changes are told here.';
    if (!isBusy && lines.length === 0) return `Nobody has changed ${place.words}.`;
    return `What changed ${place.words}, the last change first.`;
  }
  if (mode === 'joint' && scene.chosenJoints().length === 0)
    return 'Choose a joint in the roster or on the stage.';
  const [joint] = scene.chosenJoints();
  if (!isBusy && lines.length === 0)
    return text.trim() !== '' && mode === 'all'
      ? `Nothing in the history is called so, or is about such a joint or part.`
      : mode === 'joint'
        ? `“${document.jointName(joint)}” was never changed here.`
        : 'Nothing was done yet.';
  return mode === 'joint' ? `What was done to “${document.jointName(joint)}”.` : '';
}
