import { exportCharacter, readCharacter } from '@judoka/core/formats';
import { decoders, openFile, writeFile } from './files.ts';
import { checkOutput } from './output.ts';

/** Reads a file and writes it again as `.glb`, or as `.gltf` with one `.bin` beside it. */
export async function convert(input: string, output: string): Promise<void> {
  checkOutput(output);
  const container = openFile(input);
  const character = await readCharacter(container, decoders);
  // Nothing was asked to be put right: every weight leaves as it came.
  const leave = character.parts.map(({ vertexCount }) => new Uint8Array(vertexCount).fill(1));
  writeFile(output, exportCharacter(container, character, character.rows, { leave }));
}
