import { editsOfCharacter, type PlacedEdit } from '../queue/editStore.ts';

const TAB_LOCK = 'judoka-tab-';

/** This tab's name, held as a lock for as long as the tab lives. */
export const THIS_TAB = crypto.randomUUID();
/** Not there on a page that came over plain HTTP from another machine. */
const locks = navigator.locks as LockManager | undefined;
void locks?.request(TAB_LOCK + THIS_TAB, () => new Promise(() => undefined));

/** The locks of the other tabs that seem alive. */
async function aliveTabs(): Promise<Set<string | undefined>> {
  const { held = [] } = (await locks?.query()) ?? {};
  const alive = new Set(held.map(({ name }) => name));
  alive.delete(TAB_LOCK + THIS_TAB);
  return alive;
}

export const isTabAlive = async (tab: string): Promise<boolean> => (await aliveTabs()).has(TAB_LOCK + tab);

export interface LeftEdits {
  /** Edits that no living tab will send: left by a tab that was closed or that crashed. */
  readonly free: readonly PlacedEdit[];
  /** Other tabs that have edits of this character and seem alive. */
  readonly tabs: readonly string[];
}

/**
 * What is kept in this browser of a character's unsent edits.
 * @param own ids of the edits that the caller will send itself; others of this tab were left by an earlier visit
 */
export async function findLeftEdits(character: string, own: ReadonlySet<string>): Promise<LeftEdits> {
  const kept = (await editsOfCharacter(character)).filter(({ id }) => !own.has(id));
  const alive = await aliveTabs();
  return {
    free: kept.filter(({ tab }) => !alive.has(TAB_LOCK + tab)),
    tabs: [...new Set(kept.map(({ tab }) => tab))].filter((tab) => alive.has(TAB_LOCK + tab)),
  };
}

/** Resolves when a tab has gone, however it went. @throws AbortError when `signal` ends the waiting */
export async function whenTabGone(tab: string, signal: AbortSignal): Promise<void> {
  await navigator.locks.request(TAB_LOCK + tab, { signal }, () => undefined);
}

/** Whether a tab has gone before `signal` ends the waiting. */
export const hasGone = (tab: string, signal: AbortSignal): Promise<boolean> =>
  whenTabGone(tab, signal).then(
    () => true,
    () => false,
  );
