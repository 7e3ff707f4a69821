import { writeFileSync } from 'node:fs';
import { basename, dirname, extname, join } from 'node:path';
import { CoreError, exportCharacter, readCharacter, writeGlb, writeGltf } from '@judoka/core';
import { decoders, openFile } from './files.ts';

/** Reads a file and writes it again as `.glb`, or as `.gltf` with one `.bin` beside it. */
export async function convert(input: string, output: string): Promise<void> {
  const kind = extname(output).toLowerCase();
  if (kind !== '.glb' && kind !== '.gltf') {
    throw new CoreError('argument-invalid', `“${basename(output)}” ends in neither .glb nor .gltf.`);
  }
  const container = openFile(input);
  const character = await readCharacter(container, decoders);
  const exported = exportCharacter(container, character, character.rows);
  if (kind === '.glb') {
    writeFileSync(output, writeGlb(exported));
    return;
  }
  const binaryName = `${basename(output, extname(output))}.bin`;
  const { text, binary } = writeGltf(exported, binaryName);
  writeFileSync(output, text);
  if (binary.length > 0) writeFileSync(join(dirname(output), binaryName), binary);
}
