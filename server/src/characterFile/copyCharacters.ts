// Puts the characters of one database beside those of another, with all their history: `npm run restore -- FILE --beside`.
import { Readable } from 'node:stream';
import { createGzip } from 'node:zlib';
import { migrate, openDatabase, transaction, type Database } from '../database.ts';
import { findTwinShelf, listEverything } from './twins.queries.ts';
import { DocumentThreads } from '../documents/DocumentThreads.ts';
import { FileThreads } from '../files/FileThreads.ts';
import { readCharacterFile } from './readCharacterFile.ts';
import { writeCharacterFile } from './writeCharacterFile.ts';

async function copyAll(from: Database, to: Database, url: string): Promise<number> {
  const [threads, jobs] = [new DocumentThreads(url), new FileThreads()];
  let failed = 0;
  try {
    for (const character of await listEverything(from)) {
      const { id, name, account } = character;
      const twin = await findTwinShelf(to, character);
      try {
        await transaction(
          from,
          (db) =>
            readCharacterFile(
              { database: to, threads, jobs },
              twin,
              Readable.from(writeCharacterFile(db, account.id, id)).pipe(createGzip({ level: 1 })),
            ),
          'repeatable read',
        );
        console.log(`“${name}” stands beside what was there.`);
      } catch (error) {
        failed++;
        console.error(`“${name}” could not be taken: ${(error as Error).message}`);
      }
    }
  } finally {
    await Promise.all([threads.close(), jobs.close()]);
  }
  return failed;
}

const { FROM_URL, DATABASE_URL } = process.env;
if (!FROM_URL || !DATABASE_URL) throw new Error('FROM_URL and DATABASE_URL say from where to where.');
await migrate(FROM_URL);
await migrate(DATABASE_URL);
const [from, to] = [openDatabase(FROM_URL, 2), openDatabase(DATABASE_URL, 4)];
process.exitCode = (await copyAll(from, to, DATABASE_URL)) > 0 ? 1 : 0;
await Promise.all([from.end(), to.end()]);
