import { makeFerryKeeper, makeHauling, makePorter } from '@judoka/demo';
import { claimDemo, releaseDemo } from './accounts/accounts.queries.ts';
import { createCharacter } from './characters/createCharacter.ts';
import { randomUUID } from 'node:crypto';
import { itemPath } from '@judoka/core/document';
import { keepAttachment } from './documents/attachments.queries.ts';
import { keepValues } from './documents/heads.queries.ts';
import type { FileJobs } from './jobs/FileJobs.ts';
import type { Database } from './database.ts';

/** Puts the demo characters on a new account's shelf, once. */
export async function loadDemo(database: Database, jobs: FileJobs, account: string): Promise<void> {
  if (!(await claimDemo(database, account))) return;
  console.log('Making the demo characters …');
  try {
    const [large, small, porter] = await Promise.all([
      makeFerryKeeper({ size: 'large', faults: true }),
      makeFerryKeeper({ size: 'small', faults: true }),
      makePorter({ faults: true }),
    ]);
    await createCharacter(database, jobs, account, 'The ferry-keeper, fine', large);
    await createCharacter(database, jobs, account, 'The porter', porter);
    const keeper = await createCharacter(database, jobs, account, 'The ferry-keeper', small);
    const attachment = randomUUID();
    const hauling = new TextEncoder().encode(makeHauling());
    await keepAttachment(database, account, keeper.id, attachment, hauling);
    const motion = { name: 'hauling', attachment, follows: {}, savedAt: Date.now() };
    await keepValues(database, keeper.id, new Map([[itemPath('motions', randomUUID()), motion]]));
  } catch (error) {
    await releaseDemo(database, account);
    throw error;
  }
}
