import { useEvent } from '../../document/useEvent.ts';
import { RunButton } from '../../trial/RunButton.tsx';
import { curableJoints, type CureAt } from './CureSection.tsx';

/** Goes on from a binding that is proposed: cured in all bends, it stands beside it. */
export function SettleSection({ at, then }: { at: CureAt; then: () => void }) {
  useEvent(at.curing.events, 'changed');
  useEvent(at.document.events, 'shown');
  const { curing, document } = at;
  const { current } = document.proposals;
  if (!current?.shown || current.cure || !document.mayChange) return null;
  const settle = (): void => {
    curing.cure(curableJoints(at), 'all bends').then(then, document.notifyError);
  };
  return (
    <section className="group" aria-label="Settle">
      <h2>Settle by motion</h2>
      <p className="card-line">
        Goes on from “{current.name}”: finds the weights under which all bends keep their lengths and their
        volume. It stands beside the others, measured like them.
      </p>
      <RunButton
        running={curing.working}
        stop={() => curing.stop()}
        run={settle}
        label={`Settle “${current.name}”`}
        disabled={curing.working !== undefined}
      />
    </section>
  );
}
