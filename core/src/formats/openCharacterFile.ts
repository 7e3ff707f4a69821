import { CoreError } from '../errors.ts';
import { looksLikeDae, readDae } from './dae/readDae.ts';
import { type GltfContainer, MAX_FILE_BYTES, openGlb, openGltf, writeGlb } from './gltf/container.ts';
import type { Beside } from './gltf/NewGltf.ts';
import { looksLikeObj, readObj } from './obj/readObj.ts';
import { drawingToGlb } from './svg/drawingGlb.ts';
import { looksLikeSvg } from './svg/svgTree.ts';
import { decodeAnyText } from './text.ts';
import { looksLikeZip, unzip } from './zip.ts';

/** What a file is, told by its first bytes, whatever it is called. */
export type FileKind = 'glb' | 'gltf' | 'svg' | 'dae' | 'obj' | 'zip' | 'unknown';

export function kindOfFile(bytes: Uint8Array): FileKind {
  if (bytes[0] === 0x67 && bytes[1] === 0x6c && bytes[2] === 0x54 && bytes[3] === 0x46) return 'glb';
  if (looksLikeZip(bytes)) return 'zip';
  const start = decodeAnyText(bytes.subarray(0, 8192)).trimStart();
  if (start.startsWith('{')) return 'gltf';
  if (start.startsWith('<')) return looksLikeDae(start) ? 'dae' : looksLikeSvg(bytes) ? 'svg' : 'unknown';
  return looksLikeObj(start) ? 'obj' : 'unknown';
}

const nothingBeside: Beside = () => undefined;

/**
 * A character's file as glTF: a `.glb`, a `.gltf` with its files, COLLADA, `.obj`, a drawing, or one of these zipped together
 * with the files that it names.
 *
 * @param beside the files that lie beside it
 * @throws CoreError file-… with the place
 */
export function openCharacterFile(bytes: Uint8Array, beside: Beside = nothingBeside): GltfContainer {
  if (bytes.length === 0) throw new CoreError('file-empty', 'The file is empty.');
  if (bytes.length > MAX_FILE_BYTES) {
    const megabytes = Math.ceil(bytes.length / 1024 / 1024);
    const message = `The file has ${megabytes} MB; at most 256 MB can be taken.`;
    throw new CoreError('file-too-large', message, { megabytes });
  }
  const kind = kindOfFile(bytes);
  if (kind === 'gltf') return openGltf(bytes, beside);
  if (kind === 'dae') return readDae(bytes, beside);
  if (kind === 'obj') return readObj(bytes, beside);
  if (kind === 'svg') return openGlb(drawingToGlb(bytes));
  if (kind === 'zip') return openPacked(unzip(bytes));
  return openGlb(bytes);
}

/**
 * A character among several files that were brought together.
 * @param files by their paths
 * @throws CoreError file-… where there is none, or more than one
 */
export function openPacked(files: ReadonlyMap<string, Uint8Array>): GltfContainer {
  const main = characterAmong(files);
  return openCharacterFile(files.get(main) as Uint8Array, besideIn(files, main));
}

/** The path of the one file that is a character. */
export function characterAmong(files: ReadonlyMap<string, Uint8Array>): string {
  const all = [...files].filter(([path, bytes]) => isCharacter(path, bytes)).map(([path]) => path);
  // Beside a model, a drawing is a picture of it.
  const models = all.filter((path) => !/\.svg$/i.test(path));
  const found = models.length > 0 ? models : all;
  if (found.length === 1) return found[0];
  const names = found.slice(0, 3).map((path) => `“${path.slice(-60)}”`);
  throw found.length === 0
    ? new CoreError(
        'file-unsupported',
        'None of these files is a character: a .glb, .gltf, .dae, .obj or .svg is needed.',
      )
    : new CoreError(
        'file-unsupported',
        `There are ${found.length} characters in it (${names.join(', ')}); bring them one at a time.`,
      );
}

function isCharacter(path: string, bytes: Uint8Array): boolean {
  // What a packed COLLADA says of itself.
  if (/(^|\/)manifest\.xml$/i.test(path)) return false;
  const kind = kindOfFile(bytes);
  if (kind === 'glb' || kind === 'dae' || kind === 'svg') return true;
  // Other texts may look like these two.
  if (kind === 'gltf') return /\.gltf$/i.test(path);
  return kind === 'obj' && !/\.(mtl|txt|csv|md)$/i.test(path);
}

/** What lies beside a file among others: by its path from there; else by its name, if one alone has it. */
function besideIn(files: ReadonlyMap<string, Uint8Array>, main: string): Beside {
  const folder = main.split('/').slice(0, -1);
  const lower = [...files.keys()].map((path) => [path.toLowerCase(), path] as const);
  return (name) => {
    const steps = [...folder];
    for (const step of name.replace(/\\/g, '/').split('/'))
      if (step === '..') steps.pop();
      else if (step !== '.' && step !== '') steps.push(step);
    const path = steps.join('/');
    const own = files.get(path);
    if (own) return own;
    const alike = lower.filter(([each]) => each === path.toLowerCase());
    const named =
      alike.length > 0 ? alike : lower.filter(([each]) => lastOf(each) === lastOf(path.toLowerCase()));
    return named.length === 1 ? files.get(named[0][1]) : undefined;
  };
}

const lastOf = (path: string): string => path.slice(path.lastIndexOf('/') + 1);

/** A character's file as the glTF that it is kept in; one that is this already stays as it is. */
export function asGlb(bytes: Uint8Array, beside: Beside = nothingBeside): Uint8Array {
  const kind = kindOfFile(bytes);
  if (kind === 'svg') return drawingToGlb(bytes);
  if (kind === 'glb' || kind === 'unknown') return bytes;
  return writeGlb(openCharacterFile(bytes, beside));
}
