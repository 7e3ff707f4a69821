// npm run restore -- FILE [--beside | --replace]: puts a backup back, whether the place runs or not. Into an empty place it
// goes as it is. Where there is work, say which: beside it, as characters of their own; or in its place, the old one kept.
import { readdirSync } from 'node:fs';
import { join, parse } from 'node:path';
import { connect } from './lib/backup.mjs';
import { bundleServer } from './lib/bundles.mjs';
import { openPlace } from './lib/openPlace.mjs';
import { ensurePackages } from './lib/packages.mjs';
import { restoreAside, swapIn } from './lib/restore.mjs';
import { pathFrom, ROOT, runLoud } from './lib/run.mjs';

const args = process.argv.slice(2);
const [file] = args.filter((arg) => !arg.startsWith('--'));
const [choice, ...more] = args.filter((arg) => arg.startsWith('--'));
if (!file || more.length > 0 || ![undefined, '--beside', '--replace'].includes(choice)) {
  console.error('Say one file to read: npm run restore -- FILE [--beside | --replace]');
  process.exit(2);
}

/** Whether nobody has done anything here yet: no characters but the demo's, and those as they came. */
async function isEmpty(url) {
  const client = await connect(url);
  try {
    const { rows } = await client.query(`select to_regclass('public.characters') as there`);
    if (rows[0].there === null) return true;
    const { rows: work } = await client.query(
      `select exists (select from characters c where to_jsonb(c) ->> 'demo' is null or head > 0) as "isThere"`,
    );
    return !work[0].isThere;
  } finally {
    await client.end();
  }
}

async function restore(place) {
  const steps = readdirSync(join(ROOT, 'server/migrations')).map((name) => parse(name).name);
  const replaces = choice === '--replace' || (choice === undefined && (await isEmpty(place.url)));
  if (!replaces && choice === undefined)
    throw new Error(
      'There is work in this place. Add --beside to put what is in the backup beside it, or --replace to put it in the ' +
        'place of what is there, which is kept then.',
    );
  const restored = await restoreAside(place.url, pathFrom(file), steps);
  const { characters = 0, edits = 0 } = restored.manifest.tables;
  try {
    if (replaces) {
      // A server that runs on must find it as it knows it, also where an earlier version made the backup.
      const env = { ...process.env, DATABASE_URL: restored.url };
      const migrates = join(await bundleServer(), '../migrateTo.js');
      if ((await runLoud(process.execPath, [migrates], { env })) !== 0)
        throw new Error('The backup could not be brought up to this version. Nothing was changed.');
      const kept = await swapIn(place.url, restored.url);
      console.log(
        `Restored: ${characters} characters, ${edits} edits. What was there is kept as the database ${kept}.`,
      );
      return;
    }
    const tool = join(await bundleServer(), '../copyCharacters.js');
    const env = { ...process.env, FROM_URL: restored.url, DATABASE_URL: place.url };
    if ((await runLoud(process.execPath, [tool], { env })) !== 0)
      throw new Error('Not all of it could be put beside.');
    await restored.drop();
  } catch (error) {
    await restored.drop().catch(() => undefined);
    throw error;
  }
}

let place;
try {
  ensurePackages();
  place = await openPlace(process.env.JUDOKA_DATA ?? join(ROOT, 'data'));
  await restore(place);
} catch (error) {
  console.error(error instanceof Error ? error.message : error);
  process.exitCode = 1;
} finally {
  await place?.close();
}
