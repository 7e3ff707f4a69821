import { makeFerryKeeper, makeHauling, makeLamplighter, makePorter } from '@judoka/demo';
import { createCharacter } from './characters/createCharacter.ts';
import { findDemoNames } from './characters/characters.queries.ts';
import { randomUUID } from 'node:crypto';
import { itemPath } from '@judoka/core/document';
import { finishDemo, needsDemo } from './accounts/accounts.queries.ts';
import { keepAttachment } from './documents/attachments.queries.ts';
import { keepValues } from './documents/heads.queries.ts';
import type { FileThreads } from './files/FileThreads.ts';
import { ownShelf } from './people/shelves.queries.ts';
import { withLock, type Database, type Queryable } from './database.ts';

interface DemoCharacter {
  readonly key: string;
  readonly name: string;
  readonly make: () => Promise<Uint8Array>;
  /** What stands beside the file. */
  readonly add?: (db: Queryable, account: string, character: string) => Promise<void>;
}

/** In the order in which they are made: the last one comes first on the shelf. */
const DEMO: readonly DemoCharacter[] = [
  {
    key: 'ferry-keeper-large',
    name: 'The ferry-keeper, fine',
    make: () => makeFerryKeeper({ size: 'large', faults: true }),
  },
  { key: 'porter', name: 'The porter', make: () => makePorter({ faults: true }) },
  { key: 'lamplighter', name: 'The lamplighter', make: () => makeLamplighter({ faults: true }) },
  {
    key: 'ferry-keeper',
    name: 'The ferry-keeper',
    make: () => makeFerryKeeper({ size: 'small', faults: true }),
    add: addHauling,
  },
];

/**
 * Puts the demo characters on a new account's shelf, once. Each is made whole or not at all, so that an interrupted making
 * goes on where it stopped; of several servers that start at once, one makes them.
 */
export async function loadDemo(database: Database, jobs: FileThreads, account: string): Promise<void> {
  if (!(await needsDemo(database, account))) return;
  await withLock(database, `demo ${account}`, async () => {
    if (!(await needsDemo(database, account))) return;
    console.log('Making the demo characters …');
    const shelf = await ownShelf(database, account);
    const there = await findDemoNames(database, shelf);
    for (const { key, name, make, add } of DEMO)
      if (!there.has(key))
        await createCharacter(database, jobs, shelf, name, await make(), {
          demo: key,
          add: (db, character) => add?.(db, account, character),
        });
    await finishDemo(database, account);
  });
}

async function addHauling(db: Queryable, account: string, character: string): Promise<void> {
  const attachment = randomUUID();
  await keepAttachment(db, account, character, attachment, new TextEncoder().encode(makeHauling()));
  const motion = { name: 'hauling', attachment, follows: {}, savedAt: Date.now() };
  await keepValues(db, character, new Map([[itemPath('motions', randomUUID()), motion]]));
}
