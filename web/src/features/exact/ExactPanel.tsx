import type { Act, At } from './acting.ts';
import { Prune } from './Prune.tsx';
import { WholeRows } from './WholeRows.tsx';
import { Move } from './MoveWeight.tsx';
import { Influences } from './Influences.tsx';
import { TableButton } from '../../settings/TableButton.tsx';
import { Button } from '@mantine/core';
import { useEvent } from '../../document/useEvent.ts';
import './exact.css';

/** Exact values: what the selection holds, moved, copied, healed, pruned and typed; each says what it acts on. */
export function ExactPanel({ at }: { at: At }) {
  useEvent(at.scene.events, 'selection');
  useEvent(at.scene.events, 'parts');
  const { count } = at.scene.selection;
  const act: Act = (work) => {
    work()
      .then((told) => told && at.document.notify(told))
      .catch(at.document.notifyError);
  };
  return (
    <>
      <section className="group">
        <p className="card-line" data-acts-on={count}>
          {count > 0
            ? count === 1
              ? 'Acts on the one selected point.'
              : `Acts on the ${count.toLocaleString('en')} selected points.`
            : 'Nothing is selected, so nothing changes here: these are the figures of all points shown.'}
        </p>
        {count === 0 && (
          <Button fullWidth mb={6} onClick={() => at.scene.selection.all()}>
            Select all points shown
          </Button>
        )}
        <TableButton />
      </section>
      <Influences at={at} act={act} />
      <Move at={at} act={act} />
      <WholeRows at={at} act={act} />
      <Prune at={at} act={act} />
    </>
  );
}
