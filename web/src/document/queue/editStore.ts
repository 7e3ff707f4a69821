import type { DocumentHeader } from '@judoka/contract';
import type { ValueChange } from '@judoka/core/document';
import type { SkeletonChange } from '@judoka/core/skeleton';
import type { RangeFigures } from '@judoka/core/analysis/bends';
import type { CureDetails, ProposalNote } from '../alternative.ts';
import { openDB, type DBSchema, type IDBPDatabase, type IDBPObjectStore, type StoreNames } from 'idb';

/** An edit that the server has not confirmed yet, as kept in this browser. */
export interface StoredEdit {
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
  readonly joints?: SkeletonChange;
  /** Kept since an edit may change values. */
  readonly values?: ValueChange;
  /** What has to be on the server before the edit is. */
  readonly attachments?: readonly string[];
  /** What was there before is kept as a moment. */
  readonly isLarge?: boolean;
}

export type PlacedEdit = StoredEdit & { readonly order: number };

/** An edit that the server refused, set aside with the reason. */
export interface RefusedEdit extends Omit<StoredEdit, 'order' | 'tab'> {
  readonly reason: string;
  readonly refusedAt: number;
}

/** Bytes that go with edits which are not confirmed yet. */
export interface StoredAttachment {
  readonly id: string;
  readonly character: string;
  readonly bytes: Uint8Array<ArrayBuffer>;
}

/** One of several that were proposed side by side. */
export interface StoredAlternative {
  readonly label: string;
  readonly name: string;
  readonly change: Uint8Array<ArrayBuffer>;
  readonly notes: readonly ProposalNote[];
  readonly figures?: RangeFigures;
  /** See CureDetails; both changes encoded. */
  readonly cure?: Omit<CureDetails, 'base' | 'full'> & {
    readonly base: Uint8Array<ArrayBuffer>;
    readonly full: Uint8Array<ArrayBuffer>;
  };
}

/** A proposal that is neither kept nor dropped: the person's, in this browser. One a character. */
export interface StoredProposal {
  readonly character: string;
  /** The tab on whose stage it is. */
  readonly tab: string;
  readonly alternatives: readonly StoredAlternative[];
  /** The one of them that was on the stage. */
  readonly index: number;
}

/** A character as the server last had it, for opening it while the server cannot be reached. */
export interface KeptCopy {
  readonly character: string;
  readonly keptAt: number;
  readonly header: DocumentHeader;
  /** Rows as on the wire. */
  readonly weights: Uint8Array<ArrayBuffer>;
}

interface Schema extends DBSchema {
  proposals: { key: string; value: StoredProposal };
  edits: { key: number; value: StoredEdit; indexes: { character: string } };
  refused: { key: string; value: RefusedEdit; indexes: { character: string } };
  attachments: { key: string; value: StoredAttachment };
  copies: { key: string; value: KeptCopy };
}

let opening: Promise<IDBPDatabase<Schema>> | undefined;

export function database(): Promise<IDBPDatabase<Schema>> {
  opening ??= openDB<Schema>('judoka', 5, {
    upgrade: (db, before, _after, transaction) => {
      if (before < 1)
        db.createObjectStore('edits', { keyPath: 'order', autoIncrement: true }).createIndex(
          'character',
          'character',
        );
      if (before < 2) {
        db.createObjectStore('refused', { keyPath: 'id' }).createIndex('character', 'character');
        db.createObjectStore('attachments', { keyPath: 'id' });
      }
      if (before < 3) db.createObjectStore('proposals', { keyPath: 'character' });
      if (before < 4) db.createObjectStore('copies', { keyPath: 'character' });
      if (before === 3 || before === 4) void takeOverProposals(transaction.objectStore('proposals'));
    },
  });
  return opening;
}

/** Until version 5 a proposal was one change, with nothing beside it. */
async function takeOverProposals(
  store: IDBPObjectStore<Schema, ArrayLike<StoreNames<Schema>>, 'proposals', 'versionchange'>,
): Promise<void> {
  for (const held of await store.getAll()) {
    const { character, tab, label, change, notes } = held as unknown as Pick<
      StoredProposal,
      'character' | 'tab'
    > &
      Omit<StoredAlternative, 'name'>;
    await store.put({ character, tab, index: 0, alternatives: [{ label, name: 'New', change, notes }] });
  }
}

/** Keeps an edit, behind all others; one that has its place already is kept there anew. */
export async function keepEdit(edit: StoredEdit): Promise<number> {
  return (await database()).put('edits', edit);
}

export async function dropEdits(orders: readonly number[]): Promise<void> {
  const transaction = (await database()).transaction('edits', 'readwrite');
  await Promise.all([...orders.map((order) => transaction.store.delete(order)), transaction.done]);
}

export async function editsOfCharacter(character: string): Promise<PlacedEdit[]> {
  return (await (await database()).getAllFromIndex('edits', 'character', character)) as PlacedEdit[];
}

export async function keepAttachment(attachment: StoredAttachment): Promise<void> {
  await (await database()).put('attachments', attachment);
}

export async function findAttachment(id: string): Promise<StoredAttachment | undefined> {
  return (await database()).get('attachments', id);
}

export async function dropAttachments(ids: readonly string[]): Promise<void> {
  const transaction = (await database()).transaction('attachments', 'readwrite');
  await Promise.all([...ids.map((id) => transaction.store.delete(id)), transaction.done]);
}

/** Sets a refused edit aside and takes it out of those that are to be sent, both or neither. */
export async function setAside(edit: RefusedEdit, order: number): Promise<void> {
  const transaction = (await database()).transaction(['edits', 'refused'], 'readwrite');
  await Promise.all([
    transaction.objectStore('refused').put(edit),
    transaction.objectStore('edits').delete(order),
    transaction.done,
  ]);
}

export async function refusedOfCharacter(character: string): Promise<RefusedEdit[]> {
  return (await database()).getAllFromIndex('refused', 'character', character);
}

export async function dropRefused(id: string): Promise<void> {
  await (await database()).delete('refused', id);
}

export async function keepProposal(proposal: StoredProposal): Promise<void> {
  await (await database()).put('proposals', proposal);
}

export async function proposalOf(character: string): Promise<StoredProposal | undefined> {
  return (await database()).get('proposals', character);
}

/** Forgets a character's proposal, if it is this tab's. */
export async function dropProposal(character: string, tab: string): Promise<void> {
  const transaction = (await database()).transaction('proposals', 'readwrite');
  const held = await transaction.store.get(character);
  if (held?.tab === tab) await transaction.store.delete(character);
  await transaction.done;
}
