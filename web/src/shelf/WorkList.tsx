import { Anchor, Button, Progress } from '@mantine/core';
import type { Job } from '@judoka/contract';
import { Link } from 'react-router';
import { useStopBatchMutation, useStopJobMutation } from '../api/api.ts';
import { useJobs } from './useJobs.ts';
import { batchesOf, batchWords, isOver, workWords, type Batch } from './workWords.ts';

/** Reports and bindings that were asked for: what is under way, and what has come of it. */
export function WorkList({ shelf }: { shelf: string }) {
  const jobs = useJobs().filter((job) => job.shelf === shelf && job.kind !== 'import');
  if (jobs.length === 0) return null;
  return (
    <section className="work" aria-label="Work">
      {batchesOf(jobs).map((batch) => (
        <BatchWork key={batch.id} batch={batch} />
      ))}
    </section>
  );
}

function BatchWork({ batch }: { batch: Batch }) {
  const [stopBatch] = useStopBatchMutation();
  const { jobs } = batch;
  const { title, state, share } = batchWords(batch);
  const isDone = jobs.every(isOver);
  return (
    <article className="batch" aria-label={title}>
      <header>
        <strong>{title}</strong>
        {jobs.length === 1 ? <Words job={jobs[0]} /> : <span className="card-line">{state}</span>}
        <span className="spread" />
        {jobs.length === 1 && <Results job={jobs[0]} />}
        {!isDone && <Progress value={share * 100} w={180} aria-label="Share that is done" />}
        <Button variant="default" onClick={() => void stopBatch(batch.id)}>
          {isDone ? 'Put away' : 'Stop'}
        </Button>
      </header>
      {jobs.length > 1 && (
        <ul>
          {jobs.map((job) => (
            <WorkLine key={job.id} job={job} />
          ))}
        </ul>
      )}
    </article>
  );
}

function WorkLine({ job }: { job: Job }) {
  const [stop] = useStopJobMutation();
  const words = isOver(job) ? 'Put away' : 'Stop';
  return (
    <li>
      <span className="work-name">{job.name}</span>
      <Words job={job} />
      <span className="spread" />
      <Results job={job} />
      <Button
        variant="subtle"
        size="compact-sm"
        aria-label={`${words}: ${job.name}`}
        onClick={() => void stop(job.id)}
      >
        {words}
      </Button>
    </li>
  );
}

function Words({ job }: { job: Job }) {
  const failed = job.state === 'failed';
  return (
    <span className={failed ? 'trouble' : 'card-line'} role={failed ? 'alert' : undefined}>
      {workWords(job)}
    </span>
  );
}

/** What a job made. */
function Results({ job: { id, state, kind, character } }: { job: Job }) {
  if (state !== 'done') return null;
  if (kind === 'bind')
    return (
      <Anchor component={Link} underline="always" to={`/characters/${character ?? ''}/bind?binding=${id}`}>
        Look at old and new
      </Anchor>
    );
  const page = `/api/jobs/${id}/report.html`;
  return (
    <>
      <Anchor underline="always" href={page} target="_blank" rel="noopener">
        Open the report
      </Anchor>
      <Anchor underline="always" href={`${page}?save`} download>
        Save it
      </Anchor>
    </>
  );
}
