import { applyWeights, invertEdit, editOf, type DocumentState } from '@judoka/core/document';
import { readCharacter, openGlb } from '@judoka/core/formats';
import { withSetups, type Joint } from '@judoka/core/skeleton';
import type { WeightRows } from '@judoka/core/weights';
import { readSource } from '../characters/sources.queries.ts';
import type { Queryable } from '../database.ts';
import { decoders } from '../files/decoders.ts';
import { findCheckpoint } from './checkpoints.queries.ts';
import { readStoredWeights } from './storedWeights.ts';
import { eachEdit, type LaterEdit } from './edits.queries.ts';
import { findValues, keepSkeleton, type Head } from './heads.queries.ts';

/** A character's document at its head, and how much there is to replay from its last checkpoint. */
export interface LoadedDocument {
  head: number;
  readonly epoch: string;
  state: DocumentState;
  /** Number of the last checkpoint, and bytes of edits since. */
  checkpoint: number;
  bytesSince: number;
}

/** The document at a head that was just read. */
export async function loadDocument(db: Queryable, character: string, head: Head): Promise<LoadedDocument> {
  const { rows, checkpoint, bytesSince } = await loadRows(db, character, head.head);
  const joints = head.skeleton ?? (await readSkeleton(db, character));
  return {
    head: head.head,
    epoch: head.epoch,
    checkpoint,
    bytesSince,
    state: {
      rows,
      skeleton: withSetups({ joints }, head.setups),
      values: await findValues(db, character),
    },
  };
}

/** The weights at a head: the last checkpoint and the edits since. */
export async function loadRows(
  db: Queryable,
  character: string,
  head: number,
): Promise<{ rows: readonly WeightRows[]; checkpoint: number; bytesSince: number }> {
  const checkpoint = await findCheckpoint(db, character, head);
  if (!checkpoint) throw new Error(`Character ${character} has no checkpoint.`);
  let rows: readonly WeightRows[] = checkpoint.rows;
  let bytesSince = 0;
  for await (const edit of eachEdit(db, character, checkpoint.seq, head)) {
    rows = replay(rows, edit, edit.kind === 'undo');
    bytesSince += edit.delta?.length ?? 0;
  }
  return { rows, checkpoint: checkpoint.seq, bytesSince };
}

/** Rows after a line of the log, or before it where they are those after it. */
export function replay(
  rows: readonly WeightRows[],
  { delta, values }: Pick<LaterEdit, 'delta' | 'values'>,
  isBack: boolean,
): readonly WeightRows[] {
  if (!delta && values.length === 0) return rows;
  const edit = editOf({ weights: delta ? readStoredWeights(delta) : [], values });
  return applyWeights(rows, isBack ? invertEdit(edit) : edit);
}

/** Of a character that came before skeletons were kept: read from its file, and kept from now on. */
export async function readSkeleton(db: Queryable, character: string): Promise<readonly Joint[]> {
  const source = await readSource(db, character);
  const { skeleton } = await readCharacter(openGlb(source), decoders);
  await keepSkeleton(db, character, skeleton.joints);
  return skeleton.joints;
}
