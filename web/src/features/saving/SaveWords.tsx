import { Button, FileButton, Group, Popover } from '@mantine/core';
import type { OpenDocument } from '../../document/OpenDocument.ts';
import { useEvent } from '../../document/useEvent.ts';
import { momentWords } from '../../ui/momentWords.ts';
import { saveFile } from '../../ui/saveFile.ts';
import { takeEditsFile, writeEditsFile } from './editsFile.ts';
import { RefusedEdits } from './RefusedEdits.tsx';
import { meaningOf, stateWords } from './saveWords.ts';
import { useRefused } from './useRefused.ts';

/** What the queue of edits says, what it means and what can be done about it, and what was set aside. */
export function SaveWords({ document }: { document: OpenDocument }) {
  useEvent(document.events, 'saving');
  const refused = useRefused(document);
  const state = document.saveState;
  return (
    <>
      <Outdated document={document} />
      <Popover width={340} position="bottom-end" withArrow>
        <Popover.Target>
          <button type="button" className="save-state" data-state={state.kind} aria-live="polite">
            {stateWords(state)}
          </button>
        </Popover.Target>
        <Popover.Dropdown>
          <SaveDetails document={document} />
        </Popover.Dropdown>
      </Popover>
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

/** The page, or the place behind it, is another one than it was opened with. */
function Outdated({ document }: { document: OpenDocument }) {
  useEvent(document.events, 'outdated');
  const { outdated, keptAt } = document;
  if (outdated)
    return (
      <Button size="compact-xs" variant="light" onClick={() => location.reload()}>
        {outdated === 'version' ? 'A newer version is there: reload' : 'The place was restored: reload'}
      </Button>
    );
  if (keptAt === undefined) return null;
  return (
    <span
      className="save-state"
      data-state="offline"
    >{`As this browser kept it, ${momentWords(keptAt)}`}</span>
  );
}

function SaveDetails({ document }: { document: OpenDocument }) {
  const state = document.saveState;
  const keep = async (): Promise<void> => {
    const file = await writeEditsFile(document);
    if (file) saveFile(file.name, file.bytes);
  };
  const take = async (file: File): Promise<void> => {
    const count = await takeEditsFile(document, await file.text());
    document.notify(
      count === 0
        ? 'Everything in this file is here already.'
        : `${count} ${count === 1 ? 'edit was' : 'edits were'} taken in from “${file.name}”.`,
    );
  };
  return (
    <div role="group" aria-label="Saving">
      <p style={{ margin: '0 0 8px' }}>{meaningOf(state)}</p>
      {state.kind === 'failed' && <p className="card-line">{state.message}</p>}
      <Group gap={6}>
        {state.kind === 'signedOut' && (
          <Button
            size="compact-sm"
            component="a"
            href={`/sign-in?${new URLSearchParams({ to: location.pathname }).toString()}`}
          >
            Sign in
          </Button>
        )}
        {state.kind !== 'saved' && state.kind !== 'saving' && (
          <Button size="compact-sm" variant="default" onClick={() => document.log.queue.tryNow()}>
            Try now
          </Button>
        )}
        {state.kind !== 'saved' && (
          <Button size="compact-sm" variant="default" onClick={() => void keep().catch(document.notifyError)}>
            Save what is kept as a file
          </Button>
        )}
        <FileButton
          accept="application/json"
          onChange={(file) => {
            if (file) take(file).catch(document.notifyError);
          }}
        >
          {(props) => (
            <Button size="compact-sm" variant="subtle" {...props}>
              Take kept edits in from a file
            </Button>
          )}
        </FileButton>
      </Group>
    </div>
  );
}
