import pg from 'pg';

/** What is new about a character besides its head, or about a job. */
export type News = 'comments' | 'people' | 'job';

interface Listener {
  readonly onHead: (head: number) => void;
  readonly onNews?: (what: News) => void;
  /** It hears from now on, or again: what came before was missed. */
  readonly onHearing?: () => void;
  /** This server ends: another one may go on. */
  readonly onClose?: () => void;
}

const RETRY_MS = [500, 1000, 2000, 5000, 10_000];

/**
 * Tells whoever reads a character of its new heads, comments and readers, whichever server they came in at: PostgreSQL
 * passes them on to every server that listens. A connection that breaks is made anew, and
 * readers are told that they hear again.
 */
export class LiveEvents {
  readonly #url: string;
  readonly #listeners = new Map<string, Set<Listener>>();
  #client: pg.Client | undefined;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #failures = 0;
  #closed = false;

  constructor(databaseUrl: string) {
    this.#url = databaseUrl;
  }

  /** @returns the function that ends the subscription */
  subscribe(character: string, listener: Listener): () => void {
    const listeners = this.#listeners.get(character) ?? new Set();
    this.#listeners.set(character, listeners.add(listener));
    if (!this.#client && !this.#timer) void this.#listen();
    return () => {
      listeners.delete(listener);
      if (listeners.size === 0 && this.#listeners.get(character) === listeners)
        this.#listeners.delete(character);
    };
  }

  async close(): Promise<void> {
    this.#closed = true;
    clearTimeout(this.#timer);
    const client = this.#client;
    this.#client = undefined;
    for (const each of [...this.#listeners.values()].flatMap((all) => [...all])) each.onClose?.();
    await client?.end().catch(() => undefined);
  }

  async #listen(): Promise<void> {
    const client = new pg.Client({ connectionString: this.#url });
    this.#client = client;
    let isOver = false;
    const again = (): void => {
      if (isOver) return;
      isOver = true;
      if (this.#client === client) this.#client = undefined;
      client.end().catch(() => undefined);
      if (this.#closed) return;
      const pause = RETRY_MS[Math.min(this.#failures++, RETRY_MS.length - 1)];
      this.#timer = setTimeout(() => {
        this.#timer = undefined;
        void this.#listen();
      }, pause);
    };
    client.on('error', again);
    client.on('end', again);
    client.on('notification', ({ channel, payload = '' }) => {
      const [character, what] = payload.split(' ');
      for (const { onHead, onNews } of this.#listeners.get(character) ?? [])
        if (channel === 'judoka_heads') onHead(Number(what));
        else onNews?.(what as News);
    });
    try {
      await client.connect();
      await client.query('listen judoka_heads; listen judoka_news');
      this.#failures = 0;
      for (const listeners of this.#listeners.values()) for (const { onHearing } of listeners) onHearing?.();
    } catch {
      again();
    }
  }
}
