import { unzipSync, zipSync, type Zippable } from 'fflate';
import { CoreError, messageOf } from '../errors.ts';

/** Of all that is unpacked, in bytes. */
const MAX_UNPACKED = 512 * 1024 * 1024;
const MAX_FILES = 2000;

export const looksLikeZip = (bytes: Uint8Array): boolean =>
  bytes[0] === 0x50 && bytes[1] === 0x4b && (bytes[2] === 3 || bytes[2] === 5);

/**
 * The files of a zip file by their paths. No more is unpacked than it announces, and no more than 512 MB is taken.
 * @throws CoreError file-invalid, file-too-large, file-unsupported
 */
export function unzip(bytes: Uint8Array): Map<string, Uint8Array> {
  let [total, count] = [0, 0];
  let files: Record<string, Uint8Array>;
  try {
    files = unzipSync(bytes, {
      filter: ({ name, originalSize, compression }) => {
        if (name.endsWith('/') || isLitter(name)) return false;
        if (compression !== 0 && compression !== 8)
          throw new CoreError('file-unsupported', `“${name}” is packed in a way that cannot be read here.`, {
            where: name,
          });
        total += originalSize;
        if (++count > MAX_FILES || total > MAX_UNPACKED)
          throw new CoreError(
            'file-too-large',
            `The zip file unpacks to more than ${MAX_FILES} files, or more than 512 MB.`,
            { where: name },
          );
        return true;
      },
    });
  } catch (error) {
    if (error instanceof CoreError) throw error;
    throw new CoreError('file-invalid', `The zip file is damaged (${messageOf(error)}).`, { where: 'zip' });
  }
  return new Map(Object.entries(files).map(([path, file]) => [path.replace(/\\/g, '/'), file]));
}

/** What some systems put beside the files that a person packed. */
const isLitter = (path: string): boolean => /(^|\/)(__MACOSX\/|\.DS_Store$|Thumbs\.db$|\._)/.test(path);

/**
 * Files as one zip file, the same bytes whenever it is made.
 * @param level how hard it is packed, 0 (not at all) to 9
 */
export function zip(files: ReadonlyMap<string, Uint8Array>, level: 0 | 6 | 9 = 6): Uint8Array<ArrayBuffer> {
  const entries: Zippable = {};
  for (const [path, bytes] of files)
    // Pictures and buffers that are packed already do not get smaller.
    entries[path] = [
      bytes,
      { level: /\.(png|jpe?g|webp|ktx2|glb)$/i.test(path) ? 0 : level, mtime: FIRST_DAY },
    ];
  return zipSync(entries);
}

/** The earliest day that the format knows. */
const FIRST_DAY = new Date(1980, 0, 1);
