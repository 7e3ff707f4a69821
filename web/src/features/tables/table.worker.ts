import type { Character } from '@judoka/core/document';
import { CoreError, messageOf } from '@judoka/core/errors';
import { readWeightTable, weightsCsv, weightsJson } from '@judoka/core/formats';
import { applyTable, type TableBy, type TableReport } from '@judoka/core/operations/table';
import type { Change, WeightRows } from '@judoka/core/weights';
import * as Comlink from 'comlink';

/** What tables of weights are written of, and given to. */
export interface TableCharacter extends Pick<Character, 'parts' | 'skeleton'> {
  readonly rows: readonly WeightRows[];
  readonly locks: Uint8Array;
}

export type TableAnswer =
  | { readonly ok: true; readonly change: Change; readonly report: TableReport }
  | { readonly ok: false; readonly message: string };

const worker = {
  write(subject: TableCharacter, kind: 'csv' | 'json'): Uint8Array<ArrayBuffer> {
    const text = (kind === 'csv' ? weightsCsv : weightsJson)(subject, subject.rows);
    const bytes = new TextEncoder().encode(text);
    return Comlink.transfer(bytes, [bytes.buffer]);
  },

  read(subject: TableCharacter, bytes: Uint8Array, by: TableBy): TableAnswer {
    try {
      return { ok: true, ...applyTable(subject, readWeightTable(bytes), { by, locks: subject.locks }) };
    } catch (error) {
      if (!(error instanceof CoreError)) throw error;
      return { ok: false, message: messageOf(error) };
    }
  },
};

export type TableWorker = typeof worker;
Comlink.expose(worker);
