import { apply, invert, type WeightRows } from '@judoka/core/weights';
import { EMPTY_HISTORY, type History, record } from '@judoka/core/document';
import { decodeChange, decodeRows } from '@judoka/contract';
import type { Queryable } from '../database.ts';
import { findCheckpoint, findEdits, type StoredEdit } from './edits.queries.ts';

/** The weights and the history of a character after edit number `head`. */
export interface HeadState {
  head: number;
  checkpoint: number;
  readonly rows: WeightRows[];
  history: History;
}

/** Takes one more line of the log in: the weights as it leaves them, and what can be undone then. */
export function advance(state: HeadState, edit: StoredEdit): void {
  const history = record(state.history, { ...edit, target: edit.target ?? undefined });
  const change = decodeChange(edit.delta as Buffer);
  apply(state.rows, edit.kind === 'undo' ? invert(change) : change);
  state.history = history;
  state.head = edit.seq;
}

/** Builds the state from the last checkpoint and the edits since. */
export async function loadState(db: Queryable, character: string, head: number): Promise<HeadState> {
  const checkpoint = await findCheckpoint(db, character, head);
  if (!checkpoint) throw new Error(`Character ${character} has no checkpoint.`);
  const state: HeadState = {
    head: checkpoint.seq,
    checkpoint: checkpoint.seq,
    rows: decodeRows(checkpoint.weights),
    history: await loadHistory(db, character, checkpoint.seq),
  };
  for (const edit of await findEdits(db, character, checkpoint.seq, head)) advance(state, edit);
  return state;
}

async function loadHistory(db: Queryable, character: string, upTo: number): Promise<History> {
  const { rows } = await db.query<{
    id: string;
    kind: StoredEdit['kind'];
    label: string;
    target: string | null;
  }>(
    `select id, kind, label, target
     from edits
     where character_id = $1 and seq <= $2
     order by seq`,
    [character, upTo],
  );
  return rows.reduce(
    (history, row) => record(history, { ...row, target: row.target ?? undefined }),
    EMPTY_HISTORY,
  );
}

const MOST_HELD = 8;

/** States of the characters last worked on, so that an edit need not read everything anew. */
export class HeadCache {
  readonly #states = new Map<string, HeadState>();

  /** The state at `head`, from memory if it is there. The caller must hold the character's row locked to change it. */
  async get(db: Queryable, character: string, head: number): Promise<HeadState> {
    const held = this.#states.get(character);
    this.#states.delete(character);
    const state = held?.head === head ? held : await loadState(db, character, head);
    return state;
  }

  /** Keeps a state that is known to be committed. A state that is not put back is simply forgotten. */
  put(character: string, state: HeadState): void {
    this.#states.set(character, state);
    if (this.#states.size > MOST_HELD) this.#states.delete([...this.#states.keys()][0]);
  }
}
