// npm run worker: does heavy work of a place that servers put into the queue; any number of these on any number of machines.
import { openDatabase } from './database.ts';
import { JobWorker } from './jobs/JobWorker.ts';
import { JobQueue } from './jobs/JobQueue.ts';
import { DocumentThreads } from './documents/DocumentThreads.ts';
import { FileThreads } from './files/FileThreads.ts';

const { DATABASE_URL, JUDOKA_WORKERS = '2' } = process.env;
if (!DATABASE_URL) throw new Error('The setting DATABASE_URL says which place to work for.');

const database = openDatabase(DATABASE_URL);
const queue = new JobQueue(DATABASE_URL, database);
const jobs = new FileThreads();
const documents = new DocumentThreads(DATABASE_URL);
const worker = new JobWorker(database, jobs, documents, queue);
await queue.open();
await worker.start(Math.max(1, Number(JUDOKA_WORKERS) || 2));
console.log(`A worker is ready, process ${process.pid}.`);
process.send?.('ready');
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.once(signal, () => {
    const closing = Promise.all([worker.close(), queue.close()]).then(() =>
      Promise.all([jobs.close(), documents.close(), database.end()]),
    );
    closing.then(
      () => process.exit(0),
      () => process.exit(1),
    );
  });
