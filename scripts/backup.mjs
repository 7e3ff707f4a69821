// npm run backup -- FILE [--test]: everything of this place in one file, whether it runs or not; --test tries it by
// restoring it into a database of its own, which is dropped again.
import { readdirSync, rmSync } from 'node:fs';
import { join, parse } from 'node:path';
import { connect, writeBackup } from './lib/backup.mjs';
import { openPlace } from './lib/openPlace.mjs';
import { ensurePackages } from './lib/packages.mjs';
import { restoreAside } from './lib/restore.mjs';
import { pathFrom, ROOT } from './lib/run.mjs';

const args = process.argv.slice(2);
const isTested = args.includes('--test');
const [file, ...rest] = args.filter((arg) => arg !== '--test');
if (!file || rest.length > 0 || file.startsWith('--')) {
  console.error('Say one file to write: npm run backup -- FILE [--test]');
  process.exit(2);
}

/** What the page says of it: when the last one was made, and that one has failed since. */
async function keepNote(url, name, note) {
  const client = await connect(url);
  try {
    if (name === 'last-backup') await client.query(`delete from place where name = 'backup-failure'`);
    await client.query(
      `insert into place (name, value) values ($1, $2) on conflict (name) do update set value = excluded.value`,
      [name, JSON.stringify({ at: new Date().toISOString(), ...note })],
    );
  } finally {
    await client.end();
  }
}

async function backUp(url) {
  const { bytes, tables } = await writeBackup(url, pathFrom(file));
  if (isTested) {
    const steps = readdirSync(join(ROOT, 'server/migrations')).map((name) => parse(name).name);
    const { drop } = await restoreAside(url, pathFrom(file), steps).catch((error) => {
      rmSync(pathFrom(file), { force: true });
      throw error;
    });
    await drop();
  }
  console.log(
    `${pathFrom(file)}: ${(bytes / 2 ** 20).toFixed(1)} MB, ${tables.characters ?? 0} characters, ` +
      `${tables.edits ?? 0} edits${isTested ? '; restored once to try it' : ''}.`,
  );
}

let place;
try {
  ensurePackages();
  place = await openPlace(process.env.JUDOKA_DATA ?? join(ROOT, 'data'));
  await backUp(place.url);
  await keepNote(place.url, 'last-backup', { isTested }).catch(() => undefined);
} catch (error) {
  const message = error instanceof Error ? error.message : String(error);
  console.error(message);
  if (place) await keepNote(place.url, 'backup-failure', {}).catch(() => undefined);
  process.exitCode = 1;
} finally {
  await place?.close();
}
