import type { Workspace } from '../Workspace.ts';
import { Group, Select, TextInput } from '@mantine/core';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useMemo, useRef, useState, type KeyboardEvent, type MouseEvent } from 'react';
import { jointMasses, selectedMasses } from '../../scene/scope.ts';
import { useEvent } from '../../document/useEvent.ts';
import { rosterChanged } from '../../settings/uiSettings.ts';
import { FILTERS, ORDERS } from '../../settings/rosterChoice.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { Knot } from '../../ui/LockIcon.tsx';
import { listRows, type Row } from './rosterRows.ts';
import type { Step } from '../stages.ts';
import { setDeforming, setLocked } from '../../document/jointSettings.ts';
import './roster.css';

const ROW_PX = 26;
const rowId = (joint: number): string => `joint-row-${joint}`;
const SIDE_MARK = { left: 'L', right: 'R', middle: '' } as const;

/** The joints as compact rows: name, side, how much follows, lock. */
export function Roster({ at, step }: { at: Workspace; step: Step }) {
  useEvent(at.scene.events, 'joint');
  useEvent(at.document.events, 'values');
  useEvent(at.document.events, 'values');
  const { filter, order, folded } = useUiSettings('roster').roster;
  const dispatch = useAppDispatch();
  const [wanted, setWanted] = useState('');
  const scroll = useRef<HTMLDivElement>(null);
  const { rows, masses, most, strays } = useRows(at, wanted);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW_PX,
    overscan: 8,
  });
  const chosenAt = rows.findIndex(({ joint }) => joint === at.scene.joint);
  useEffect(() => {
    if (chosenAt >= 0) virtual.scrollToIndex(chosenAt, { align: 'auto' });
  }, [chosenAt, virtual]);

  const onKeyDown = (event: KeyboardEvent): void => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (step === undefined || rows.length === 0) return;
    event.preventDefault();
    at.scene.chooseJoint(rows[Math.min(rows.length - 1, Math.max(0, chosenAt + step))].joint);
  };

  const onClick = (event: MouseEvent): void => {
    const row = (event.target as Element).closest<HTMLElement>('[data-row]');
    if (!row) return;
    const { joint } = rows[Number(row.dataset.row)];
    if (event.ctrlKey || event.metaKey) at.scene.toggleChosen(joint);
    else at.scene.chooseJoint(joint);
  };

  if (at.document.skeleton.joints.length === 0) {
    return <p className="group card-line">This mesh has no skeleton yet: it can be looked at, not bent.</p>;
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
      </div>
      <div
        ref={scroll}
        className="side-scroll"
        role="grid"
        aria-label="Joints"
        aria-multiselectable="true"
        aria-rowcount={rows.length}
        aria-activedescendant={chosenAt >= 0 ? rowId(at.scene.joint) : undefined}
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
                strays={strays[rows[index].joint]}
                binding={step === 'bind'}
              />
            </div>
          ))}
        </div>
      </div>
    </>
  );
}

/** What the list shows: kept until something that it is made of changes. */
function useRows(at: Workspace, wanted: string) {
  const { filter, order, folded } = useUiSettings('roster').roster;
  const weights = useEvent(at.document.events, 'weights');
  const shape = useEvent(at.document.events, 'joints');
  const selection = useEvent(at.scene.events, 'selection');
  useEvent(at.strayCounts.events, 'changed');
  const { counts: strays } = at.strayCounts;
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
  const rows = useMemo(
    () => listRows(skeleton, { wanted, filter, order, masses, selected, strays, chosen: region, partner }),
    [skeleton, wanted, filter, order, masses, selected, strays, region, partner],
  );
  return { rows, masses, strays, most: Math.max(1, ...masses) };
}

const shareOf = ({ joint, partner }: Row, masses: ArrayLike<number>): number =>
  Math.max(masses[joint], partner >= 0 ? masses[partner] : 0);

interface JointRowProps {
  readonly at: Workspace;
  /** Number of the row. */
  readonly index: number;
  readonly row: Row;
  readonly share: number;
  readonly strays: number;
  /** Whether deforming can be switched here. */
  readonly binding: boolean;
}

function JointRow({ at, index, row: { joint, partner, depth }, share, strays, binding }: JointRowProps) {
  const { name, side } = at.document.skeleton.joints[joint];
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
      <span role="rowheader" className="name" title={name} style={{ paddingLeft: Math.min(depth, 8) * 3 }}>
        {name}
      </span>
      <span
        role="gridcell"
        className="mass"
        title={share > 0 ? 'How much of the surface follows' : 'Nothing follows this joint'}
      >
        {/* The root of the share, so that small joints show too. */}
        <div style={{ width: `${Math.sqrt(share) * 100}%` }} />
      </span>
      <span
        role="gridcell"
        className="badge"
        title={strays > 0 ? `${strays.toLocaleString('en')} points are tiny or apart` : undefined}
      >
        {strays > 0 && <i />}
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
              {SIDE_MARK[at.document.skeleton.joints[one].side]}
            </button>
          ))}
        </span>
      ) : (
        <span role="gridcell" className="side-mark">
          {SIDE_MARK[side]}
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
          <Knot tied={locked} />
        </button>
      </span>
    </div>
  );
}
