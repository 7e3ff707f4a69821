import { readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';

/** When the newest file of a folder was written, in milliseconds; without what is built or installed there. */
export function newestIn(folder) {
  let newest = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    if (entry.name === 'node_modules' || entry.name === 'dist') continue;
    const path = join(folder, entry.name);
    newest = Math.max(newest, entry.isDirectory() ? newestIn(path) : statSync(path).mtimeMs);
  }
  return newest;
}
