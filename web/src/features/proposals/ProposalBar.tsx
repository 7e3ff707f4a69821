import { Button, Group, Popover } from '@mantine/core';
import { countPoints, invert } from '@judoka/core/weights';
import { useEffect, useState, type ReactNode } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import { OLD } from '../../document/alternative.ts';
import type { Proposal } from '../../document/Proposals.ts';
import { NO_MARKS } from '../../scene/Scene.ts';
import type { Editing } from '../../scene/Editing.ts';
import { shortFigure } from '../../ui/shortFigure.ts';
import { Segments } from '../../ui/Segments.tsx';
import './proposals.css';

/** What is proposed and not decided yet, at the foot of the stage on every page: old against new, keep or drop. */
export function ProposalBar({ at, children }: { at: Editing; children?: ReactNode }) {
  useEvent(at.document.events, 'shown');
  const { current } = at.document.proposals;
  return current ? <Bar at={at} proposal={current} extra={children} /> : null;
}

function Bar({ at, proposal, extra }: { at: Editing; proposal: Proposal; extra: ReactNode }) {
  const { proposals } = at.document;
  const { label, change, shown, notes, alternatives, index, figures, before, words } = proposal;
  const moved = useMovement(at, proposal) ?? 0;
  const onStage: string = shown ? `new ${index}` : 'old';
  const choices: Record<string, string> = { old: words?.old ?? 'Old' };
  alternatives.forEach(({ name }, i) => (choices[`new ${i}`] = name));
  const decide = (work: Promise<unknown>): void => {
    at.scene.setMarks(NO_MARKS);
    work.catch(at.document.notifyError);
  };
  return (
    <section className="proposal" aria-label="Proposal">
      <div className="proposal-words">
        <strong>{label}</strong>
        <span className="card-line">
          {touched(change)}
          {/* At rest nothing moves. */}
          {moved > 1e-4 * at.document.size &&
            `; in the pose on the stage the surface moves by ${moved.toPrecision(2)} at most`}
          {figures && `; strain over the range ${shortFigure(figures.strain)}`}
          {figures && before && `, before ${shortFigure(before.strain)}`}.{' '}
          {words?.meanwhile ?? 'Nothing is kept yet.'}
        </span>
      </div>
      {extra}
      {notes.length > 0 && <Notes at={at} notes={notes} />}
      <Segments
        name="Weights on the stage"
        fullWidth={false}
        choices={choices}
        value={onStage}
        set={(which) => {
          const wanted = which === 'old' ? OLD : Number(which.replace('new ', ''));
          proposals.choose(wanted).catch(at.document.notifyError);
        }}
      />
      <Group gap={6} wrap="nowrap">
        {at.document.mayChange && (
          <Button onClick={() => decide(proposals.keep())}>{words?.keep ?? 'Keep'}</Button>
        )}
        <Button variant="default" onClick={() => decide(proposals.drop())}>
          {words?.drop ?? 'Drop'}
        </Button>
      </Group>
    </section>
  );
}

/** How far the surface moves at most, in the pose in which it was proposed; found once the stage is drawn. */
function useMovement(at: Editing, { change }: Proposal): number | undefined {
  const [moved, setMoved] = useState<number>();
  useEffect(() => {
    const later = setTimeout(() => {
      const { current } = at.document.proposals;
      if (current?.change === change) setMoved(at.scene.movementOf(current.shown ? invert(change) : change));
    });
    return () => clearTimeout(later);
  }, [at, change]);
  return moved;
}

function touched(change: Proposal['change']): string {
  const points = countPoints(change);
  const parts = change.length === 1 ? '1 part' : `${change.length} parts`;
  return `${points.toLocaleString('en')} ${points === 1 ? 'point' : 'points'} on ${parts}`;
}

/** What could not be done as asked, each with a look at the place. */
function Notes({ at, notes }: { at: Editing; notes: Proposal['notes'] }) {
  return (
    <Popover position="top" withArrow width={360}>
      <Popover.Target>
        <Button variant="default">
          {notes.length === 1 ? '1 thing to know' : `${notes.length} things to know`}
        </Button>
      </Popover.Target>
      <Popover.Dropdown>
        {notes.map(({ words, part, points }) => (
          <div className="trouble" key={words} style={{ marginBottom: 6 }}>
            <span>
              {words}{' '}
              {part !== undefined && points && (
                <Button
                  size="compact-xs"
                  variant="default"
                  onClick={() => at.scene.setMarks({ points: new Map([[part, points]]), joints: [] })}
                >
                  Show me
                </Button>
              )}
            </span>
          </div>
        ))}
      </Popover.Dropdown>
    </Popover>
  );
}
