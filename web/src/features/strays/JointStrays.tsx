import { counted } from '@judoka/core/document';
import { OTHERS } from '@judoka/core/weights';
import { useEvent } from '../../document/useEvent.ts';
import { strayKey, StrayRow, takeAway, type StrayEditing } from './StrayRow.tsx';

/** Beside the brush: what strays from the chosen joint, and where the next is. */
export function JointStrays({ at, next }: { at: StrayEditing; next: () => void }) {
  useEvent(at.strayList.events, 'changed');
  useEvent(at.scene.events, 'joint');
  const open = at.strayList.open();
  const own = open.filter(({ joint }) => joint === at.scene.joint);
  if (open.length === 0) return null;
  const rest = open.length - own.length;
  return (
    <section className="group" aria-label="Strays of the joint">
      <h2>Strays</h2>
      {own.length > 0 && (
        <ol className="rank">
          {own.map((stray) => (
            <StrayRow
              key={strayKey(stray)}
              at={at}
              stray={stray}
              remove={() => takeAway(at, [stray], OTHERS)}
            />
          ))}
        </ol>
      )}
      {rest > 0 && (
        <p className="card-line">
          {counted(
            rest,
            own.length > 0 ? 'more patch' : 'patch',
            own.length > 0 ? 'more patches' : 'patches',
          )}{' '}
          of other joints.{' '}
          <button type="button" className="word" onClick={next}>
            Next (N)
          </button>
        </p>
      )}
    </section>
  );
}
