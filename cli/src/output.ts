import { basename, extname } from 'node:path';
import { CoreError } from '@judoka/core/errors';

/** @throws CoreError if the name of an output says neither of the two kinds */
export function checkOutput(path: string): '.glb' | '.gltf' {
  const kind = extname(path).toLowerCase();
  if (kind === '.glb' || kind === '.gltf') return kind;
  throw new CoreError('argument-invalid', `“${basename(path)}” ends in neither .glb nor .gltf.`);
}
