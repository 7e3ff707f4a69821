/** What listens to events needs of them. */
export type EventSource<Kind extends string> = Pick<Events<Kind>, 'version' | 'subscribe'>;

/** Numbered events of a few kinds. React reads the number; the scene listens for the event itself. */
export class Events<Kind extends string> {
  readonly #versions = new Map<Kind, number>();
  readonly #listeners = new Map<Kind, Set<() => void>>();

  version(kind: Kind): number {
    return this.#versions.get(kind) ?? 0;
  }

  publish(kind: Kind): void {
    this.#versions.set(kind, this.version(kind) + 1);
    for (const listener of this.#listeners.get(kind) ?? []) listener();
  }

  /** @returns the function that ends the subscription */
  subscribe(kind: Kind, listener: () => void): () => void {
    const listeners = this.#listeners.get(kind) ?? new Set();
    listeners.add(listener);
    this.#listeners.set(kind, listeners);
    return () => listeners.delete(listener);
  }
}
