import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { CoreError } from '../../errors.ts';
import { openGlb } from '../gltf/container.ts';
import { readCharacter } from '../gltf/readCharacter.ts';
import { asGlb } from '../openCharacterFile.ts';

// Drawings that others have made with other programs: those of Debian's tango-icon-theme, where it is installed.
const FOLDER = '/usr/share/icons/Tango/scalable';
const MOST = 60;

const files = existsSync(FOLDER)
  ? (readdirSync(FOLDER, { recursive: true }) as string[])
      .filter((name) => name.endsWith('.svg'))
      .slice(0, MOST)
  : [];

(files.length > 0 ? test : test.skip)(
  'icons that other programs wrote come in, or are refused in a sentence',
  async () => {
    let read = 0;
    for (const name of files) {
      try {
        const { drawing, parts } = await readCharacter(
          openGlb(asGlb(new Uint8Array(readFileSync(join(FOLDER, name))))),
        );
        expect(drawing?.layers).toHaveLength(parts.length);
        read++;
      } catch (error) {
        expect(error).toBeInstanceOf(CoreError);
      }
    }
    expect(read / files.length).toBeGreaterThan(0.9);
  },
);
