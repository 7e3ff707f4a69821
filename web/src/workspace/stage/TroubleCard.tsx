import { Button, Group } from '@mantine/core';
import { IconX } from '@tabler/icons-react';
import { useEvent } from '../../document/useEvent.ts';
import type { Workspace } from '../Workspace.ts';

/** On the stage, whichever it is: what `N` has shown, and its cure. */
export function TroubleCard({ at }: { at: Workspace }) {
  useEvent(at.troubles.events, 'changed');
  const shown = at.troubles.shown();
  if (!shown) return null;
  const list = at.troubles.list();
  const place = list.indexOf(shown) + 1;
  return (
    <section className="trouble-card" aria-label="What is wrong here">
      <div className="trouble-words">
        <strong>{at.document.jointName(shown.joint)}</strong>
        <span>{shown.words}</span>
      </div>
      <Group gap={6} wrap="nowrap">
        <Button size="compact-sm" onClick={shown.cure}>
          {shown.cureWords}
        </Button>
        <Button size="compact-sm" variant="default" onClick={shown.propose}>
          Look first
        </Button>
        {shown.dismiss && (
          <Button size="compact-sm" variant="default" onClick={shown.dismiss}>
            It is meant
          </Button>
        )}
        <span className="card-line figures">
          {place} of {list.length}
        </span>
        {list.length > 1 && (
          <Button size="compact-sm" variant="subtle" onClick={() => at.troubles.showNext()}>
            Next&nbsp;<kbd>N</kbd>
          </Button>
        )}
        <button
          type="button"
          className="trouble-away"
          aria-label="Look at something else"
          onClick={() => at.troubles.leave()}
        >
          <IconX size={14} />
        </button>
      </Group>
    </section>
  );
}
