import {
  createFollower,
  type Deformer,
  type Follower,
  drivenDeformer,
  type FollowingPart,
  type Followings,
  type FollowScratch,
  layFollowScratch,
  type PartFollowing,
} from '@judoka/core/deform';
import { skinPart } from '@judoka/core/document';
import { type KernelMemory, PLAIN_MEMORY } from '@judoka/core/memory';
import type { OpenDocument } from '../document/OpenDocument.ts';
import type { ScenePart } from './ScenePart.ts';

type FollowedDocument = Pick<OpenDocument, 'bound' | 'memory' | 'notifyError' | 'following' | 'events'>;

/** Points of a part that lie elsewhere because what it follows does. */
export interface PointsAlong {
  readonly part: ScenePart;
  readonly points: Uint32Array;
}

/** Puts parts that follow others where those take them, on the stage and in the strip. It takes a moment to begin. */
export class StageFollowers {
  readonly #document: FollowedDocument;
  readonly #parts: readonly ScenePart[];
  readonly #scratch: FollowScratch;
  readonly #changed: () => void;
  #following = new Map<Float32Array, FollowingPart>();
  #followings: Followings = [];
  /** Rises with each change: what was begun for an earlier one is dropped. */
  #turn = 0;

  /** @param changed what is drawn has to be deformed anew */
  constructor(document: FollowedDocument, parts: readonly ScenePart[], changed: () => void) {
    this.#document = document;
    this.#parts = parts;
    this.#changed = changed;
    this.#scratch = layFollowScratch(document.memory, document.bound.jointCapacity);
    const follow = (): void => {
      this.follow().catch(document.notifyError);
    };
    document.following.events.subscribe('changed', follow);
    document.events.subscribe('values', follow);
  }

  /** The deformer of the document's surface. @param own what deforms parts by themselves @param memory its own */
  deformerOver(own: Deformer, memory: KernelMemory): Deformer {
    if (this.#following.size === 0) return own;
    const { memory: stage, bound } = this.#document;
    const scratch = memory === stage ? this.#scratch : layFollowScratch(PLAIN_MEMORY, bound.jointCapacity);
    return drivenDeformer(own, this.#following, scratch);
  }

  /** Points of other parts that go along with points of one, in the order in which they follow. */
  along(driver: ScenePart, points: ArrayLike<number>, count: number): PointsAlong[] {
    return this.#parts.flatMap((part) => {
      if (this.#followings[part.index]?.driver !== driver.index) return [];
      const found = this.#following.get(part.skin.rest)?.follower.placesAt(points, count);
      return found && found.length > 0
        ? [{ part, points: found }, ...this.along(part, found, found.length)]
        : [];
    });
  }

  /** Does what the document wants now. */
  async follow(): Promise<void> {
    const wanted = this.#document.following.followings();
    const before = this.#followings;
    // What was begun for something else is not wanted any more, even if all is as it was.
    const turn = ++this.#turn;
    if (isSame(before, wanted)) return;
    const next = new Map<Float32Array, FollowingPart>();
    for (const part of this.#parts) {
      const own = wanted[part.index];
      if (!own) continue;
      const known = this.#following.get(part.skin.rest);
      const isKnown = known && before[part.index]?.hold === own.hold;
      const follower = isKnown ? known.follower : await this.#followerOf(part, own);
      next.set(part.skin.rest, { ...this.#between(part.index, own), follower });
    }
    if (turn !== this.#turn) return;
    this.#followings = wanted;
    this.#following = next;
    this.#changed();
  }

  #between(part: number, { driver, amounts }: PartFollowing): Omit<FollowingPart, 'follower'> {
    const { bound } = this.#document;
    return {
      driver: this.#parts[driver].skin,
      binds: () => ({
        own: bound.character.parts[part].inverseBinds,
        driver: bound.character.parts[driver].inverseBinds,
      }),
      amounts,
    };
  }

  #followerOf(part: ScenePart, { driver, hold }: PartFollowing): Promise<Follower> {
    const { character } = this.#document.bound;
    const subject = { ...character, rows: this.#parts.map(({ skin }) => skin.rows) };
    const [own, theirs] = [part.index, driver].map((i) => skinPart(subject, i, {}, true));
    return createFollower(hold, { ...own, triangles: part.part.triangles }, theirs);
  }
}

function isSame(a: Followings, b: Followings): boolean {
  for (let i = 0; i < Math.max(a.length, b.length); i++) {
    const [one, other] = [a.at(i), b.at(i)];
    if (one?.driver !== other?.driver || one?.hold !== other?.hold || one?.amounts !== other?.amounts)
      return false;
  }
  return true;
}
