import { Button, Popover, Tooltip } from '@mantine/core';
import type { OpenDocument } from '../../document/OpenDocument.ts';
import type { SaveState } from '../../document/queue/saveState.ts';
import { useEvent } from '../../document/useEvent.ts';
import { RefusedEdits } from './RefusedEdits.tsx';
import { useRefused } from './useRefused.ts';

function wordsFor(state: SaveState): string {
  const edits = 'count' in state ? `${state.count} ${state.count === 1 ? 'edit' : 'edits'}` : '';
  switch (state.kind) {
    case 'saved':
      return 'All saved';
    case 'saving':
      return `Saving ${edits}`;
    case 'offline':
      return `Offline: ${edits} kept here`;
    case 'failed':
      return `Not saved: ${edits} kept here`;
  }
}

/** What the queue of edits says, and what was set aside. */
export function SaveWords({ document }: { document: OpenDocument }) {
  useEvent(document.events, 'saving');
  const state = document.saveState;
  const refused = useRefused(document);
  return (
    <>
      <Tooltip
        label={
          state.kind === 'failed'
            ? state.message
            : 'Every edit is kept in this browser until the server has it'
        }
      >
        <span className="save-state" data-state={state.kind} role="status">
          {wordsFor(state)}
        </span>
      </Tooltip>
      {refused.length > 0 && (
        <Popover width={340} position="bottom-start" withArrow>
          <Popover.Target>
            <Button size="compact-xs" variant="light" color="red">
              {refused.length === 1 ? '1 edit not saved' : `${refused.length} edits not saved`}
            </Button>
          </Popover.Target>
          <Popover.Dropdown>
            <RefusedEdits document={document} refused={refused} />
          </Popover.Dropdown>
        </Popover>
      )}
    </>
  );
}
