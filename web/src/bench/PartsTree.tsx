import { Button, Popover } from '@mantine/core';
import { drawPicture } from '@judoka/core/analysis/picture';
import { useMemo, useState } from 'react';
import type { CharacterSession } from '../session/CharacterSession.ts';
import {
  changePiece,
  heaviestJoint,
  isolatePiece,
  joinPieces,
  maskOfPiece,
  renamePart,
  setRole,
  settingsOf,
  splitIslands,
  splitSelection,
} from '../session/pieces.ts';
import { useTopic } from '../session/useTopic.ts';
import { restPositions } from '../session/scope.ts';
import { Segments } from './Segments.tsx';

const PICTURE = { width: 96, height: 72 };

/** All parts as a tree: pictures, names, what is shown, roles, and islands split off into pieces. */
export function PartsTree({ session }: { session: CharacterSession }) {
  const [shown, setShown] = useState(false);
  return (
    <Popover opened={shown} onChange={setShown} position="bottom-start" width={380} trapFocus>
      <Popover.Target>
        <button type="button" className="chip more" aria-expanded={shown} onClick={() => setShown(!shown)}>
          Parts…
        </button>
      </Popover.Target>
      <Popover.Dropdown p={0}>
        <Tree session={session} />
      </Popover.Dropdown>
    </Popover>
  );
}

function Tree({ session }: { session: CharacterSession }) {
  useTopic(session, 'parts');
  useTopic(session, 'settings');
  useTopic(session, 'selection');
  useTopic(session, 'weights');
  const pictures = useMemo(() => session.parts.map(({ index }) => pictureOf(session, index)), [session]);
  const act = (work: () => void | Promise<void>): void => {
    try {
      void Promise.resolve(work()).catch((error: Error) => session.tellPerson(error.message));
    } catch (error) {
      session.tellPerson(error instanceof Error ? error.message : String(error));
    }
  };
  return (
    <div className="parts-tree" role="tree" aria-label="Parts">
      {session.parts.map(({ index }) => (
        <PartRows key={index} session={session} part={index} picture={pictures[index]} act={act} />
      ))}
      <div className="group">
        <Button
          fullWidth
          variant="default"
          disabled={session.selection.count === 0}
          onClick={() => act(() => splitSelection(session))}
        >
          {session.selection.count === 0
            ? 'Select points to split their islands off'
            : 'Split off the islands of the selection'}
        </Button>
      </div>
    </div>
  );
}

interface PartRowsProps {
  readonly session: CharacterSession;
  readonly part: number;
  readonly picture: string;
  readonly act: (work: () => void | Promise<void>) => void;
}

function PartRows({ session, part, picture, act }: PartRowsProps) {
  const { visible, part: held } = session.parts[part];
  const { pieces = [], role = 'skinned' } = settingsOf(session, part);
  const joint = heaviestJoint(session, part);
  return (
    <div role="treeitem" aria-expanded={pieces.length > 0} data-part={held.name}>
      <div className="part-row" data-hidden={!visible}>
        <img src={picture} alt="" width={64} height={48} />
        <div className="part-text">
          <Rename name={session.partName(part)} keep={(name) => renamePart(session, part, name)} />
          <span className="card-line">
            {held.pointCount.toLocaleString('en')} points
            {held.role === 'fixed' ? ', no weights of its own' : ''}
          </span>
        </div>
        <div className="part-acts">
          <button type="button" className="word" onClick={() => session.showing.setVisible(part, !visible)}>
            {visible ? 'hide' : 'show'}
          </button>
          <button type="button" className="word" onClick={() => session.showing.isolate(part)}>
            alone
          </button>
          {held.role === 'skinned' && pieces.length === 0 && (
            <button type="button" className="word" onClick={() => act(() => splitIslands(session, part))}>
              split
            </button>
          )}
          {pieces.length > 0 && (
            <button type="button" className="word" onClick={() => act(() => joinPieces(session, part))}>
              join all
            </button>
          )}
        </div>
        {held.role === 'skinned' && (
          <Segments
            name={`Role of ${session.partName(part)}`}
            className="part-role"
            size="xs"
            choices={{
              skinned: 'Skinned',
              rigid: joint < 0 ? 'Rigid' : `Rigid, on ${session.jointName(joint)}`,
            }}
            value={role}
            set={(value) => act(() => setRole(session, part, value, joint))}
          />
        )}
      </div>
      {pieces.map((piece, i) => (
        <div key={i} className="piece-row" role="treeitem" data-hidden={!piece.visible}>
          <Rename
            name={piece.name}
            keep={(name) => name.trim() && changePiece(session, part, i, { name: name.trim().slice(0, 120) })}
          />
          <button
            type="button"
            className="word"
            onClick={() =>
              session.selection.choose(new Map([[part, maskOfPiece(session, part, piece)]]), 'replace')
            }
          >
            select
          </button>
          <button
            type="button"
            className="word"
            onClick={() => changePiece(session, part, i, { visible: !piece.visible })}
          >
            {piece.visible ? 'hide' : 'show'}
          </button>
          <button type="button" className="word" onClick={() => isolatePiece(session, part, i)}>
            alone
          </button>
          <button type="button" className="word" onClick={() => joinPieces(session, part, i)}>
            join
          </button>
        </div>
      ))}
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
function pictureOf(session: CharacterSession, part: number): string {
  const { part: held } = session.parts[part];
  const mesh = { positions: restPositions(session, part), normals: held.normals, triangles: held.triangles };
  const { width, height, pixels } = drawPicture([mesh], PICTURE.width * 2, PICTURE.height * 2);
  const canvas = document.createElement('canvas');
  [canvas.width, canvas.height] = [width, height];
  canvas.getContext('2d')?.putImageData(new ImageData(new Uint8ClampedArray(pixels), width, height), 0, 0);
  return canvas.toDataURL('image/png');
}
