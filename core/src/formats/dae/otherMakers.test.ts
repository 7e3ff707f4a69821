import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from '@jest/globals';
import { CoreError } from '../../errors.ts';
import { readCharacter } from '../gltf/readCharacter.ts';
import { openCharacterFile } from '../openCharacterFile.ts';

// Files of many makers, as Debian's package of test models has them.
const MODELS = '/usr/share/assimp/models';
const files = ['Collada', 'OBJ'].flatMap((folder) =>
  existsSync(join(MODELS, folder))
    ? readdirSync(join(MODELS, folder))
        .filter((name) => /\.(dae|zae|obj)$/i.test(name))
        .map((name): [string, string] => [name, join(MODELS, folder)])
    : [],
);
/** Those that hold nothing to paint, or are damaged on purpose. */
const REFUSED = [
  'cameras.dae',
  'lights.dae',
  'number_formats.obj',
  'point_cloud.obj',
  'testline.obj',
  'testpoints.obj',
];

// Skipped, visibly, where they are not installed.
const withModels = files.length > 0 ? describe : describe.skip;

withModels('files of other makers', () => {
  test.each(files.length > 0 ? files : [['none', MODELS]])(
    '%s is read, or refused in a sentence',
    async (name, folder) => {
      const beside = (path: string): Uint8Array | undefined => {
        const own = join(folder, path);
        return existsSync(own) ? new Uint8Array(readFileSync(own)) : undefined;
      };
      try {
        const container = openCharacterFile(new Uint8Array(readFileSync(join(folder, name))), beside);
        const { parts } = await readCharacter(container);
        expect(REFUSED).not.toContain(name);
        expect(parts.reduce((sum, { pointCount }) => sum + pointCount, 0)).toBeGreaterThan(2);
        for (const { positions } of parts) for (const x of positions) expect(Number.isFinite(x)).toBe(true);
      } catch (error) {
        if (!(error instanceof CoreError)) throw error;
        expect(REFUSED).toContain(name);
      }
    },
  );
});
