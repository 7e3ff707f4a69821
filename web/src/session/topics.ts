/** Numbered news on a few topics. React reads the number; the scene listens for the news itself. */
export class Topics<Topic extends string> {
  readonly #versions = new Map<Topic, number>();
  readonly #listeners = new Map<Topic, Set<() => void>>();

  version(topic: Topic): number {
    return this.#versions.get(topic) ?? 0;
  }

  tell(topic: Topic): void {
    this.#versions.set(topic, this.version(topic) + 1);
    for (const listener of this.#listeners.get(topic) ?? []) listener();
  }

  /** @returns the function that ends the subscription */
  subscribe(topic: Topic, listener: () => void): () => void {
    const listeners = this.#listeners.get(topic) ?? new Set();
    listeners.add(listener);
    this.#listeners.set(topic, listeners);
    return () => listeners.delete(listener);
  }
}
