import type { DocumentValues, Json } from '@judoka/core/document';
import type { JointSetups } from '@judoka/core/skeleton';
import type { WeightRows } from '@judoka/core/weights';
import type { Queryable } from '../database.ts';
import { findNearestCheckpoint } from './checkpoints.queries.ts';
import { eachEdit } from './edits.queries.ts';
import { findValues, type Head } from './heads.queries.ts';
import { replay } from './loadDocument.ts';
import { eachQuietChange } from './log.queries.ts';

/** A character as it was after a line of its log; 0 is as the file came. */
export interface Moment {
  readonly seq: number;
  readonly rows: readonly WeightRows[];
  readonly setups: JointSetups;
  readonly values: DocumentValues;
}

/**
 * Weights are replayed from the nearest checkpoint, forward or back; joints and values are taken back from the head.
 * @param seq at most the head
 */
export async function loadMoment(db: Queryable, character: string, head: Head, seq: number): Promise<Moment> {
  const rows = await replayRows(db, character, seq);
  const setups: Record<number, JointSetups[number]> = { ...head.setups };
  const values: Record<string, Json> = { ...(await findValues(db, character)) };
  for await (const { kind, joints, changes } of eachQuietChange(db, character, seq)) {
    const side = kind === 'undo' ? 'after' : 'before';
    for (const line of joints) setups[line.joint] = line[side];
    for (const line of changes) values[line.path] = line[side];
  }
  const held = Object.entries(values).filter(([, value]) => value !== null);
  return { seq, rows, setups, values: Object.fromEntries(held) };
}

async function replayRows(db: Queryable, character: string, seq: number): Promise<readonly WeightRows[]> {
  const checkpoint = await findNearestCheckpoint(db, character, seq);
  if (!checkpoint) throw new Error(`Character ${character} has no checkpoint.`);
  let rows: readonly WeightRows[] = checkpoint.rows;
  const isForward = checkpoint.seq <= seq;
  const [from, to] = isForward ? [checkpoint.seq, seq] : [seq, checkpoint.seq];
  for await (const edit of eachEdit(db, character, from, to, isForward ? 'asc' : 'desc'))
    rows = replay(rows, edit, (edit.kind === 'undo') === isForward);
  return rows;
}
