import type { SkeletonChange } from '@judoka/core/skeleton';
import { openDB, type DBSchema, type IDBPDatabase } from 'idb';

/** An edit that the server has not confirmed yet, as kept in this browser. */
export interface KeptEdit {
  /** Place in the order in which they were made; given by the store. */
  readonly order?: number;
  readonly character: string;
  /** The tab that made it and will send it, as long as it lives. */
  readonly tab: string;
  readonly id: string;
  readonly kind: 'edit' | 'undo' | 'redo';
  readonly label: string;
  readonly target?: string;
  /** What was done to the weights (for an undo: the inverse), encoded. */
  readonly change: Uint8Array<ArrayBuffer>;
  /** What was done to joints; kept since joints can be changed. */
  readonly joints?: SkeletonChange;
}

export interface Schema extends DBSchema {
  edits: { key: number; value: KeptEdit; indexes: { character: string } };
}

let opening: Promise<IDBPDatabase<Schema>> | undefined;

export function database(): Promise<IDBPDatabase<Schema>> {
  opening ??= openDB<Schema>('judoka', 1, {
    upgrade: (db) => {
      db.createObjectStore('edits', { keyPath: 'order', autoIncrement: true }).createIndex(
        'character',
        'character',
      );
    },
  });
  return opening;
}

export async function keepEdit(edit: KeptEdit): Promise<number> {
  return (await database()).add('edits', edit);
}

export async function dropEdits(orders: readonly number[]): Promise<void> {
  const transaction = (await database()).transaction('edits', 'readwrite');
  await Promise.all([...orders.map((order) => transaction.store.delete(order)), transaction.done]);
}
