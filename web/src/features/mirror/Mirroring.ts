import { gatherMirrorSpace, type MirrorSpace, partAt } from '@judoka/core/document';
import {
  type MirrorReport,
  type MirrorDirection,
  mirrorWeights,
  type PairMode,
  type PointPairs,
} from '@judoka/core/operations/mirror';
import { mirroredDistance } from '@judoka/core/weights';
import * as Comlink from 'comlink';
import type { Pairer } from './mirror.worker.ts';
import { Events } from '../../document/events.ts';
import { rulesOf } from '../../scene/scope.ts';
import type { Editing } from '../../scene/Editing.ts';
import { restPlaces, signOfLeft } from '@judoka/core/skeleton';
import { messageOf } from '@judoka/core/errors';

/** How far counterparts may be off, as a share of the character's size, where nothing else is said. */
export const DEFAULT_TOLERANCE = 0.002;
/** How far apart points that touch may be, as a share of the character's size. */
const TOUCH_SHARE = 0.004;

interface Place {
  readonly part: number;
  readonly point: number;
}

/** A point whose weights are not its counterpart's, and by how much: half the summed difference. */
export interface Difference extends Place {
  readonly amount: number;
}

/** Counterparts across the middle: found in a thread of its own, and kept until what they are found by changes. */
export class Mirroring {
  readonly #at: Editing;
  readonly events = new Events<'changed'>();
  #worker: Worker | undefined;
  #pairer: Promise<Comlink.Remote<Pairer>> | undefined;
  #space: MirrorSpace | undefined;
  #found: { key: string; pairs: PointPairs } | undefined;
  #asked = 0;
  mode: PairMode = 'topology';
  /** A share of the character's size. */
  tolerance = DEFAULT_TOLERANCE;
  /** Whether strokes are mirrored while they are painted. */
  live = false;
  /** Whether points without a counterpart are given the weights of what lies nearest, or left alone. */
  fillsUnpaired = false;
  /** Why there are no pairs, in a sentence. */
  failure = '';

  constructor(at: Editing) {
    this.#at = at;
    at.document.events.subscribe('rest', () => this.#forget());
  }

  /** Points lie elsewhere: counterparts are found anew. Those by topology stay until then. */
  #forget(): void {
    this.#worker?.terminate();
    this.#worker = this.#pairer = this.#space = this.touching = undefined;
    if (this.mode !== 'topology') this.#found = undefined;
    this.events.publish('changed');
    if (this.live) void this.find().catch(() => undefined);
  }

  close(): void {
    this.#worker?.terminate();
    this.#asked = Infinity;
  }

  get space(): MirrorSpace {
    const { parts, drawing } = this.#at.document.character;
    return (this.#space ??= gatherMirrorSpace(parts, drawing !== undefined));
  }

  /** Counterparts by point of the space; undefined until they are found. */
  get pairs(): PointPairs | undefined {
    return this.#found?.key === this.#key() ? this.#found.pairs : undefined;
  }

  /** Tolerance in scene units. */
  get reach(): number {
    return this.tolerance * (this.#at.document.size || 1);
  }

  set(change: { mode?: PairMode; tolerance?: number; live?: boolean; fillsUnpaired?: boolean }): void {
    Object.assign(this, change);
    this.events.publish('changed');
    if (this.live) void this.find().catch(() => undefined);
  }

  /** Finds the pairs, if they are not known. */
  async find(): Promise<PointPairs> {
    if (this.pairs) return this.pairs;
    const key = this.#key();
    const turn = ++this.#asked;
    const { axis, middle } = this.#at.document.pairs;
    try {
      const pairer = await this.#start();
      const pairs = await pairer.pair(this.mode, { axis, middle }, this.reach);
      if (turn === this.#asked) this.#found = { key, pairs };
      this.failure = '';
      return pairs;
    } catch (error) {
      this.failure = `Counterparts could not be found. ${messageOf(error)}`;
      throw error;
    } finally {
      this.events.publish('changed');
    }
  }

  /** Points that touch one of another island or part, by point of the space; undefined until they are found. */
  touching: Int32Array | undefined;

  /** Finds where islands and parts touch, if it is not known. */
  async findTouching(): Promise<Int32Array> {
    const pairer = await this.#start();
    this.touching ??= await pairer.touching(TOUCH_SHARE * (this.#at.document.size || 1));
    this.events.publish('changed');
    return this.touching;
  }

  /** The mirrored weights as a change, and what it could not do. */
  async propose(
    direction: MirrorDirection,
    scope: { points?: ReadonlyMap<number, Uint32Array>; joints?: readonly number[] },
    limit: number,
  ): Promise<{ change: ReturnType<typeof mirrorWeights>['change']; report: MirrorReport }> {
    const found = await this.find();
    const at = this.#at;
    const { axis, middle, partner } = at.document.pairs;
    const pairs = this.fillsUnpaired ? await (await this.#start()).fill(found, { axis, middle }) : found;
    return mirrorWeights(
      at.document.rowsOfPart(),
      this.space,
      { pairs, plane: { axis, middle }, direction, partner, tolerance: this.reach, ...scope },
      rulesOf(at, limit),
    );
  }

  /** What leads from the left side to the right: left joints say where left is. */
  leftToRight(): MirrorDirection {
    const {
      document: { skeleton, pairs },
    } = this.#at;
    return signOfLeft(skeleton, restPlaces(skeleton), pairs) > 0 ? 'toNegative' : 'toPositive';
  }

  /** Points of shown parts, off the middle, without a counterpart. */
  unpaired(): Map<number, Uint32Array> {
    const { pairs, space } = this;
    const found = new Map<number, Uint32Array>();
    if (!pairs) return found;
    for (const { index, part, visible } of this.#at.scene.parts) {
      if (!visible || part.role === 'fixed') continue;
      const first = space.firstPoint[index];
      const alone = Uint32Array.from({ length: part.pointCount }, (_, p) => p).filter(
        (p) => pairs[first + p] < 0,
      );
      if (alone.length > 0) found.set(index, alone);
    }
    return found;
  }

  /** Points of shown parts whose row is not their counterpart's, worst first: half the summed difference. */
  differences(): Difference[] {
    const found: Difference[] = [];
    this.#compareSides((amount, place) => {
      if (amount > MIN_DIFFERENCE) found.push({ ...place, amount });
    });
    return found.sort((a, b) => b.amount - a.amount);
  }

  /** The same by part for every point, on both sides; nothing where there is no counterpart. */
  amounts(): Float32Array[] {
    const amounts = this.#at.scene.parts.map(({ part }) => new Float32Array(part.pointCount));
    this.#compareSides((amount, place, other) => {
      amounts[place.part][place.point] = amount;
      amounts[other.part][other.point] = amount;
    });
    return amounts;
  }

  /** Every pair of counterparts of shown parts once, with how far their weights lie apart. */
  #compareSides(visit: (amount: number, place: Place, other: Place) => void): void {
    const { pairs, space } = this;
    if (!pairs) return;
    const {
      scene: { parts },
      document: { pairs: joints },
    } = this.#at;
    const dense = new Float64Array(this.#at.document.bound.jointCapacity);
    for (const { index, part, visible, skin } of parts) {
      if (!visible || part.role === 'fixed') continue;
      const first = space.firstPoint[index];
      for (let p = 0; p < part.pointCount; p++) {
        const other = pairs[first + p];
        if (other < first + p) continue;
        const target = partAt(space.firstPoint, other);
        const q = other - space.firstPoint[target];
        const amount = mirroredDistance(skin.rows, p, parts[target].skin.rows, q, joints.partner, dense);
        visit(amount, { part: index, point: p }, { part: target, point: q });
      }
    }
  }

  #key(): string {
    const { axis, middle } = this.#at.document.pairs;
    return [this.mode, this.tolerance, axis, middle].join();
  }

  #start(): Promise<Comlink.Remote<Pairer>> {
    this.#pairer ??= (async () => {
      this.#worker = new Worker(new URL('./mirror.worker.ts', import.meta.url), { type: 'module' });
      const pairer = Comlink.wrap<Pairer>(this.#worker);
      const { parts, drawing } = this.#at.document.character;
      await pairer.begin(parts, drawing !== undefined);
      return pairer;
    })();
    return this.#pairer;
  }
}

/** Smaller differences are rounding. */
const MIN_DIFFERENCE = 0.01;
