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
}

interface Schema extends DBSchema {
  edits: { key: number; value: KeptEdit; indexes: { character: string } };
}

let opening: Promise<IDBPDatabase<Schema>> | undefined;

function database(): Promise<IDBPDatabase<Schema>> {
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

const TAB_LOCK = 'judoka-tab-';

/** This tab's name, held as a lock for as long as the tab lives. */
export const THIS_TAB = crypto.randomUUID();
void navigator.locks?.request(TAB_LOCK + THIS_TAB, () => new Promise(() => undefined));

/** Edits of a character that no living tab will send: left by a tab that was closed or that crashed. */
export async function adoptEdits(character: string): Promise<Required<KeptEdit>[]> {
  const kept = (await (
    await database()
  ).getAllFromIndex('edits', 'character', character)) as Required<KeptEdit>[];
  const { held = [] } = (await navigator.locks?.query()) ?? {};
  const alive = new Set(held.map(({ name }) => name));
  return kept.filter(({ tab }) => tab === THIS_TAB || !alive.has(TAB_LOCK + tab));
}
