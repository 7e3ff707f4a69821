// npm run worker: does heavy work of a place that servers put into the queue; any number of these on any number of machines.
import { openDatabase } from './database.ts';
import { ImportWorker } from './imports/ImportWorker.ts';
import { JobQueue } from './imports/JobQueue.ts';
import { FileJobs } from './jobs/FileJobs.ts';

const { DATABASE_URL, JUDOKA_WORKERS = '2' } = process.env;
if (!DATABASE_URL) throw new Error('The setting DATABASE_URL says which place to work for.');

const database = openDatabase(DATABASE_URL);
const queue = new JobQueue(DATABASE_URL, database);
const jobs = new FileJobs();
const worker = new ImportWorker(database, jobs, queue);
await queue.open();
await worker.start(Math.max(1, Number(JUDOKA_WORKERS) || 2));
console.log(`A worker is ready, process ${process.pid}.`);
process.send?.('ready');
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.once(signal, () => {
    worker.close();
    const closing = queue.close().then(() => Promise.all([jobs.close(), database.end()]));
    closing.then(
      () => process.exit(0),
      () => process.exit(1),
    );
  });
