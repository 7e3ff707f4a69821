import { existsSync } from 'node:fs';
import { fileURLToPath, pathToFileURL } from 'node:url';

/**
 * Where a thread's code is: beside the built server; from sources, a file that brings the TypeScript loader with it.
 * Each thread is a file of its own, so that nothing of the server is loaded in it but what it needs. `JUDOKA_THREADS` names the
 * folder of built ones for a server that itself runs from sources: one that is compiled anew takes seconds to begin.
 */
export function threadFile(name: 'documentThread' | 'fileThread' | 'jobThread'): {
  filename: string;
  execArgv: string[];
} {
  const { JUDOKA_THREADS: folder } = process.env;
  const built = new URL(`./${name}.js`, folder ? pathToFileURL(`${folder}/`) : import.meta.url);
  const source = new URL(`../threads/${name}.mjs`, import.meta.url);
  return { filename: fileURLToPath(existsSync(built) ? built : source), execArgv: [] };
}
