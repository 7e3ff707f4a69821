import { CoreError } from '@judoka/core/errors';

/** The right to change the document, until it is given back. */
export interface WriteTurn {
  end(): void;
}

/**
 * Says who may change the document. One at a time: a stroke, a drag of joints, a large edit in turns, an undo, the edits
 * of another tab. Whoever can wait is let in, in the order of asking; whoever cannot, like a stroke under the pointer, is
 * told who is at work.
 */
export class Writer {
  /** Why nobody may change the document at all; undefined where one may. */
  readonly closed: string | undefined;
  #holder: string | undefined;
  readonly #waiting: (() => void)[] = [];

  constructor(closed?: string) {
    this.closed = closed;
  }

  /** Who is at work, in words: “A stroke”; undefined if nobody is. */
  get holder(): string | undefined {
    return this.#holder;
  }

  /** @throws CoreError argument-invalid where the document is only looked at */
  needOpen(): void {
    if (this.closed !== undefined) throw new CoreError('argument-invalid', this.closed);
  }

  /** Takes the turn at once. @throws CoreError argument-invalid while somebody else has it */
  begin(what: string): WriteTurn {
    this.needOpen();
    if (this.#holder !== undefined)
      throw new CoreError('argument-invalid', `${this.#holder} is under way. Try again when it is done.`);
    return this.#take(what);
  }

  /** Does work when it is its turn, and gives the turn back however it ends. */
  async write<T>(what: string, work: () => T | Promise<T>): Promise<T> {
    // Whoever ends hands the turn over, so that nobody comes in between.
    if (this.#holder !== undefined) await new Promise<void>((resolve) => this.#waiting.push(resolve));
    const turn = this.#take(what);
    try {
      return await work();
    } finally {
      turn.end();
    }
  }

  #take(what: string): WriteTurn {
    this.#holder = what;
    let isOver = false;
    return {
      end: () => {
        if (isOver) return;
        isOver = true;
        const next = this.#waiting.shift();
        if (next) next();
        else this.#holder = undefined;
      },
    };
  }
}
