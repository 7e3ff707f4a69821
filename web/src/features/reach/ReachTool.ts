import {
  bonesOf,
  fitReaches,
  type JointBones,
  type ReachTouched,
  ReachWork,
} from '@judoka/core/operations/bind';
import { invert } from '@judoka/core/weights';
import { liveJoints, restPlaces } from '@judoka/core/skeleton';
import { changeValues, editOf, jointPath, type JointReach, type Json } from '@judoka/core/document';
import { Events } from '../../document/events.ts';
import { restPositions, rulesOf } from '../../scene/scope.ts';
import type { Editing } from '../../scene/Editing.ts';

type Reaches = ReadonlyMap<number, JointReach>;

/**
 * Weights that follow reaches while they are dragged. They are on the stage at once and kept as one edit, or dropped;
 * meanwhile nothing else may change weights.
 */
export class ReachTool {
  readonly #at: Editing;
  readonly events = new Events<'changed'>();
  #work: ReachWork | undefined;
  #bones: ReadonlyMap<number, JointBones> = new Map();
  /** The reaches before each drag, and those that were taken back; as they rested last. */
  #past: Reaches[] = [];
  #future: Reaches[] = [];
  #rested: Reaches = new Map();

  constructor(at: Editing) {
    this.#at = at;
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
    const at = this.#at;
    at.document.refuseShown();
    const parts = at.scene.parts
      .filter(({ visible, part }) => visible && part.role === 'skinned')
      .map(({ index, skin }) => ({ index, rows: skin.rows, positions: restPositions(at, index) }));
    const places = restPlaces(at.document.skeleton);
    const bones = (of: readonly number[]): Map<number, JointBones> =>
      new Map(of.map((joint) => [joint, bonesOf(at.document.skeleton, places, joint)]));
    this.#bones = bones(joints);
    // How far a limb goes is told by the joints about it, whether they reach too or not.
    const deforming = liveJoints(at.document.skeleton).filter(
      (joint) => !at.document.nonDeforming.has(joint),
    );
    const fitted = fitReaches(parts, bones([...new Set([...deforming, ...joints])]));
    const kept = at.document.settings.reaches;
    const reaches = new Map(joints.map((joint) => [joint, kept[joint] ?? (fitted.get(joint) as JointReach)]));
    const work = new ReachWork(parts, this.#bones, reaches, rulesOf(at, limit));
    this.#work = work;
    [this.#past, this.#future, this.#rested] = [[], [], new Map(reaches)];
    at.document.setShown({
      label: 'Weights by reach',
      step: (kind) => this.#step(kind),
      drop: () => this.#drop(),
      takeOff: () => {
        this.#drop();
        at.document.notify('Weights by reach are dropped: others have changed the character.');
        return () => undefined;
      },
    });
    this.#show(work.writeAll());
    at.document.events.publish('weights');
    this.events.publish('changed');
  }

  /** Another reach for one joint, and for its partner if that reaches too. @throws CoreError for a reach of nothing */
  set(joint: number, reach: JointReach, mirrored: boolean): void {
    if (!this.#work) return;
    const partner = this.#at.document.pairs.partner[joint];
    this.#show(this.#work.set(joint, reach));
    if (mirrored && partner >= 0 && partner !== joint && this.reaches.has(partner))
      this.#show(this.#work.set(partner, reach));
    this.events.publish('changed');
  }

  /** A drag is over: what hangs on resting weights may look at them. */
  settle(): void {
    const now = new Map(this.reaches);
    if ([...now].some(([joint, reach]) => reach !== this.#rested.get(joint))) {
      this.#past.push(this.#rested);
      this.#future = [];
      this.#rested = now;
    }
    this.#at.document.events.publish('weights');
  }

  /** Each drag is a step of its own while nothing is kept. */
  #step(kind: 'undo' | 'redo'): boolean {
    const [from, to] = kind === 'undo' ? [this.#past, this.#future] : [this.#future, this.#past];
    const wanted = from.pop();
    if (!wanted || !this.#work) return false;
    to.push(this.#rested);
    this.#rested = wanted;
    for (const [joint, reach] of wanted)
      if (this.reaches.get(joint) !== reach) this.#show(this.#work.set(joint, reach));
    this.events.publish('changed');
    this.#at.document.events.publish('weights');
    return true;
  }

  keep(): void {
    if (!this.#work) return;
    const { document } = this.#at;
    const weights = this.#work.finish();
    const reaches = [...this.#work.reaches].map(([joint, reach]): [string, Json] => [
      jointPath('reaches', joint),
      { ...reach },
    ]);
    this.#end();
    const values = changeValues(document.values, Object.fromEntries(reaches));
    // The weights stand already; the reaches come with them as one edit.
    document.apply(editOf({ values }));
    document.commit('Weights by reach', { weights, values });
  }

  /** @returns whether there was something to drop */
  async drop(): Promise<boolean> {
    if (!this.#work) return false;
    return this.#at.document.writer.write('Dropping weights by reach', () => this.#at.document.dropShown());
  }

  #drop(): void {
    if (!this.#work) return;
    const weights = this.#work.finish();
    this.#end();
    if (weights.length > 0) this.#at.document.apply(editOf({ weights: invert(weights) }));
  }

  #end(): void {
    this.#work = undefined;
    this.#at.document.setShown(undefined);
    this.events.publish('changed');
  }

  #show(touched: readonly ReachTouched[]): void {
    for (const { part, points, count } of touched)
      if (count > 0) this.#at.document.rowsWritten(part.index, points, count);
  }
}
