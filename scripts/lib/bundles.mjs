// The command line and the server as plain JavaScript: what runs every day does not compile itself anew each time.
import { rmSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { newestIn } from './newest.mjs';
import { ROOT } from './run.mjs';

/** Bundles a room's entries into its `dist`, unless that is newer than all that goes into it. @returns the folder */
async function bundle(room, entries, isExternal) {
  const folder = join(ROOT, room, 'dist');
  const mark = join(folder, 'package.json');
  const built = statSync(mark, { throwIfNoEntry: false })?.mtimeMs ?? 0;
  const sources = [room, 'core', 'contract', 'demo'].map((each) => newestIn(join(ROOT, each, 'src')));
  const installed = statSync(join(ROOT, 'package-lock.json')).mtimeMs;
  if (built > Math.max(...sources, installed)) return folder;
  rmSync(folder, { recursive: true, force: true });
  const { rolldown } = await import('rolldown');
  const build = await rolldown({
    input: Object.fromEntries(
      Object.entries(entries).map(([name, path]) => [name, join(ROOT, room, 'src', path)]),
    ),
    platform: 'node',
    external: isExternal,
  });
  await build.write({
    dir: folder,
    format: 'esm',
    entryFileNames: '[name].js',
    chunkFileNames: '[name]-[hash].js',
    // What is started anew for every file is read faster when it is short.
    minify: room === 'cli',
  });
  await build.close();
  writeFileSync(mark, '{ "type": "module" }\n');
  return folder;
}

const isPackage = (id) => /^[^./]/.test(id) && !id.startsWith('@judoka/');

/** @returns the command line's file; whole but for the Draco decoder, which reads its WebAssembly beside itself */
export const bundleCli = async () =>
  join(await bundle('cli', { judoka: 'main.ts' }, (id) => id === 'draco3dgltf'), 'judoka.js');

/** @returns the server's file; its threads lie beside it, packages where they are installed */
export const bundleServer = async () =>
  join(
    await bundle(
      'server',
      {
        main: 'main.ts',
        worker: 'worker.ts',
        migrateTo: 'migrateTo.ts',
        documentThread: 'documents/documentThread.ts',
        fileThread: 'files/fileThread.ts',
        jobThread: 'jobs/jobThread.ts',
        copyCharacters: 'characterFile/copyCharacters.ts',
      },
      (id) => isPackage(id) && !id.startsWith('node:'),
    ),
    'main.js',
  );
