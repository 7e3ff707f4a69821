import {
  bonesOf,
  fitReaches,
  type JointBones,
  type JointReach,
  type ReachTouched,
  ReachWork,
} from '@judoka/core/operations/bind';
import { invert } from '@judoka/core/weights';
import { restPlaces } from '@judoka/core/skeleton';
import type { CharacterSession } from './CharacterSession.ts';
import { NO_JOINTS } from './editContent.ts';
import { restPositions, rulesOf } from './scope.ts';

/**
 * Weights that follow reaches while they are dragged. They are on the stage at once and kept as one edit, or dropped;
 * meanwhile nothing else may change weights.
 */
export class Reaching {
  readonly #session: CharacterSession;
  #work: ReachWork | undefined;
  #bones: ReadonlyMap<number, JointBones> = new Map();

  constructor(session: CharacterSession) {
    this.#session = session;
  }

  get active(): boolean {
    return this.#work !== undefined;
  }

  /** By joint; empty while nothing reaches. */
  get reaches(): ReadonlyMap<number, JointReach> {
    return this.#work?.reaches ?? new Map();
  }

  bonesOf(joint: number): JointBones {
    return this.#bones.get(joint) ?? new Float64Array(0);
  }

  /** Gives reaches to joints, as they were kept before or as they fit the body, and writes what follows from them. */
  begin(joints: readonly number[], limit: number): void {
    const session = this.#session;
    session.proposals.refuse();
    const parts = session.parts
      .filter(({ visible, part }) => visible && part.role === 'skinned')
      .map(({ index, skin }) => ({ index, rows: skin.rows, positions: restPositions(session, index) }));
    const places = restPlaces(session.skeleton);
    this.#bones = new Map(joints.map((joint) => [joint, bonesOf(session.skeleton, places, joint)]));
    const fitted = fitReaches(parts, this.#bones);
    const kept = session.settings.reaches;
    const reaches = new Map(joints.map((joint) => [joint, kept[joint] ?? (fitted.get(joint) as JointReach)]));
    const work = new ReachWork(parts, this.#bones, reaches, rulesOf(session, limit));
    this.#work = work;
    this.#show(work.writeAll());
    session.topics.tell('weights');
    session.topics.tell('reach');
  }

  /** Another reach for one joint, and for its partner if that reaches too. @throws CoreError for a reach of nothing */
  set(joint: number, reach: JointReach, mirrored: boolean): void {
    if (!this.#work) return;
    const partner = this.#session.pairs.partner[joint];
    this.#show(this.#work.set(joint, reach));
    if (mirrored && partner >= 0 && partner !== joint && this.reaches.has(partner))
      this.#show(this.#work.set(partner, reach));
    this.#session.topics.tell('reach');
  }

  /** A drag is over: what hangs on resting weights may look at them. */
  settle(): void {
    this.#session.topics.tell('weights');
  }

  keep(): void {
    if (!this.#work) return;
    const change = this.#work.finish();
    const reaches = { ...this.#session.settings.reaches, ...Object.fromEntries(this.#work.reaches) };
    this.#work = undefined;
    this.#session.setSettings({ reaches });
    if (change.length > 0)
      this.#session.log.commit('edit', 'Weights by reach', { change, joints: NO_JOINTS });
    this.#session.topics.tell('reach');
  }

  /** @returns whether there was something to drop */
  drop(): boolean {
    if (!this.#work) return false;
    const change = this.#work.finish();
    this.#work = undefined;
    if (change.length > 0) this.#session.applyContent({ change: invert(change), joints: NO_JOINTS });
    this.#session.topics.tell('reach');
    return true;
  }

  #show(touched: readonly ReachTouched[]): void {
    for (const { part, points, count } of touched)
      if (count > 0) this.#session.pointsWritten(part.index, points, count);
  }
}
