import { Button, Progress } from '@mantine/core';
import { useEvent } from '../../document/useEvent.ts';
import type { BindRuns } from './BindRuns.ts';
import './bind.css';

/** How far a binding is, at the foot of the stage on every page: it goes on wherever one looks. */
export function BindProgress({ runs }: { runs: BindRuns }) {
  useEvent(runs.events, 'changed');
  const { running } = runs;
  if (!running) return null;
  return (
    <div className="bind-progress" role="status" aria-label="Binding">
      <span>{running.what}</span>
      <Progress value={running.share * 100} style={{ flex: 1 }} aria-label="Share that is done" />
      <Button variant="default" size="compact-sm" onClick={() => runs.stop()}>
        Stop
      </Button>
    </div>
  );
}
