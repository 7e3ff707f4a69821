// Where a place's data lie. The data folder holds `place.json`, which names the folder of the database's files: inside the
// data folder, or, where PostgreSQL's user cannot get in there, under /var/lib/judoka by an id that moves with the folder.
import { createHash, randomUUID } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, readdirSync, renameSync, writeFileSync } from 'node:fs';
import { dirname, isAbsolute, join, resolve } from 'node:path';
import { asDatabaseUser, isRoot } from './run.mjs';

const OUTSIDE = '/var/lib/judoka';

/** Writes a file whole or not at all, for its owner's eyes only. */
export function writeWhole(file, text) {
  writeFileSync(`${file}.new`, text, { mode: 0o600 });
  renameSync(`${file}.new`, file);
}

/**
 * The folders and files of a place.
 * @param {string} dataFolder made where it is missing
 * @param {string} name of the cluster in it
 * @returns {{ data: string, cluster: string, secretFile: string, lockFile: string, ownerFile: string }}
 * @throws where secrets are there, but the database that they open is not
 */
export function findPlace(dataFolder, name = 'postgres') {
  const data = resolve(dataFolder);
  mkdirSync(data, { recursive: true });
  const secretFile = join(data, `${name}.json`);
  const cluster = clusterOf(data, name, secretFile);
  mkdirSync(dirname(cluster), { recursive: true });
  const ownerFile = join(data, name === 'postgres' ? 'owner.json' : `${name}.owner.json`);
  return { data, cluster, secretFile, lockFile: `${cluster}.lock`, ownerFile };
}

function clusterOf(data, name, secretFile) {
  const file = join(data, name === 'postgres' ? 'place.json' : `${name}.place.json`);
  if (existsSync(file)) {
    const { cluster } = JSON.parse(readFileSync(file, 'utf8'));
    const folder = isAbsolute(cluster) ? cluster : join(data, cluster);
    if (existsSync(secretFile)) refuseMissing(folder, secretFile);
    return folder;
  }
  const folder = earlierCluster(data, name, secretFile) ?? newCluster(data, name);
  writeWhole(file, `${JSON.stringify({ cluster: dirname(folder) === data ? name : folder }, null, 2)}\n`);
  return folder;
}

/** A secret that opens something is never written over: its database has to be found first. */
function refuseMissing(cluster, secretFile) {
  if (existsSync(cluster)) return;
  const { isMade } = JSON.parse(readFileSync(secretFile, 'utf8'));
  if (isMade === false) return;
  throw new Error(
    `The database of this place was in ${cluster} and is not there. Put that folder back; ` +
      `or, to begin with an empty place, move ${dirname(secretFile)} away.`,
  );
}

export const isCluster = (folder) => existsSync(join(folder, 'PG_VERSION'));

function newCluster(data, name) {
  if (!isRoot() || canReach(data)) return join(data, name);
  return join(OUTSIDE, randomUUID(), name);
}

const canReach = (folder) => asDatabaseUser('test', ['-x', folder]).status === 0;

/** The cluster of a place that was made before places had a file: beside its secret, or outside under a hash of the path. */
function earlierCluster(data, name, secretFile) {
  if (!existsSync(secretFile)) return undefined;
  const inside = join(data, name);
  if (isCluster(inside)) return inside;
  const byPath = join(OUTSIDE, createHash('sha256').update(data).digest('hex').slice(0, 12), name);
  if (isCluster(byPath)) return byPath;
  const others = outsideClusters(name);
  if (others.length === 1) return others[0];
  if (others.length === 0) return refuseMissing(inside, secretFile);
  throw new Error(
    `This folder was moved, and its database is one of these: ${others.join(', ')}. Write the right one into ` +
      `${join(data, 'place.json')} as { "cluster": "…" } and start again.`,
  );
}

function outsideClusters(name) {
  if (!existsSync(OUTSIDE)) return [];
  return readdirSync(OUTSIDE)
    .filter((mark) => /^[0-9a-f]{12}$/.test(mark))
    .map((mark) => join(OUTSIDE, mark, name))
    .filter(isCluster);
}
