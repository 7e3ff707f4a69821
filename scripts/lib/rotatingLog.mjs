// A log of bounded size: a full file is put behind the others, the oldest goes.
import { appendFileSync, existsSync, mkdirSync, renameSync, statSync } from 'node:fs';
import { dirname } from 'node:path';

const MAX_BYTES = 4 << 20;
const KEPT = 4;

/**
 * @param {string} file
 * @param {{ maxBytes?: number, kept?: number }} limits how large a file gets, and how many full ones are kept
 * @returns {(text: string | Buffer) => void} appends; a disk that is full stops nothing
 */
export function rotatingLog(file, { maxBytes = MAX_BYTES, kept = KEPT } = {}) {
  mkdirSync(dirname(file), { recursive: true, mode: 0o700 });
  let size = statSync(file, { throwIfNoEntry: false })?.size ?? 0;
  const rotate = () => {
    for (let number = kept; number > 0; number--) {
      const from = number === 1 ? file : `${file}.${number - 1}`;
      if (existsSync(from)) renameSync(from, `${file}.${number}`);
    }
    size = 0;
  };
  return (text) => {
    const bytes = Buffer.from(text);
    try {
      if (size > 0 && size + bytes.length > maxBytes) rotate();
      appendFileSync(file, bytes, { mode: 0o600 });
      size += bytes.length;
    } catch {
      // The log is the last thing that may stop the work.
    }
  };
}
