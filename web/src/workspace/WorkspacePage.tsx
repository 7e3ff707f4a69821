import type { Workspace } from './Workspace.ts';
import { Button, Progress, useComputedColorScheme } from '@mantine/core';
import { useEffect, useRef, useState } from 'react';
import { Link, useParams, useSearchParams } from 'react-router';
import { takeBinding } from '../document/takeBinding.ts';
import { openWorkspace } from './openWorkspace.ts';
import { WorkspaceView } from './WorkspaceView.tsx';
import { isStep } from './stages.ts';
import { messageOf } from '@judoka/core/errors';

type Opening =
  | { readonly kind: 'opening'; readonly stage: string; readonly share: number }
  | { readonly kind: 'failed'; readonly message: string }
  | { readonly kind: 'open'; readonly at: Workspace };

/** Opens the character of the address and shows the workspace; says plainly what it waits for or why it failed. */
export function WorkspacePage() {
  const { id = '', stage = '' } = useParams();
  const [attempt, setAttempt] = useState(0);
  const opening = useCharacter(id, attempt);
  const scheme = useComputedColorScheme('light');
  useBinding(opening);
  useReshaping(opening, () => setAttempt((n) => n + 1));
  if (!isStep(stage)) return <Problem message="There is no such stage." />;
  if (opening.kind === 'failed')
    return <Problem message={opening.message} retry={() => setAttempt((n) => n + 1)} />;
  if (opening.kind === 'opening') {
    return (
      <div className="centre-note" role="status">
        <span>{opening.stage}</span>
        <Progress value={opening.share * 100} w={260} aria-label="Opening" />
        <Button component={Link} to="/" variant="subtle">
          Stop
        </Button>
      </div>
    );
  }
  return <WorkspaceView key={opening.at.document.id + scheme} at={opening.at} step={stage} />;
}

function useCharacter(id: string, attempt: number): Opening {
  const [opening, setOpening] = useState<Opening>({ kind: 'opening', stage: 'Fetching', share: 0 });
  useEffect(() => {
    const stop = new AbortController();
    let at: Workspace | undefined;
    const tell = (stage: string, share: number): void => {
      if (!stop.signal.aborted) setOpening({ kind: 'opening', stage, share });
    };
    tell('Fetching', 0);
    openWorkspace(id, tell, stop.signal).then(
      (opened) => {
        at = opened;
        if (stop.signal.aborted) opened.close();
        else setOpening({ kind: 'open', at: opened });
      },
      (error: unknown) => {
        if (!stop.signal.aborted) setOpening({ kind: 'failed', message: messageOf(error) });
      },
    );
    return () => {
      stop.abort();
      at?.close();
    };
  }, [id, attempt]);
  return opening;
}

/** Opens the character anew when its parts hang together otherwise, as soon as that is saved. */
function useReshaping(opening: Opening, reopen: () => void): void {
  const again = useRef(reopen);
  useEffect(() => {
    again.current = reopen;
  });
  const document = opening.kind === 'open' ? opening.at.document : undefined;
  useEffect(() => {
    if (!document) return undefined;
    let wanted = false;
    const look = (): void => {
      if (wanted && document.saveState.kind === 'saved') again.current();
    };
    const ends = [
      document.events.subscribe('reshaped', () => {
        wanted = true;
        // The edit that says so is on its way to the log.
        setTimeout(look);
      }),
      document.events.subscribe('saving', look),
    ];
    return () => {
      for (const end of ends) end();
    };
  }, [document]);
}

/** Proposes the binding that the address names, once: the browser keeps it from then on. */
function useBinding(opening: Opening): void {
  const [params, setParams] = useSearchParams();
  const job = params.get('binding');
  const document = opening.kind === 'open' ? opening.at.document : undefined;
  useEffect(() => {
    if (!document || job === null) return;
    setParams({}, { replace: true });
    takeBinding(document, job).catch(document.notifyError);
  }, [document, job, setParams]);
}

function Problem({ message, retry }: { message: string; retry?: () => void }) {
  return (
    <div className="centre-note" role="alert">
      <strong>This character cannot be opened.</strong>
      <span>{message}</span>
      <div style={{ display: 'flex', gap: 8, justifyContent: 'center' }}>
        {retry && (
          <Button variant="default" onClick={retry}>
            Try again
          </Button>
        )}
        <Button component={Link} to="/" variant="default">
          Back to the shelf
        </Button>
      </div>
    </div>
  );
}
