import { CoreError } from '../../errors.ts';
import type { GltfJson } from './gltfJson.ts';

export function invalid(where: string, why: string): CoreError {
  return new CoreError('file-invalid', `The file is damaged at ${where}: ${why}.`, { where });
}

const LISTS = [
  'nodes',
  'meshes',
  'skins',
  'accessors',
  'bufferViews',
  'buffers',
  'scenes',
  'images',
  'animations',
] as const;

/**
 * Looks whether the lists of a file are lists, of objects: all else can be asked about from there.
 * @throws CoreError file-invalid
 */
export function checkShape(json: GltfJson): void {
  for (const name of LISTS) {
    const list: unknown = json[name];
    if (list === undefined) continue;
    if (!Array.isArray(list)) throw invalid(name, 'it should be a list');
    list.forEach((item: unknown, i) => {
      if (typeof item !== 'object' || item === null) throw invalid(`${name}[${i}]`, 'it should be an object');
      checkName((item as { name?: unknown }).name, `${name}[${i}]`);
    });
  }
  (json.animations ?? []).forEach((animation, i) => {
    if (!Array.isArray(animation.channels) || !Array.isArray(animation.samplers)) {
      throw invalid(`animations[${i}]`, 'channels and samplers should be lists');
    }
  });
}

/** A list that may be missing. */
export function listAt<T>(list: readonly T[] | undefined, where: string): readonly T[] {
  if (list !== undefined && !Array.isArray(list)) throw invalid(where, 'it should be a list');
  return (list as readonly T[] | undefined) ?? [];
}

function checkName(name: unknown, where: string): void {
  if (name !== undefined && typeof name !== 'string') throw invalid(`${where}.name`, 'it should be a text');
}
