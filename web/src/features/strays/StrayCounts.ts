import * as Comlink from 'comlink';
import type { StrayCounter } from './strays.worker.ts';
import { RowCopies } from '../../document/rowCopies.ts';
import { Events } from '../../document/events.ts';
import type { DocumentPart, OpenDocument } from '../../document/OpenDocument.ts';

/** Weights at rest for this long are counted. */
const SETTLED_MS = 250;

/**
 * Counts, in a thread of its own, how many points stray from each joint (tiny or apart): anew whenever the weights have
 * changed and then rested a moment. A count that was overtaken is dropped.
 */
export class StrayCounts {
  readonly #all: readonly DocumentPart[];
  /** Those that are counted. */
  #parts: readonly DocumentPart[] = [];
  readonly #jointCount: number;
  readonly events = new Events<'changed'>();
  readonly #copies = new RowCopies();
  #worker: Worker | undefined;
  #counter: Comlink.Remote<StrayCounter> | undefined;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #asked = 0;
  /** By joint that there is room for, as last counted. */
  counts: Uint32Array;

  constructor({ parts, bound, events }: Pick<OpenDocument, 'parts' | 'bound' | 'events'>) {
    this.#all = parts;
    this.#jointCount = bound.jointCapacity;
    this.counts = new Uint32Array(this.#jointCount);
    events.subscribe('weights', () => this.#weightsChanged());
    events.subscribe('joints', () => this.#weightsChanged());
    this.#weightsChanged();
  }

  #weightsChanged(): void {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => void this.#count(), SETTLED_MS);
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#worker?.terminate();
    this.#asked = Infinity;
  }

  async #count(): Promise<void> {
    const turn = ++this.#asked;
    const counter = await this.#start();
    const { rows, buffers } = this.#copies.of(this.#parts.map(({ rows }) => rows));
    const counted = await counter.count(Comlink.transfer(rows, buffers), this.#jointCount);
    this.#copies.giveBack(counted.rows);
    if (turn !== this.#asked) return;
    this.counts = counted.counts;
    this.events.publish('changed');
  }

  async #start(): Promise<Comlink.Remote<StrayCounter>> {
    const parts = this.#all.filter(({ part }) => part.role === 'skinned');
    if (this.#counter && parts.length === this.#parts.length) return this.#counter;
    this.#worker?.terminate();
    this.#parts = parts;
    this.#worker = new Worker(new URL('./strays.worker.ts', import.meta.url), { type: 'module' });
    this.#counter = Comlink.wrap<StrayCounter>(this.#worker);
    // Copies: a view into the kernels' memory would carry all of it across.
    await this.#counter.begin(
      this.#parts.map(({ neighbours }) => ({
        offsets: neighbours.offsets.slice(),
        points: neighbours.points.slice(),
      })),
    );
    return this.#counter;
  }
}
