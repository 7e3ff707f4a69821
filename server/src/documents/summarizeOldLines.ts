import type { Queryable } from '../database.ts';
import { eachEdit } from './edits.queries.ts';
import { summarizeEdit } from './editSummary.ts';
import { findUnsummarized, keepSummary } from './log.queries.ts';
import { readStoredWeights } from './storedWeights.ts';

/** Says of lines that came before the log could be looked into what they touched: once, when somebody first looks. */
export async function summarizeOldLines(db: Queryable, character: string): Promise<void> {
  const old = await findUnsummarized(db, character);
  if (old.length === 0) return;
  const open = new Set(old);
  for await (const { seq, delta, joints, values } of eachEdit(db, character, old[0] - 1, old[old.length - 1]))
    if (open.has(seq))
      await keepSummary(
        db,
        character,
        seq,
        summarizeEdit({ weights: delta ? readStoredWeights(delta) : [], joints, values }),
      );
}
