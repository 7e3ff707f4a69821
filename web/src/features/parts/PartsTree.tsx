import { counted } from '@judoka/core/document';
import { Popover } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { drawPicture } from '@judoka/core/analysis/picture';
import { useMemo, useState } from 'react';
import {
  heaviestJoint,
  isolatePiece,
  joinPieces,
  piecesOf,
  renamePart,
  renamePiece,
  setRole,
  splitIslands,
  splitSelection,
} from './pieces.ts';
import type { PartPiece } from '@judoka/core/document';
import { maskOfPiece } from '../../scene/Visibility.ts';
import { setSkinned } from '../../document/partRoles.ts';
import { isThere, ROLE_WORDS } from './partWords.ts';
import { useEvent, useVersioned } from '../../document/useEvent.ts';
import { restPositions } from '../../scene/scope.ts';
import { Segments } from '../../ui/Segments.tsx';
import type { Editing } from '../../scene/Editing.ts';
import './parts.css';

type At = Editing;

const PICTURE = { width: 96, height: 72 };

/** All parts as a tree: pictures, names, what is shown, roles, and islands split off into pieces. */
export function PartsTree({ at }: { at: At }) {
  const [shown, setShown] = useState(false);
  return (
    <Popover opened={shown} onChange={setShown} position="bottom-start" width={380} trapFocus>
      <Popover.Target>
        <button type="button" className="chip more" aria-expanded={shown} onClick={() => setShown(!shown)}>
          Parts…
        </button>
      </Popover.Target>
      <Popover.Dropdown p={0}>
        <Tree at={at} />
      </Popover.Dropdown>
    </Popover>
  );
}

function Tree({ at }: { at: At }) {
  useEvent(at.scene.events, 'parts');
  useEvent(at.document.events, 'values');
  useEvent(at.scene.events, 'selection');
  useEvent(at.document.events, 'weights');
  const pictures = useMemo(() => at.scene.parts.map(({ index }) => pictureOf(at, index)), [at]);
  const act = (work: () => void | Promise<void>): void => {
    try {
      void Promise.resolve(work()).catch(at.document.notifyError);
    } catch (error) {
      at.document.notifyError(error);
    }
  };
  return (
    <div className="parts-tree" role="list" aria-label="Parts">
      {at.scene.parts.filter(isThere).map(({ index }) => (
        <PartRows key={index} at={at} part={index} picture={pictures[index]} act={act} />
      ))}
      <div className="group">
        <ActionButton
          name="Split off the islands of the selection"
          fullWidth
          variant="default"
          disabled={at.scene.selection.count === 0}
          onClick={() => act(() => splitSelection(at))}
        >
          {at.scene.selection.count === 0
            ? 'Select points to split their islands off'
            : 'Split off the islands of the selection'}
        </ActionButton>
      </div>
    </div>
  );
}

interface PartRowsProps {
  readonly at: At;
  readonly part: number;
  readonly picture: string;
  readonly act: (work: () => void | Promise<void>) => void;
}

function PartRows({ at, part, picture, act }: PartRowsProps) {
  const { visible, part: held } = at.scene.parts[part];
  const pieces = piecesOf(at, part);
  const role = at.document.settings.rigidParts.has(part) ? 'rigid' : 'skinned';
  const follows = at.document.following.follows.get(part);
  const weights = at.document.events.version('weights');
  const joint = useVersioned(() => heaviestJoint(at, part), [at, part, weights]);
  return (
    <div role="listitem" data-part={held.name}>
      <div className="part-row" data-hidden={!visible}>
        <img src={picture} alt="" width={64} height={48} />
        <div className="part-text">
          <Rename name={at.document.partName(part)} keep={(name) => renamePart(at, part, name)} />
          <span className="card-line">
            {counted(held.pointCount, 'point')}
            {ROLE_WORDS[held.role]}
            {follows && `, follows ${at.document.partName(follows.driver)}${follows.isOff ? ' (off)' : ''}`}
          </span>
        </div>
        <div className="part-acts">
          <button
            type="button"
            className="word"
            onClick={() => at.scene.visibility.setVisible(part, !visible)}
          >
            {visible ? 'hide' : 'show'}
          </button>
          <button type="button" className="word" onClick={() => at.scene.visibility.isolate(part)}>
            alone
          </button>
          {held.role === 'skinned' && pieces.length === 0 && (
            <button type="button" className="word" onClick={() => act(() => splitIslands(at, part))}>
              split
            </button>
          )}
          {pieces.length > 0 && (
            <button type="button" className="word" onClick={() => act(() => joinPieces(at, part))}>
              join all
            </button>
          )}
        </div>
        {at.document.bound.isFixedInFile(part) && (
          <Segments
            name={`Role of ${at.document.partName(part)}`}
            className="part-role"
            size="xs"
            choices={{ fixed: 'Follows its node', skinned: 'Skinned' }}
            value={held.role === 'fixed' ? 'fixed' : 'skinned'}
            set={(value) => act(() => setSkinned(at.document, [part], value === 'skinned'))}
          />
        )}
        {held.role === 'skinned' && !at.document.bound.isFixedInFile(part) && (
          <Segments
            name={`Role of ${at.document.partName(part)}`}
            className="part-role"
            size="xs"
            choices={{
              skinned: 'Skinned',
              rigid: joint < 0 ? 'Rigid' : `Rigid, on ${at.document.jointName(joint)}`,
            }}
            value={role}
            set={(value) => act(() => setRole(at, part, value, joint))}
          />
        )}
      </div>
      {pieces.map((piece) => (
        <PieceRow key={piece.id} at={at} part={part} piece={piece} />
      ))}
    </div>
  );
}

function PieceRow({ at, part, piece }: { at: At; part: number; piece: PartPiece }) {
  const { visibility, selection, parts } = at.scene;
  const isVisible = visibility.isPieceVisible(piece.id);
  return (
    <div className="piece-row" data-hidden={!isVisible}>
      <Rename name={piece.name} keep={(name) => name.trim() && renamePiece(at, part, piece, name)} />
      <button
        type="button"
        className="word"
        onClick={() => selection.choose(new Map([[part, maskOfPiece(parts[part], piece.seeds)]]), 'replace')}
      >
        select
      </button>
      <button
        type="button"
        className="word"
        onClick={() => visibility.setPieceVisible(part, piece.id, !isVisible)}
      >
        {isVisible ? 'hide' : 'show'}
      </button>
      <button type="button" className="word" onClick={() => isolatePiece(at, part, piece.id)}>
        alone
      </button>
      <button type="button" className="word" onClick={() => joinPieces(at, part, piece.id)}>
        join
      </button>
    </div>
  );
}

function Rename({ name, keep }: { name: string; keep: (name: string) => void }) {
  const [typed, setTyped] = useState<string>();
  return (
    <input
      className="rename"
      aria-label={`Name of ${name}`}
      maxLength={120}
      value={typed ?? name}
      onChange={(event) => setTyped(event.currentTarget.value)}
      onBlur={() => {
        if (typed !== undefined && typed !== name) keep(typed);
        setTyped(undefined);
      }}
      onKeyDown={(event) => {
        if (event.key === 'Enter') event.currentTarget.blur();
        if (event.key === 'Escape') setTyped(undefined);
      }}
    />
  );
}

/** A part at rest, small, drawn as the shelf's pictures are. */
function pictureOf(at: At, part: number): string {
  const { part: held } = at.scene.parts[part];
  const mesh = { positions: restPositions(at, part), normals: held.normals, triangles: held.triangles };
  const { width, height, pixels } = drawPicture([mesh], PICTURE.width * 2, PICTURE.height * 2);
  const canvas = document.createElement('canvas');
  [canvas.width, canvas.height] = [width, height];
  canvas.getContext('2d')?.putImageData(new ImageData(new Uint8ClampedArray(pixels), width, height), 0, 0);
  return canvas.toDataURL('image/png');
}
