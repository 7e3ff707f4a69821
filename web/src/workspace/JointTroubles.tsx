import { counted } from '@judoka/core/document';
import { useEvent } from '../document/useEvent.ts';
import { TroubleRow } from './TroubleRow.tsx';
import type { Workspace } from './Workspace.ts';

/** Beside the brush: what is wrong with the chosen joint, each with its cure, and where the next is. */
export function JointTroubles({ at }: { at: Workspace }) {
  useEvent(at.troubles.events, 'changed');
  useEvent(at.scene.events, 'joint');
  const all = at.troubles.list();
  const own = at.troubles.of(at.scene.joint);
  const meant = at.blemishList.meant().filter(({ joint }) => joint === at.scene.joint);
  if (all.length + meant.length === 0) return null;
  const rest = all.length - own.length;
  const words = own.length > 0 ? counted(rest, 'more place') : counted(rest, 'place');
  return (
    <section className="group" aria-label="Troubles of the joint">
      <h2>What is wrong</h2>
      {own.length > 0 && (
        <ol className="rank">
          {own.map((trouble) => (
            <TroubleRow key={trouble.key} at={at} trouble={trouble} />
          ))}
        </ol>
      )}
      {meant.map((blemish) => (
        <p key={blemish.points[0]} className="card-line">
          {blemish.kind === 'noise' ? 'Jumping weights' : 'A hard border'} here was said to be meant.{' '}
          <button type="button" className="word" onClick={() => at.blemishList.restore(blemish)}>
            List it again
          </button>
        </p>
      ))}
      {rest > 0 && (
        <p className="card-line">
          {words} of other joints.{' '}
          <button type="button" className="word" onClick={() => at.troubles.showNext()}>
            Next (N)
          </button>
        </p>
      )}
    </section>
  );
}
