import { request } from '../../api/http.ts';
import { THIS_TAB } from '../../document/readers/tabs.ts';
import type { Editing } from '../../scene/Editing.ts';

/** How often a page says that it is still here; the server takes it for gone after three silences. */
const STILL_HERE_MS = 22_000;
/** Joints that are only walked past are not told. */
const SETTLED_MS = 250;

/** Tells the others that this page has the character open, and which joint is in hand. A hidden page is not here. */
export class Presence {
  readonly #at: Editing;
  readonly #stop = new AbortController();
  readonly #path: string;
  readonly #unsubscribe: () => void;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #isHere = false;

  constructor(at: Editing) {
    this.#at = at;
    this.#path = `/api/characters/${at.document.id}/people/${THIS_TAB}`;
    this.#unsubscribe = at.scene.events.subscribe('joint', () => this.#tellSoon(SETTLED_MS));
    if (typeof document === 'undefined') return;
    const { signal } = this.#stop;
    document.addEventListener('visibilitychange', this.#look, { signal });
    addEventListener('pagehide', () => this.#leave(), { signal });
    this.#look();
  }

  close(): void {
    this.#unsubscribe();
    this.#stop.abort();
    clearTimeout(this.#timer);
    this.#leave();
  }

  readonly #look = (): void => {
    if (document.visibilityState === 'hidden') this.#leave();
    else this.#tellSoon(0);
  };

  #tellSoon(after: number): void {
    clearTimeout(this.#timer);
    // Where no page is looked at, nobody is here.
    if (typeof document === 'undefined' || document.visibilityState === 'hidden') return;
    this.#timer = setTimeout(() => void this.#tell(), after);
  }

  async #tell(): Promise<void> {
    this.#isHere = true;
    const { joint } = this.#at.scene;
    // What does not arrive is told again with the next one.
    await request(this.#path, {
      method: 'PUT',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ joint: joint >= 0 ? joint : null }),
    }).catch(() => undefined);
    if (!this.#stop.signal.aborted) this.#tellSoon(STILL_HERE_MS);
  }

  /** Also from a page that is just being closed. */
  #leave(): void {
    clearTimeout(this.#timer);
    if (!this.#isHere) return;
    this.#isHere = false;
    const saved = this.#at.document.saveState.kind === 'saved' ? '1' : '0';
    request(`${this.#path}/gone?saved=${saved}`, { method: 'POST', keepalive: true }).catch(() => undefined);
  }
}
