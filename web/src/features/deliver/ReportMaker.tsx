import { Anchor, Group } from '@mantine/core';
import { jobsAnswer, type Job } from '@judoka/contract';
import { HttpError, request } from '../../api/http.ts';
import { useEffect, useRef, useState } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { RunButton } from '../../trial/RunButton.tsx';

const LOOK_MS = 400;

/** A report of the character as it is now: made by the server, one page that carries all it shows. */
export function ReportMaker({ at: { document } }: { at: Editing }) {
  useEvent(document.events, 'saving');
  const [job, setJob] = useState<Job>();
  const [running, setRunning] = useState<{ what: string; share: number }>();
  const stopper = useRef<AbortController>(undefined);
  useEffect(() => () => stopper.current?.abort(), []);
  const saved = document.saveState.kind === 'saved';
  const run = (): void => {
    const stop = (stopper.current = new AbortController());
    setJob(undefined);
    setRunning({ what: 'Making the report', share: 0 });
    makeReport(document.id, (share) => setRunning({ what: 'Making the report', share }), stop.signal)
      .then(setJob)
      .catch((error: unknown) => {
        if (!stop.signal.aborted) document.notifyError(error);
      })
      .finally(() => setRunning(undefined));
  };
  return (
    <section className="group">
      <h2>Report</h2>
      <p className="card-line">
        Pictures, limits, check-up, strays and the worst bends of what is saved, as one page to send and
        print.
      </p>
      {saved || running ? (
        <RunButton
          running={running}
          run={run}
          stop={() => stopper.current?.abort()}
          label="Make the report"
        />
      ) : (
        <div className="card-line">Waiting until everything is saved.</div>
      )}
      {job && (
        <Group gap={12} mt={8}>
          <Anchor underline="always" href={`/api/jobs/${job.id}/report.html`} target="_blank" rel="noopener">
            Open the report
          </Anchor>
          <Anchor underline="always" href={`/api/jobs/${job.id}/report.html?save`} download>
            Save it
          </Anchor>
          <Anchor underline="always" href={`/api/jobs/${job.id}/report.json`} download>
            Its figures
          </Anchor>
        </Group>
      )}
    </section>
  );
}

/** Asks for a report and waits for it. @throws HttpError why it failed */
async function makeReport(
  character: string,
  tell: (share: number) => void,
  signal: AbortSignal,
): Promise<Job> {
  const batch = crypto.randomUUID();
  await request('/api/jobs', {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ id: batch, characters: [character], work: { kind: 'report' } }),
  });
  for (;;) {
    const { jobs } = jobsAnswer.parse(await (await request('/api/jobs')).json());
    const job = jobs.find((one) => one.batch === batch);
    if (job?.state === 'done') return job;
    if (!job || job.state === 'failed')
      throw new HttpError('server-failed', job?.failure ?? 'The report was stopped.');
    if (signal.aborted) {
      await request(`/api/jobs/${job.id}`, { method: 'DELETE' });
      signal.throwIfAborted();
    }
    tell(job.share);
    await new Promise((resolve) => setTimeout(resolve, LOOK_MS));
  }
}
