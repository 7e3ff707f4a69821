import {
  encodeSelection,
  logAnswer,
  touchedAnswer,
  type HistoryLine,
  type TouchedLine,
} from '@judoka/contract';
import { messageOf } from '@judoka/core/errors';
import { request } from '../../api/http.ts';
import { Events } from '../../document/events.ts';
import type { Editing } from '../../scene/Editing.ts';

/** Which lines are listed: all, of the chosen joint, or those that changed certain points; or moments instead of lines. */
export type HistoryMode = 'all' | 'moments' | 'joint' | 'place';

export interface ListedLine extends HistoryLine {
  /** How many of the points that are asked about it changed. */
  readonly touched?: number;
}

/** Points that are asked about, and what they are in words. */
export interface AskedPlace {
  readonly points: ReadonlyMap<number, Uint32Array>;
  readonly words: string;
}

const FIRST_PAGE = 60;
const PAGE = 400;

/** The lines of the character's log that are looked at, a page at a time, the last one first. */
export class HistoryList {
  readonly events = new Events<'changed'>();
  isShown = false;
  mode: HistoryMode = 'all';
  text = '';
  lines: readonly ListedLine[] = [];
  hasMore = false;
  isBusy = false;
  /** Why nothing can be listed, in a sentence. */
  trouble: string | undefined;
  place: AskedPlace | undefined;
  /** What the pointer met last. */
  #pointed: { readonly part: number; readonly corners: readonly number[] } | undefined;
  readonly #at: Editing;
  /** The question that is being asked; an answer to another one is dropped. */
  #asking = 0;

  constructor(at: Editing) {
    this.#at = at;
    at.document.events.subscribe('saving', () => this.#follow());
    at.scene.events.subscribe('joint', () => this.mode === 'joint' && this.#ask());
  }

  toggle(): void {
    this.isShown = !this.isShown;
    if (this.isShown) this.#ask();
    else this.events.publish('changed');
  }

  setMode(mode: HistoryMode): void {
    this.mode = mode;
    if (mode === 'place') this.place = this.#placeOf();
    this.#ask();
  }

  setText(text: string): void {
    this.text = text;
    this.#ask();
  }

  /** Tells who changed what is selected, or lies under the pointer. */
  showTouched(): void {
    this.isShown = true;
    this.setMode('place');
  }

  /** Fetches the next lines, if there are more. */
  more(): void {
    if (this.hasMore && !this.isBusy) void this.#fetch(PAGE);
  }

  /** What lies under the pointer: corners of a polygon. */
  pointAt(part: number, corners: readonly number[]): void {
    this.#pointed = { part, corners };
  }

  #placeOf(): AskedPlace | undefined {
    const { selection } = this.#at.scene;
    if (selection.count === 0) {
      if (!this.#pointed) return undefined;
      const { part, corners } = this.#pointed;
      const points = new Map([[part, Uint32Array.from(corners).sort()]]);
      return { points, words: `the place on ${this.#at.document.partName(part)} that was pointed at` };
    }
    const words =
      selection.count === 1
        ? 'the selected point'
        : `${selection.count.toLocaleString('en')} selected points`;
    return { points: selection.points(), words };
  }

  #ask(): void {
    if (!this.isShown) return;
    this.lines = [];
    this.hasMore = false;
    this.trouble = undefined;
    this.#asking++;
    void this.#fetch(FIRST_PAGE);
  }

  /** Lines that were saved since come in at the top. */
  #follow(): void {
    const { queue } = this.#at.document.log;
    if (!this.isShown || !queue.isIdle || this.isBusy || (this.lines.at(0)?.seq ?? -1) >= queue.head) return;
    // A question about a place or a joint may have no line at the head: asked once a head is enough.
    if (this.#followed === queue.head) return;
    this.#followed = queue.head;
    const asking = ++this.#asking;
    this.#linesOf(FIRST_PAGE, Number.MAX_SAFE_INTEGER).then(
      ({ lines, more }) => {
        if (asking !== this.#asking) return;
        const last = lines.at(-1)?.seq ?? 0;
        const isWhole = more && !this.lines.some(({ seq }) => seq >= last);
        if (isWhole || this.lines.length === 0) [this.lines, this.hasMore] = [lines, more];
        else this.lines = [...lines, ...this.lines.filter(({ seq }) => seq < last)];
        this.events.publish('changed');
      },
      () => undefined,
    );
    if (this.mode === 'moments') this.#at.document.moments.refresh().catch(() => undefined);
  }

  #followed = -1;

  async #fetch(limit: number): Promise<void> {
    const asking = this.#asking;
    this.isBusy = true;
    this.events.publish('changed');
    try {
      const { lines, more } = await this.#linesOf(limit, this.lines.at(-1)?.seq ?? Number.MAX_SAFE_INTEGER);
      if (asking !== this.#asking) return;
      this.lines = [...this.lines, ...lines];
      this.hasMore = more;
    } catch (error) {
      if (asking === this.#asking) this.trouble = messageOf(error);
    } finally {
      if (asking === this.#asking) this.isBusy = false;
      this.events.publish('changed');
    }
  }

  async #linesOf(limit: number, before: number): Promise<{ lines: readonly ListedLine[]; more: boolean }> {
    const path = `/api/characters/${this.#at.document.id}/log`;
    if (this.mode === 'moments') {
      await this.#at.document.moments.refresh();
      return { lines: [], more: false };
    }
    if (this.mode === 'place')
      return this.place ? touchedLines(path, this.place) : { lines: [], more: false };
    const query = new URLSearchParams({ limit: String(limit), before: String(before), ...this.#wanted() });
    const response = await request(`${path}?${query.toString()}`);
    return logAnswer.parse(await response.json());
  }

  #wanted(): Record<string, string> {
    const { document, scene } = this.#at;
    if (this.mode === 'joint') return { joints: scene.chosenJoints().join(',') || NO_JOINT };
    const text = this.text.trim();
    if (text === '') return {};
    const fits = (name: string): boolean => name.toLowerCase().includes(text.toLowerCase());
    const joints = document.skeleton.joints.flatMap(({ name }, joint) => (fits(name) ? [joint] : []));
    const parts = document.parts.flatMap(({ index }) => (fits(document.partName(index)) ? [index] : []));
    return { text, joints: joints.join(','), parts: parts.join(',') };
  }
}

/** A joint that no character has. */
const NO_JOINT = '65535';

async function touchedLines(
  path: string,
  { points }: AskedPlace,
): Promise<{ lines: readonly TouchedLine[]; more: boolean }> {
  const response = await request(`${path}/touching?limit=100`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/octet-stream' },
    body: encodeSelection(points),
  });
  // More than these are not asked for: what was done to a place long ago has been painted over.
  return { lines: touchedAnswer.parse(await response.json()).lines, more: false };
}
