import type { Workspace } from './Workspace.ts';
import { Button, Progress, useComputedColorScheme } from '@mantine/core';
import { useEffect, useState } from 'react';
import { Link, useParams, useSearchParams } from 'react-router';
import { takeBinding } from '../document/takeBinding.ts';
import { forgetOpened, openWorkspace } from './openWorkspace.ts';
import { WorkspaceView } from './WorkspaceView.tsx';
import { isStep } from './stages.ts';
import { messageOf } from '@judoka/core/errors';

type Opening =
  | { readonly kind: 'opening'; readonly stage: string; readonly share: number }
  | { readonly kind: 'failed'; readonly message: string }
  | { readonly kind: 'open'; readonly at: Workspace };

const OPENING = { kind: 'opening', stage: 'Fetching', share: 0 } as const;

/** Opens the character of the address and shows the workspace; says plainly what it waits for or why it failed. */
export function WorkspacePage() {
  const { id = '', stage = '' } = useParams();
  const { opening, retry } = useCharacter(id);
  const scheme = useComputedColorScheme('light');
  useBinding(opening);
  if (!isStep(stage)) return <Problem message="There is no such stage." />;
  if (opening.kind === 'failed') return <Problem message={opening.message} retry={retry} />;
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
  return <WorkspaceView key={`${opening.at.serial} ${scheme}`} at={opening.at} step={stage} />;
}

/** @returns what is open, and what opens the character anew */
function useCharacter(id: string): { opening: Opening; retry: () => void } {
  const [opening, setOpening] = useState<Opening>(OPENING);
  const [attempt, setAttempt] = useState(0);
  useEffect(() => {
    const stop = new AbortController();
    const { signal } = stop;
    let shown: Workspace | undefined;
    const tell = (stage: string, share: number): void => {
      if (!signal.aborted) setOpening({ kind: 'opening', stage, share });
    };
    const show = (opened: Workspace): void => {
      if (signal.aborted) {
        opened.close();
        return;
      }
      const before = shown;
      if (before) opened.goOnFrom(before);
      shown = opened;
      setOpening({ kind: 'open', at: opened });
      before?.close();
      whenReshaped(opened, signal, async () => {
        try {
          const next = await openWorkspace(id, () => undefined, signal);
          // Whatever was begun meanwhile is finished and saved on the one that is left.
          await rested(opened, signal);
          show(next);
        } catch (error) {
          if (!signal.aborted) opened.document.notifyError(error);
        }
      });
    };
    tell(OPENING.stage, 0);
    openWorkspace(id, tell, signal).then(show, (error: unknown) => {
      if (!signal.aborted) setOpening({ kind: 'failed', message: messageOf(error) });
    });
    return () => {
      stop.abort();
      shown?.close();
      forgetOpened();
    };
  }, [id, attempt]);
  return { opening, retry: () => setAttempt((n) => n + 1) };
}

/** How often it is looked at whether somebody is still at work. */
const LOOK_MS = 60;

const isAtRest = ({ document }: Workspace): boolean =>
  document.saveState.kind === 'saved' && document.writer.holder === undefined;

/** Until nobody is at work on a character and all of it is saved. */
async function rested(at: Workspace, signal: AbortSignal): Promise<void> {
  while (!isAtRest(at) && !signal.aborted) await new Promise((resolve) => setTimeout(resolve, LOOK_MS));
}

/** Once parts hang together otherwise, and that is saved: opens the character anew. */
function whenReshaped(at: Workspace, signal: AbortSignal, reopen: () => Promise<void>): void {
  let isWanted = false;
  at.document.events.subscribe('reshaped', () => {
    if (isWanted) return;
    isWanted = true;
    // The edit that says so is on its way to the log.
    setTimeout(() => {
      void rested(at, signal).then(() => {
        isWanted = false;
        if (!signal.aborted) void reopen();
      });
    });
  });
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
