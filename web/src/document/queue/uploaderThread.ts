import * as Comlink from 'comlink';
import type { DocumentHeader } from '@judoka/contract';
import type { WeightRows } from '@judoka/core/weights';
import type { BulkUploader, HeldEdit, Posted } from './BulkUploader.ts';
import type { StoredEdit } from './editStore.ts';

/** The uploader as the page sees it: every call comes back later. */
export interface UploadService {
  keep(edit: StoredEdit): Promise<number>;
  post(character: string, base: number, edits: readonly HeldEdit[]): Promise<Posted>;
  forget(ids: readonly string[]): Promise<void>;
  keepCopy(header: DocumentHeader, rows: readonly WeightRows[]): Promise<void>;
}

let worker: Comlink.Remote<BulkUploader> | undefined;

/** The page's one uploading thread; it lives as long as the page, so that what was begun is sent. */
function started(): Comlink.Remote<BulkUploader> {
  worker ??= Comlink.wrap<BulkUploader>(
    new Worker(new URL('./uploader.worker.ts', import.meta.url), { type: 'module' }),
  );
  return worker;
}

/** Hands the bytes over rather than copying them. */
export const uploadInThread: UploadService = {
  keep: (edit) => started().keep(Comlink.transfer(edit, [edit.change.buffer])),
  post: (character, base, edits) => started().post(character, base, edits),
  forget: (ids) => started().forget(ids),
  keepCopy: (header, rows) =>
    started().keepCopy(
      header,
      Comlink.transfer(
        [...rows],
        rows.flatMap(({ joints, values }) => [joints.buffer, values.buffer]),
      ),
    ),
};
