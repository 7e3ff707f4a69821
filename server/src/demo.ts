import { makeFerryKeeper, makeHauling, makePorter } from '@judoka/demo';
import { claimDemo, releaseDemo } from './accounts/accounts.queries.ts';
import { createCharacter } from './characters/createCharacter.ts';
import { insertMotion } from './characters/motions.queries.ts';
import type { Database } from './database.ts';

/** Puts the demo characters on a new account's shelf, once. */
export async function loadDemo(database: Database, account: string): Promise<void> {
  if (!(await claimDemo(database, account))) return;
  console.log('Making the demo characters …');
  try {
    const [large, small, porter] = await Promise.all([
      makeFerryKeeper({ size: 'large', faults: true }),
      makeFerryKeeper({ size: 'small', faults: true }),
      makePorter({ faults: true }),
    ]);
    await createCharacter(database, account, 'The ferry-keeper, fine', large);
    await createCharacter(database, account, 'The porter', porter);
    const keeper = await createCharacter(database, account, 'The ferry-keeper', small);
    await insertMotion(database, account, keeper.id, 'hauling', new TextEncoder().encode(makeHauling()));
  } catch (error) {
    await releaseDemo(database, account);
    throw error;
  }
}
