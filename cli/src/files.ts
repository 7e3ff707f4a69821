import { checkOutput } from './output.ts';
import { readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, extname, join, normalize } from 'node:path';
import { CoreError } from '@judoka/core/errors';
import {
  type Decoders,
  type GltfContainer,
  MAX_FILE_BYTES,
  openCharacterFile,
  writeGlb,
  writeGltf,
} from '@judoka/core/formats';

/** Opens a character's file, with the files beside it that it names. What it is, is told by its first bytes. */
export function openFile(path: string): GltfContainer {
  const { size } = statSync(path);
  if (size > MAX_FILE_BYTES)
    throw new CoreError('file-too-large', `“${basename(path)}” is larger than 256 MB.`);
  const bytes = new Uint8Array(readFileSync(path));
  return openCharacterFile(bytes, (name) => readBeside(path, name));
}

function readBeside(path: string, uri: string): Uint8Array | undefined {
  // A file may only name what lies beside or below it.
  const relative = normalize(uri);
  if (relative.startsWith('..') || relative.startsWith('/')) return undefined;
  try {
    return new Uint8Array(readFileSync(join(dirname(path), relative)));
  } catch {
    return undefined;
  }
}

/** Writes a `.glb`, or a `.gltf` with one `.bin` beside it. */
export function writeFile(path: string, container: GltfContainer): void {
  if (checkOutput(path) === '.glb') {
    writeWhole(path, writeGlb(container));
    return;
  }
  const binaryName = `${basename(path, extname(path))}.bin`;
  const { text, binary } = writeGltf(container, binaryName);
  if (binary.length > 0) writeWhole(join(dirname(path), binaryName), binary);
  writeWhole(path, text);
}

/** Writes a file so that it is there whole or not at all: beside its place first. */
export function writeWhole(path: string, content: Uint8Array | string): void {
  const beside = `${path}.${process.pid}.part`;
  try {
    writeFileSync(beside, content);
    renameSync(beside, path);
  } catch (error) {
    rmSync(beside, { force: true });
    throw error;
  }
}

export const decoders: Decoders = {
  draco: async () => {
    const { default: draco3d } = await import('draco3dgltf');
    return draco3d.createDecoderModule();
  },
};
