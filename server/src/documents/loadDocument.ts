import type { DocumentState } from '@judoka/core/document';
import { readCharacter, openGlb } from '@judoka/core/formats';
import { withSetups, type Joint } from '@judoka/core/skeleton';
import { apply, invert, type WeightRows } from '@judoka/core/weights';
import { readSource } from '../characters/sources.queries.ts';
import type { Queryable } from '../database.ts';
import { decoders } from '../files/decoders.ts';
import { findCheckpoint } from './checkpoints.queries.ts';
import { readStoredWeights } from './storedWeights.ts';
import { eachEdit } from './edits.queries.ts';
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
): Promise<{ rows: WeightRows[]; checkpoint: number; bytesSince: number }> {
  const checkpoint = await findCheckpoint(db, character, head);
  if (!checkpoint) throw new Error(`Character ${character} has no checkpoint.`);
  const { rows } = checkpoint;
  let bytesSince = 0;
  for await (const { kind, delta } of eachEdit(db, character, checkpoint.seq, head)) {
    if (!delta) continue;
    const change = readStoredWeights(delta);
    apply(rows, kind === 'undo' ? invert(change) : change);
    bytesSince += delta.length;
  }
  return { rows, checkpoint: checkpoint.seq, bytesSince };
}

/** Of a character that came before skeletons were kept: read from its file, and kept from now on. */
export async function readSkeleton(db: Queryable, character: string): Promise<readonly Joint[]> {
  const source = await readSource(db, character);
  const { skeleton } = await readCharacter(openGlb(source), decoders);
  await keepSkeleton(db, character, skeleton.joints);
  return skeleton.joints;
}
