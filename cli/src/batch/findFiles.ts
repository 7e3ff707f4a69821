import { readdirSync, statSync } from 'node:fs';
import { basename, extname, join } from 'node:path';
import { CoreError } from '@judoka/core/errors';

const ENDINGS = new Set(['.glb', '.gltf', '.dae', '.obj', '.svg', '.zip']);
const MAX_FILES = 100_000;

/**
 * The characters that are meant: files as they are named, and all in folders and below, by name.
 * @throws CoreError argument-invalid where a folder has none, or two would be written under one name
 */
export function findFiles(paths: readonly string[]): string[] {
  const found = paths.flatMap((path) => {
    if (!statSync(path).isDirectory()) return [path];
    const inside = charactersIn(path);
    if (inside.length === 0)
      throw new CoreError('argument-invalid', `There is no character in the folder “${path}”.`);
    return inside;
  });
  const files = [...new Set(found)];
  if (files.length > MAX_FILES)
    throw new CoreError('argument-invalid', `These are more than ${MAX_FILES} files.`);
  return files;
}

function charactersIn(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true })
    .sort((a, b) => (a.name < b.name ? -1 : 1))
    .flatMap((entry) => {
      const path = join(folder, entry.name);
      if (entry.isDirectory()) return charactersIn(path);
      return ENDINGS.has(extname(entry.name).toLowerCase()) ? [path] : [];
    });
}

/** @throws CoreError argument-invalid where two files would be written under one name */
export function checkNames(files: readonly string[]): void {
  const seen = new Map<string, string>();
  for (const path of files) {
    const name = basename(path, extname(path)).toLowerCase();
    const other = seen.get(name);
    if (other !== undefined)
      throw new CoreError(
        'argument-invalid',
        `“${other}” and “${path}” would be written under one name; run them into different folders.`,
      );
    seen.set(name, path);
  }
}
