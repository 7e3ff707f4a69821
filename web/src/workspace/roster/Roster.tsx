import type { Workspace } from '../Workspace.ts';
import { Group, Select, TextInput } from '@mantine/core';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type MouseEvent } from 'react';
import { liveJoints } from '@judoka/core/skeleton';
import { jointMasses, selectedMasses } from '../../scene/scope.ts';
import { useEvent } from '../../document/useEvent.ts';
import { rosterChanged } from '../../settings/uiSettings.ts';
import { FILTERS, ORDERS } from '../../settings/rosterChoice.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { LockIcon } from '../../ui/LockIcon.tsx';
import { listRows, rangeOf, sharedPrefix, splitName, type Row } from './rosterRows.ts';
import type { Step } from '../stages.ts';
import { setDeforming, setLocked } from '../../document/jointSettings.ts';
import './roster.css';

const ROW_PX = 26;
const INDENT_PX = 5;
/** Deeper than this a row stands no further in: names need the room. */
const MAX_INDENT = 7;
const rowId = (joint: number): string => `joint-row-${joint}`;
const SIDE_MARK = { left: 'L', right: 'R', middle: '' } as const;

/** The joints as compact rows: name, side, how much follows, lock. */
export function Roster({ at, step }: { at: Workspace; step: Step }) {
  useEvent(at.scene.events, 'joint');
  useEvent(at.document.events, 'values');
  const { filter, order, folded } = useUiSettings('roster').roster;
  const dispatch = useAppDispatch();
  const [wanted, setWanted] = useState('');
  const scroll = useRef<HTMLDivElement>(null);
  const [closed, setClosed] = useState<ReadonlySet<number>>(new Set());
  /** The far end of a range that Shift draws. */
  const end = useRef(-1);
  const { rows, masses, most } = useRows(at, wanted, closed);
  const { skeleton } = at.document;
  const prefix = useMemo(
    () => sharedPrefix(liveJoints(skeleton).map((joint) => skeleton.joints[joint].name)),
    [skeleton],
  );
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW_PX,
    overscan: 8,
  });
  const chosenAt = rows.findIndex(({ joint }) => joint === at.scene.joint);
  // Only rows that are scrolled to are there at all.
  const isChosenShown = virtual.getVirtualItems().some(({ index }) => index === chosenAt);
  useEffect(() => {
    if (chosenAt >= 0) virtual.scrollToIndex(chosenAt, { align: 'auto' });
  }, [chosenAt, virtual]);

  const setBranch = (joint: number, isClosed: boolean): void => {
    const next = new Set(closed);
    if (isClosed) next.add(joint);
    else next.delete(joint);
    setClosed(next);
  };
  const draw = (joint: number): void => {
    end.current = joint;
    at.scene.chooseAlso(rangeOf(rows, at.scene.joint, joint));
  };

  const onKeyDown = (event: KeyboardEvent): void => {
    const { joint } = at.scene;
    if (event.key === 'ArrowLeft' || event.key === 'ArrowRight') {
      if (event.target instanceof HTMLInputElement || !rows[chosenAt]?.branch) return;
      event.preventDefault();
      setBranch(joint, event.key === 'ArrowLeft');
      return;
    }
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (step === undefined || rows.length === 0) return;
    event.preventDefault();
    const from = event.shiftKey && at.scene.alsoChosen.size > 0 ? end.current : joint;
    const next = rows.findIndex((row) => row.joint === from) + step;
    const to = rows[Math.min(rows.length - 1, Math.max(0, next))].joint;
    if (event.shiftKey && joint >= 0) draw(to);
    else at.scene.chooseJoint(to);
  };

  const onClick = (event: MouseEvent): void => {
    const row = (event.target as Element).closest<HTMLElement>('[data-row]');
    if (!row) return;
    const { joint } = rows[Number(row.dataset.row)];
    if (event.shiftKey && at.scene.joint >= 0) draw(joint);
    else if (event.ctrlKey || event.metaKey) at.scene.toggleChosen(joint);
    else at.scene.chooseJoint(joint);
  };

  if (at.document.skeleton.joints.length === 0) {
    return (
      <p className="group card-line">
        This mesh has no joints yet. Under Bind, Joints, a click on the body places one.
      </p>
    );
  }
  return (
    <>
      <div style={{ padding: '0 12px 8px' }}>
        <TextInput
          placeholder="Find a joint"
          aria-label="Find a joint"
          value={wanted}
          onChange={(event) => setWanted(event.currentTarget.value)}
          onKeyDown={(event) => {
            if (event.key === 'Enter' && rows[0]) at.scene.chooseJoint(rows[0].joint);
            else if (event.key === 'Escape') setWanted('');
            else onKeyDown(event);
          }}
        />
        <Group gap={4} wrap="nowrap" mt={6}>
          <Select
            size="xs"
            aria-label="Joints shown"
            rightSectionWidth={20}
            data={[...FILTERS]}
            value={filter}
            allowDeselect={false}
            onChange={(value) => dispatch(rosterChanged({ filter: value ?? 'all' }))}
          />
          <Select
            size="xs"
            aria-label="Order of joints"
            rightSectionWidth={20}
            data={[...ORDERS]}
            value={order}
            allowDeselect={false}
            onChange={(value) => dispatch(rosterChanged({ order: value ?? 'tree' }))}
          />
          <button
            type="button"
            className="fold"
            aria-pressed={folded}
            aria-label="Fold pairs"
            title={folded ? 'Left and right share a row: unfold' : 'Fold left and right into one row'}
            onClick={() => dispatch(rosterChanged({ folded: !folded }))}
          >
            <svg width="16" height="12" viewBox="0 0 16 12" aria-hidden="true">
              <path
                d="M8 1 V11 M6 3 L2 6 L6 9 M10 3 L14 6 L10 9"
                fill="none"
                stroke="currentColor"
                strokeWidth="1.4"
              />
            </svg>
          </button>
        </Group>
        <div className="roster-chosen" title="The joint that is worked on">
          {at.scene.joint < 0 ? (
            <span>No joint is chosen</span>
          ) : (
            <>
              <span>{prefix}</span>
              <strong>{at.document.jointName(at.scene.joint).slice(prefix.length)}</strong>
              {at.scene.alsoChosen.size > 0 && <span>{` and ${at.scene.alsoChosen.size} more`}</span>}
            </>
          )}
        </div>
      </div>
      <div
        ref={scroll}
        className="side-scroll"
        role="grid"
        aria-label="Joints"
        aria-multiselectable="true"
        aria-rowcount={rows.length}
        aria-activedescendant={isChosenShown ? rowId(at.scene.joint) : undefined}
        tabIndex={0}
        onKeyDown={onKeyDown}
        onClick={onClick}
      >
        {rows.length === 0 && (
          <p className="group card-line">
            {wanted.trim() ? `No joint shown here is called “${wanted}”.` : 'No joint is like that.'}
          </p>
        )}
        <div role="rowgroup" style={{ height: virtual.getTotalSize(), position: 'relative' }}>
          {virtual.getVirtualItems().map(({ index, start }) => (
            <div
              key={index}
              role="presentation"
              style={{ position: 'absolute', top: start, left: 0, right: 0 }}
            >
              <JointRow
                at={at}
                index={index}
                row={rows[index]}
                share={shareOf(rows[index], masses) / most}
                binding={step === 'bind'}
                prefix={prefix}
                setBranch={setBranch}
              />
            </div>
          ))}
        </div>
      </div>
    </>
  );
}

/** What the list shows: kept until something that it is made of changes. */
function useRows(at: Workspace, wanted: string, closed: ReadonlySet<number>) {
  const { filter, order, folded } = useUiSettings('roster').roster;
  const weights = useEvent(at.document.events, 'weights');
  const shape = useEvent(at.document.events, 'joints');
  const selection = useEvent(at.scene.events, 'selection');
  useEvent(at.troubles.events, 'changed');
  const troubles = at.troubles.byJoint();
  const {
    scene: { joint: chosen },
    document: { skeleton },
  } = at;
  // The masses change with the weights' version.
  // eslint-disable-next-line react-hooks/exhaustive-deps
  const masses = useMemo(() => jointMasses(at), [at, weights, shape]);
  const selected = useMemo(
    () => (filter === 'selection' ? selectedMasses(at) : []),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the versions stand for what is read
    [at, filter, weights, selection],
  );
  const partner = folded ? at.document.pairs.partner : undefined;
  const region = filter === 'region' ? chosen : -1;
  const { sides } = at.document;
  const rows = useMemo(
    () =>
      listRows(skeleton, {
        ...{ wanted, filter, order, masses, selected, troubles, sides, closed, partner },
        chosen: region,
      }),
    [skeleton, wanted, filter, order, masses, selected, troubles, region, partner, sides, closed],
  );
  return { rows, masses, most: Math.max(1, ...masses) };
}

const shareOf = ({ joint, partner }: Row, masses: ArrayLike<number>): number =>
  Math.max(masses[joint], partner >= 0 ? masses[partner] : 0);

/** What is wrong with a row's joint; of a pair that shares a row, with which of both. */
function troubleWords({ troubles, document }: Workspace, { joint, partner }: Row): string {
  if (partner < 0) return troubles.wordsOf(joint);
  return [joint, partner]
    .map((each) => [each, troubles.wordsOf(each)] as const)
    .filter(([, words]) => words)
    .map(([each, words]) => `${document.jointName(each)}: ${words}`)
    .join('\n');
}

interface JointRowProps {
  readonly at: Workspace;
  /** Number of the row. */
  readonly index: number;
  readonly row: Row;
  readonly share: number;
  /** Whether deforming can be switched here. */
  readonly binding: boolean;
  /** What all names begin with: it is told once. */
  readonly prefix: string;
  readonly setBranch: (joint: number, isClosed: boolean) => void;
}

function JointRow({ at, index, row, share, binding, prefix, setBranch }: JointRowProps) {
  const { joint, partner, depth, branch } = row;
  const { name } = at.document.skeleton.joints[joint];
  const { sides } = at.document;
  const [head, tail] = splitName(at.document.jointName(joint).slice(prefix.length));
  const trouble = troubleWords(at, row);
  const locked = at.document.locks[joint] === 1;
  const deforms = !at.document.nonDeforming.has(joint);
  return (
    <div
      id={rowId(joint)}
      className="joint-row"
      role="row"
      aria-rowindex={index + 1}
      data-row={index}
      aria-selected={
        joint === at.scene.joint ||
        (partner >= 0 && partner === at.scene.joint) ||
        at.scene.alsoChosen.has(joint)
      }
      data-also={at.scene.alsoChosen.has(joint)}
      data-joint={name}
      data-folded={partner >= 0}
      data-binding={binding}
      data-still={!deforms}
    >
      <span
        role="rowheader"
        className="name"
        title={name}
        style={{ paddingLeft: Math.min(depth, MAX_INDENT) * INDENT_PX }}
      >
        {branch ? (
          <button
            type="button"
            className="branch"
            tabIndex={-1}
            aria-expanded={branch === 'open'}
            aria-label={`What hangs on ${name}`}
            title={branch === 'open' ? 'Close the branch (left arrow)' : 'Open the branch (right arrow)'}
            onClick={(event) => {
              event.stopPropagation();
              setBranch(joint, branch === 'open');
            }}
          >
            <svg width="8" height="8" viewBox="0 0 8 8" aria-hidden="true">
              <path d="M2 1 L6 4 L2 7" fill="none" stroke="currentColor" strokeWidth="1.4" />
            </svg>
          </button>
        ) : (
          <span className="branch" />
        )}
        <span className="name-head">{head}</span>
        <span className="name-tail">{tail}</span>
      </span>
      <span
        role="gridcell"
        className="mass"
        title={share > 0 ? 'How much of the surface follows' : 'Nothing follows this joint'}
      >
        {/* The root of the share, so that small joints show too. */}
        <div style={{ width: `${Math.sqrt(share) * 100}%` }} />
      </span>
      <span role="gridcell" className="badge" title={trouble || undefined}>
        {trouble && <i />}
      </span>
      {partner >= 0 ? (
        <span role="gridcell" className="side-mark">
          {[joint, partner].map((one) => (
            <button
              key={one}
              type="button"
              aria-label={at.document.jointName(one)}
              aria-pressed={one === at.scene.joint}
              onClick={(event) => {
                event.stopPropagation();
                at.scene.chooseJoint(one);
              }}
            >
              {SIDE_MARK[sides[one]]}
            </button>
          ))}
        </span>
      ) : (
        <span role="gridcell" className="side-mark">
          {SIDE_MARK[sides[joint]]}
        </span>
      )}
      {binding && (
        <span role="gridcell">
          <button
            type="button"
            className="deforms"
            aria-pressed={deforms}
            aria-label={`${name} deforms`}
            title={
              deforms
                ? 'Deforms: a binding may give it weight'
                : 'Does not deform: a binding gives it no weight'
            }
            onClick={(event) => {
              event.stopPropagation();
              setDeforming(at.document, joint, !deforms);
            }}
          >
            <svg width="13" height="9" viewBox="0 0 13 9" aria-hidden="true">
              <path d="M1 4.5 Q3.5 0.5 6.5 4.5 T12 4.5" fill="none" stroke="currentColor" strokeWidth="1.5" />
            </svg>
          </button>
        </span>
      )}
      <span role="gridcell">
        <button
          type="button"
          className="lock"
          aria-pressed={locked}
          aria-label={`Lock ${name}`}
          title={locked ? 'Locked: no tool changes its weights' : 'Lock'}
          onClick={(event) => {
            event.stopPropagation();
            setLocked(at.document, joint, !locked);
          }}
        >
          <LockIcon locked={locked} />
        </button>
      </span>
    </div>
  );
}
