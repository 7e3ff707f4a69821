import { listWeightTroubles } from '@judoka/core';
import { decodeChange, encodeRows, type EditsHeader } from '@judoka/contract';
import type { Database } from '../database.ts';
import { transaction } from '../database.ts';
import { RequestError } from '../http/errors.ts';
import {
  findDelta,
  findKnownEdits,
  insertCheckpoint,
  insertEdits,
  lockHead,
  moveHead,
  type StoredEdit,
} from './edits.queries.ts';
import { advance, type HeadCache, type HeadState } from './headState.ts';

/** Edits between two checkpoints. */
const CHECKPOINT_EVERY = 64;

/**
 * Appends a batch to a character's log in one transaction and answers with the new head.
 *
 * A repeat of known ids changes nothing. The rest must start at the head they name, and each must fit the weights it
 * meets; else nothing of the batch is kept.
 */
export async function saveEdits(
  database: Database,
  cache: HeadCache,
  owner: string,
  character: string,
  header: EditsHeader,
  deltas: readonly Uint8Array[],
): Promise<number> {
  let state: HeadState | undefined;
  const head = await transaction(database, async (db) => {
    const locked = await lockHead(db, owner, character);
    if (!locked) throw new RequestError('not-found', 'This character does not exist, or is not yours.');
    const current = locked.head;
    const known = await findKnownEdits(
      db,
      character,
      header.entries.map(({ id }) => id),
    );
    const fresh = header.entries.filter(({ id }) => !known.has(id));
    const base = header.entries.reduce((seq, { id }) => Math.max(seq, known.get(id) ?? 0), header.base);
    // All known: the answer is where they stand, not the head, so that what others did since is still noticed.
    if (fresh.length === 0) return base;
    if (base !== current) {
      throw new RequestError('edit-clash', 'This character was changed elsewhere in the meantime.', {
        head: current,
      });
    }
    const deltaOf = new Map<string, Uint8Array>();
    header.entries.filter(({ kind }) => kind === 'edit').forEach(({ id }, i) => deltaOf.set(id, deltas[i]));
    state = await cache.get(db, character, current);
    const rows: StoredEdit[] = [];
    for (const [i, entry] of fresh.entries()) {
      const own = deltaOf.get(entry.id);
      const delta =
        own ??
        (entry.target &&
          (deltaOf.get(entry.target) ?? (await findDelta(db, owner, character, entry.target))));
      if (!delta)
        throw new RequestError('request-invalid', `The change “${entry.label}” comes without its data.`);
      if (own) decodeChange(own);
      const edit = {
        ...entry,
        seq: current + 1 + i,
        target: entry.target ?? null,
        delta: Buffer.from(delta),
      };
      advance(state, edit);
      rows.push(own ? edit : { ...edit, delta: null });
    }
    await insertEdits(db, character, rows);
    const skinned = state.rows.filter((_, part) => locked.skinned[part]);
    await moveHead(db, character, state.head, listWeightTroubles(skinned));
    return state.head;
  });
  if (state) {
    cache.put(character, state);
    makeCheckpoint(database, character, state);
  }
  return head;
}

/** In the background; if it fails, the next batch tries again. */
function makeCheckpoint(database: Database, character: string, state: HeadState): void {
  if (state.head - state.checkpoint < CHECKPOINT_EVERY) return;
  const seq = state.head;
  state.checkpoint = seq;
  insertCheckpoint(database, character, seq, encodeRows(state.rows)).catch((error: Error) => {
    console.error(`A checkpoint could not be made: ${error.message}`);
  });
}
