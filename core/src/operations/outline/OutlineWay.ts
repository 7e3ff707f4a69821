import { placeOn, type CurvePlaces } from '../../drawing/curves.ts';
import type { OutlineCut } from '../../drawing/OutlineEditor.ts';

/** A segment of an outline, by number of both, and where it runs. */
export interface WaySegment {
  readonly outline: number;
  readonly segment: number;
  readonly curve: CurvePlaces;
}

/** Straight pieces that a curve is measured in. */
const PIECES = 20;

/** An outline by the length of its way. */
export class OutlineWay {
  readonly #segments: readonly WaySegment[];
  readonly #isClosed: boolean;
  /** By segment, the length of the way to each of its pieces, and to its end. */
  readonly #lengths: Float64Array[];
  readonly #starts: number[] = [];
  readonly #whole: number;

  constructor(segments: readonly WaySegment[], isClosed: boolean) {
    this.#segments = segments;
    this.#isClosed = isClosed;
    let whole = 0;
    this.#lengths = segments.map(({ curve }) => {
      this.#starts.push(whole);
      const lengths = new Float64Array(PIECES + 1);
      let [x, y] = placeOn(curve, 0);
      for (let k = 1; k <= PIECES; k++) {
        const [u, v] = placeOn(curve, k / PIECES);
        lengths[k] = lengths[k - 1] + Math.hypot(u - x, v - y);
        [x, y] = [u, v];
      }
      whole += lengths[PIECES];
      return lengths;
    });
    this.#whole = whole;
  }

  lengthAt(segment: number, at: number): number {
    const lengths = this.#lengths[segment];
    const k = Math.min(PIECES - 1, Math.floor(at * PIECES));
    return this.#starts[segment] + lengths[k] + (at * PIECES - k) * (lengths[k + 1] - lengths[k]);
  }

  /** The cut after so much of the way; undefined beyond the ends of a line that is open. */
  cutAt(length: number): OutlineCut | undefined {
    if (!(this.#whole > 0)) return undefined;
    if (!this.#isClosed && (length < 0 || length > this.#whole)) return undefined;
    const on = ((length % this.#whole) + this.#whole) % this.#whole;
    let segment = 0;
    while (segment + 1 < this.#starts.length && this.#starts[segment + 1] <= on) segment++;
    const lengths = this.#lengths[segment];
    const own = on - this.#starts[segment];
    let k = lengths.findIndex((end) => end >= own);
    k = Math.max(1, k < 0 ? PIECES : k);
    const piece = lengths[k] - lengths[k - 1];
    const at = (k - 1 + (piece > 0 ? (own - lengths[k - 1]) / piece : 0)) / PIECES;
    return { outline: this.#segments[segment].outline, segment, at };
  }

  /** How far a cut is from the nearer end of its segment, along the way. */
  fromAnchor({ segment, at }: OutlineCut): number {
    const own = this.lengthAt(segment, at) - this.#starts[segment];
    return Math.min(own, this.#lengths[segment][PIECES] - own);
  }
}
