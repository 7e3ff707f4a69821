// When backups are made by themselves, and which are kept.
import { readdirSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';

export const DEFAULT_SCHEDULE = 'every 24h keep 7 for 30d';
const UNITS = { m: 60_000, h: 3_600_000, d: 86_400_000 };
const NAME = /^judoka-(.+)\.tar$/;
/** Backups from before a migration, kept besides those that are made by the clock. */
const KEPT_BEFORE = 3;
const BEFORE = /^before-.+\.tar$/;

/**
 * @param {string} text “every 24h keep 7 for 30d”, or “off”
 * @returns {{ everyMs: number, keep: number, forMs: number } | undefined} undefined for “off”
 * @throws what it should look like
 */
export function readSchedule(text) {
  if (text === 'off') return undefined;
  const found = /^every (\d+)([mhd]) keep (\d+) for (\d+)([mhd])$/.exec(text);
  const [, every, everyUnit, keep, age, ageUnit] = found ?? [];
  if (!found || Number(every) === 0 || Number(keep) === 0)
    throw new Error(`The setting JUDOKA_BACKUP should be like “${DEFAULT_SCHEDULE}”, or “off”.`);
  return {
    everyMs: Number(every) * UNITS[everyUnit],
    keep: Number(keep),
    forMs: Number(age) * UNITS[ageUnit],
  };
}

/** Backups in a folder, the newest first. */
export function listBackups(folder, name = NAME) {
  let names = [];
  try {
    names = readdirSync(folder);
  } catch {
    // None was made yet.
  }
  return names
    .filter((each) => name.test(each))
    .map((each) => ({ file: join(folder, each), madeAt: statSync(join(folder, each)).mtimeMs }))
    .sort((a, b) => b.madeAt - a.madeAt || (a.file < b.file ? 1 : -1));
}

/** How long until the next one is due, in milliseconds. */
export function untilDue(backups, { everyMs }, now) {
  return backups.length === 0 ? 0 : Math.max(0, backups[0].madeAt + everyMs - now);
}

/**
 * Which of these may go: beyond the number, or older than the age; never the newest.
 * @param {{ file: string, madeAt: number }[]} backups the newest first
 * @param {{ keep: number, forMs: number }} schedule
 * @param {number} now
 */
export function tooMany(backups, { keep, forMs }, now) {
  return backups.filter(({ madeAt }, place) => place > 0 && (place >= keep || now - madeAt > forMs));
}

/** Removes what need not be kept. */
export function prune(folder, schedule, now) {
  const gone = [
    ...tooMany(listBackups(folder), schedule, now),
    ...listBackups(folder, BEFORE).slice(KEPT_BEFORE),
  ];
  for (const { file } of gone) rmSync(file, { force: true });
  return gone.length;
}

export const nameFor = (date, prefix = 'judoka') =>
  `${prefix}-${date.toISOString().slice(0, 19).replaceAll(':', '-')}.tar`;
