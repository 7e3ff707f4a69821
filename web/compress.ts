import { readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { brotliCompress } from 'node:zlib';
import type { Plugin } from 'vite';

const compress = promisify(brotliCompress);
/** Smaller files gain nothing. */
const MIN_BYTES = 1024;

/** Puts a compressed twin beside every file of the build: once and well, rather than quickly at every request. */
export const compressed = (): Plugin => ({
  name: 'compressed-twins',
  apply: 'build',
  async writeBundle({ dir = '' }, bundle) {
    const names = Object.keys(bundle).filter((name) => /\.(js|css|svg|wasm)$/.test(name));
    await Promise.all(
      names.map(async (name) => {
        const bytes = await readFile(join(dir, name));
        if (bytes.length >= MIN_BYTES) await writeFile(join(dir, `${name}.br`), await compress(bytes));
      }),
    );
  },
});
