import type { DriverSurface, Followings, Hold } from '@judoka/core/deform';
import {
  type Character,
  type DocumentSettings,
  type PartFollows,
  skinPart,
  soundFollows,
} from '@judoka/core/document';
import type { Neighbours } from '@judoka/core/mesh';
import type { WeightRows } from '@judoka/core/weights';
import * as Comlink from 'comlink';
import { Events } from '../events.ts';
import { maskAmounts, type SavedItems } from '../SavedItems.ts';
import type { HoldWorker } from './hold.worker.ts';

/** The document whose parts they are. */
interface FollowedDocument {
  readonly bound: { readonly character: Character };
  readonly events: Pick<Events<string>, 'subscribe'>;
  readonly restMoved: readonly number[];
  readonly parts: readonly { readonly rows: WeightRows; readonly neighbours: Neighbours }[];
  readonly saved: Pick<SavedItems, 'masks'>;
  readonly settings: DocumentSettings;
  readonly notifyError: (error: unknown) => void;
}

/** What a part holds on to of another one, once that is found. */
interface Found {
  readonly driver: number;
  /** Nothing while it is looked for, and of a part without triangles. */
  hold: Hold | undefined;
  isFound: boolean;
}

/** Parts that follow others: what they hold on to, found in a thread when a part begins to follow another one. */
export class Following {
  readonly events = new Events<'changed'>();
  readonly #document: FollowedDocument;
  readonly #found = new Map<number, Found>();
  #thread: Worker | undefined;
  #asked = 0;

  constructor(document: FollowedDocument) {
    this.#document = document;
    document.events.subscribe('values', () => this.#look());
    document.events.subscribe('rest', () => this.#restMoved());
    this.#look();
  }

  close(): void {
    this.#thread?.terminate();
    this.#thread = undefined;
  }

  /** What stands in the document, without what would follow itself; by part. */
  get follows(): ReadonlyMap<number, PartFollows> {
    const { bound, settings } = this.#document;
    if (bound.character.drawing) return new Map();
    return soundFollows(settings.follows, bound.character.parts.length);
  }

  /** What a part holds on to; undefined while it is not known. */
  holdOf(part: number): Hold | undefined {
    return this.#found.get(part)?.hold;
  }

  /** Whether what a part holds on to is still looked for. */
  isLooking(part: number): boolean {
    return this.#found.get(part)?.isFound === false;
  }

  /**
   * By part, how it follows as the document is shown.
   * @param withOff those that are switched off as well
   */
  followings(withOff = false): Followings {
    const { saved, bound } = this.#document;
    const out: Followings[number][] = [];
    for (const [part, { driver, mask, isOff }] of this.follows) {
      const hold = this.holdOf(part);
      if (!hold || (isOff && !withOff) || this.#found.get(part)?.driver !== driver) continue;
      const held = saved.masks.find(({ id }) => id === mask);
      const amounts = held && maskAmounts(held, part, bound.character.parts[part]);
      out[part] = { driver, hold, ...(amounts && { amounts }) };
    }
    // No holes: whoever looks at all of them sees those that do not follow as well.
    return Array.from(out);
  }

  /** What a part holds on to is found anew where it, or what it follows, has other places at rest. */
  #restMoved(): void {
    const { restMoved } = this.#document;
    for (const [part, { driver }] of this.#found)
      if (restMoved.includes(part) || restMoved.includes(driver)) this.#found.delete(part);
    this.#look();
  }

  #look(): void {
    for (const [part, { driver }] of this.follows) {
      if (this.#found.get(part)?.driver === driver) continue;
      const own: Found = { driver, hold: undefined, isFound: false };
      this.#found.set(part, own);
      this.#ask(part, own).catch(this.#document.notifyError);
    }
  }

  async #ask(part: number, own: Found): Promise<void> {
    this.#thread ??= new Worker(new URL('./hold.worker.ts', import.meta.url), { type: 'module' });
    this.#asked++;
    try {
      const places = this.bound(part).positions;
      own.hold = await Comlink.wrap<HoldWorker>(this.#thread).hold(this.surface(own.driver), places);
    } finally {
      own.isFound = true;
      if (--this.#asked === 0) this.close();
      this.events.publish('changed');
    }
  }

  /** A part as the joints bind it. */
  bound(part: number): Pick<DriverSurface, 'positions' | 'normals'> {
    const { bound, parts } = this.#document;
    return skinPart({ ...bound.character, rows: parts.map(({ rows }) => rows) }, part, {}, true);
  }

  /** A part as a surface to hold on to. */
  surface(part: number): DriverSurface {
    const { offsets, points } = this.#document.parts[part].neighbours;
    return {
      ...this.bound(part),
      triangles: this.#document.bound.character.parts[part].triangles,
      neighbours: { offsets: offsets.slice(), points: points.slice() },
    };
  }
}
