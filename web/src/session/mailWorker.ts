import type { EditsHeader } from '@judoka/contract';
import * as Comlink from 'comlink';
import type { KeptEdit } from './editStore.ts';
import type { Mail, MailBlob, Posted } from './mail.ts';

/** The mail as the page sees it: every call comes back later. */
export interface MailService {
  keep(edit: KeptEdit): Promise<number>;
  send(path: string, header: EditsHeader, blobs: readonly MailBlob[]): Promise<Posted>;
  forget(ids: readonly string[]): Promise<void>;
}

let worker: Comlink.Remote<Mail> | undefined;

/** The page's one mail thread; it lives as long as the page, so that what was begun is sent. */
function started(): Comlink.Remote<Mail> {
  worker ??= Comlink.wrap<Mail>(
    new Worker(new URL('../workers/mail.worker.ts', import.meta.url), { type: 'module' }),
  );
  return worker;
}

/** Hands the bytes over rather than copying them. */
export const mailInWorker: MailService = {
  keep: (edit: KeptEdit) => started().keep(Comlink.transfer(edit, [edit.change.buffer])),
  send: (path, header, blobs) => started().send(path, header, blobs),
  forget: (ids) => started().forget(ids),
};
