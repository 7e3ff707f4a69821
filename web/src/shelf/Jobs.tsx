import { Button, Progress } from '@mantine/core';
import type { Job } from '@judoka/contract';
import { useEffect } from 'react';
import { api, useStopJobMutation } from '../api/api.ts';
import { useAppDispatch } from '../settings/store.ts';
import { jobWords } from './followJob.ts';
import { useJobs } from './useJobs.ts';

/** Files on their way to this shelf, also those that another page or an earlier visit has sent. */
export function Jobs({ shelf }: { shelf: string }) {
  const dispatch = useAppDispatch();
  const [stop] = useStopJobMutation();
  const shown = useJobs().filter(
    (job) => job.shelf === shelf && job.kind === 'import' && job.state !== 'coming',
  );
  const count = shown.length;
  // One that is gone from the list has become a character.
  useEffect(() => void dispatch(api.util.invalidateTags(['Characters'])), [dispatch, count]);
  return shown.map((job) => <JobCard key={job.id} job={job} stop={() => void stop(job.id)} />);
}

function JobCard({ job, stop }: { job: Job; stop: () => void }) {
  const failed = job.state === 'failed';
  return (
    <article className="drop" aria-label={`${job.name}, on its way`} role={failed ? 'alert' : undefined}>
      <strong>{job.name}</strong>
      {failed ? (
        <span style={{ color: 'var(--fails)' }}>{`It was not taken. ${job.failure ?? ''}`}</span>
      ) : (
        <>
          <Progress value={100} animated w="80%" aria-label={jobWords(job)} />
          <span>{jobWords(job)}</span>
        </>
      )}
      <Button variant="default" onClick={stop}>
        {failed ? 'Put it away' : 'Stop'}
      </Button>
    </article>
  );
}
