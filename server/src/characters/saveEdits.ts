import { invertSkeletonChange, type JointSetup, type SkeletonChange } from '@judoka/core/skeleton';
import { listWeightTroubles } from '@judoka/core/analysis/checkUp';
import { decodeChange, encodeRows, type EditsHeader } from '@judoka/contract';
import type { Database } from '../database.ts';
import { transaction } from '../database.ts';
import { RequestError } from '../http/errors.ts';
import {
  findContent,
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
    const sent = new Map<string, Content>();
    header.entries
      .filter(({ kind }) => kind === 'edit')
      .forEach(({ id, joints = [] }, i) => sent.set(id, { delta: deltas[i], joints }));
    state = await cache.get(db, character, current);
    const setups = new JointsAtHead(locked.setups);
    const rows: StoredEdit[] = [];
    for (const [i, entry] of fresh.entries()) {
      const own = sent.get(entry.id);
      const content =
        own ??
        (entry.target && (sent.get(entry.target) ?? (await findContent(db, owner, character, entry.target))));
      if (!content)
        throw new RequestError('request-invalid', `The change “${entry.label}” comes without its data.`);
      if (own) decodeChange(own.delta);
      const edit = {
        ...entry,
        seq: current + 1 + i,
        target: entry.target ?? null,
        delta: Buffer.from(content.delta),
        joints: content.joints.length > 0 ? content.joints : null,
      };
      advance(state, edit);
      setups.take(entry.kind === 'undo' ? invertSkeletonChange(content.joints) : content.joints);
      rows.push(own ? edit : { ...edit, delta: null, joints: null });
    }
    await insertEdits(db, character, rows);
    const skinned = state.rows.filter((_, part) => locked.skinned[part]);
    await moveHead(db, character, state.head, listWeightTroubles(skinned), setups.held, setups.more);
    return state.head;
  });
  if (state) {
    cache.put(character, state);
    makeCheckpoint(database, character, state);
  }
  return head;
}

/** What an edit did: to weights, encoded, and to joints. */
interface Content {
  readonly delta: Uint8Array;
  readonly joints: SkeletonChange;
}

/** How the joints stand that differ from the file, as edits go by. */
class JointsAtHead {
  readonly held: Record<number, JointSetup | null>;
  /** Joints added since, less those that were taken out. */
  more = 0;

  constructor(setups: Readonly<Record<number, JointSetup | null>>) {
    this.held = { ...setups };
  }

  take(change: SkeletonChange): void {
    for (const { joint, before, after } of change) {
      this.held[joint] = after;
      this.more += (after ? 1 : 0) - (before ? 1 : 0);
    }
  }
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
