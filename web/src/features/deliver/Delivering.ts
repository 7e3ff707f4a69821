import { deliveriesAnswer, deliveryLine, lossesAnswer, type DeliveryLine } from '@judoka/contract';
import type { MotionRange } from '@judoka/core/animation';
import type { Cost, CostPose } from '@judoka/core/analysis/costs';
import { profileLines, takenNames, type ProfileLine } from '@judoka/core/analysis/profile';
import {
  boundBox,
  DELIVERY,
  readDelivery,
  WEIGHT_STEPS,
  type WeightFormat,
  type Delivery,
  type DeliveryProfile,
} from '@judoka/core/document';
import { isAbort } from '@judoka/core/errors';
import { renameJoint } from '@judoka/core/skeleton';
import { apply, copyRows, isEmpty, type WeightRows } from '@judoka/core/weights';
import * as Comlink from 'comlink';
import { request, requestBytes } from '../../api/http.ts';
import { carriedClips } from '../../document/carriedClips.ts';
import type { MomentChoice } from '../../document/moments/Moments.ts';
import { Events, type EventSource } from '../../document/events.ts';
import type { Proposal } from '../../document/Proposals.ts';
import type { Editing } from '../../scene/Editing.ts';
import { CostThreads } from './CostThreads.ts';
import { costWords } from '../../ui/lengthWords.ts';
import { influenceCure, jointCure, type Cure } from './cures.ts';

type At = Editing & {
  readonly checkUp: {
    readonly events: EventSource<'changed'>;
    readonly profile: DeliveryProfile;
    setProfile(profile: DeliveryProfile): void;
  };
  readonly trial: { ranges(): readonly MotionRange[] };
  readonly comparing: {
    choose(side: 'before', of: { readonly kind: 'moment'; readonly choice: MomentChoice }): void;
  };
};

/** A cost that was measured, and the pose that shows its worst. */
export interface MeasuredCost {
  readonly cost: Cost;
  readonly pose?: CostPose;
}

/** A cure that rests for this long is measured. */
const SETTLED_MS = 350;

/** What a character's limits are, what meeting them costs, and how it leaves. */
export class Delivering {
  readonly events = new Events<'changed'>();
  readonly #at: At;
  readonly #threads: CostThreads;
  readonly #ends: (() => void)[];
  #stop: AbortController | undefined;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #wanted: number | undefined;
  #isProposing = false;
  #lines: readonly ProfileLine[] | undefined;
  #proposed: Proposal['alternatives'][number] | undefined;
  /** The weights that the cure was made on. */
  #base: readonly WeightRows[] = [];
  delivery: Delivery;
  /** What is being found out, and how far it is. */
  working: { readonly what: string; readonly share: number } | undefined;
  cure: Cure | undefined;
  /** So many steps of the cure are on the stage. */
  taken = 0;
  /** What the proposal costs; undefined while that is not measured. */
  measured: MeasuredCost | undefined;
  /** What rounding to a format costs, where that was measured since the weights changed. */
  #roundings = new Map<WeightFormat, MeasuredCost>();
  /** What cannot go along into another format, in sentences. */
  losses: readonly string[] = [];
  /** What left, the last first; undefined before it was asked. */
  deliveries: readonly DeliveryLine[] | undefined;

  constructor(at: At) {
    this.#at = at;
    this.delivery = restored(at.document.id, at.document.character.drawing !== undefined);
    this.#threads = new CostThreads(() => ({
      parts: at.document.bound.character.parts.map(({ positions, inverseBinds, pointCount, role }) =>
        role === 'skinned' ? { positions, inverseBinds, pointCount } : undefined,
      ),
      skeleton: at.document.skeleton,
      rows: this.#base,
      locks: at.document.locks,
      ranges: at.trial.ranges(),
      clips: carriedClips(at.document),
    }));
    const { events } = at.document;
    this.#ends = [
      events.subscribe('weights', () => this.#moved()),
      events.subscribe('joints', () => this.#changed()),
      events.subscribe('values', () => this.#changed()),
      events.subscribe('shown', () => this.#moved()),
      at.checkUp.events.subscribe('changed', () => this.#stale()),
    ];
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#stop?.abort();
    this.#threads.forget();
    for (const end of this.#ends) end();
  }

  get profile(): DeliveryProfile {
    return this.#at.checkUp.profile;
  }

  /** How tall the character is, in scene units. */
  height(): number {
    const { document } = this.#at;
    const { least, most } = boundBox(document.bound.character.parts);
    const axis = document.up.findIndex((x) => x !== 0);
    return most[axis] - least[axis];
  }

  /** Every limit of the profile, worst first, with what stands on the stage. */
  lines(): readonly ProfileLine[] {
    const { document } = this.#at;
    const { parts } = document.bound.character;
    this.#lines ??= profileLines(
      { parts, skeleton: document.skeleton, rows: document.rowsOfPart(), height: this.height() },
      this.profile,
      this.delivery,
    );
    return this.#lines;
  }

  setDelivery(change: Partial<Delivery>): void {
    this.delivery = { ...this.delivery, ...change };
    store(this.#at.document.id, this.delivery);
    this.#stale();
  }

  /** Finds the points over the limit, with what less of them costs. */
  async findInfluences(): Promise<void> {
    const { influences } = this.profile;
    await this.#find('Weighing influences', async (signal, tell) => {
      const shares = await this.#threads.all(
        (runner, index, of) =>
          runner.limit(
            influences,
            index,
            of,
            Comlink.proxy((share: number) => tell(share, index, of)),
          ),
        signal,
      );
      return influenceCure(influences, this.#base, shares);
    });
  }

  /** Finds joints that can be done without. */
  async findJoints(): Promise<void> {
    const limit = this.profile.joints;
    // Those that go would be counted still while they stand in the lists of the skins.
    this.setDelivery({ leavesEmptyJoints: true });
    const { skeleton } = this.#at.document;
    const required = (this.profile.required ?? []).map((name) =>
      skeleton.joints.findIndex((joint) => joint.name === name),
    );
    await this.#find('Weighing joints', async (signal, tell) => {
      const drops = await this.#threads.one(
        (runner) =>
          runner.drop(
            limit,
            required,
            Comlink.proxy((share: number) => tell(share, 0, 1)),
          ),
        signal,
      );
      return jointCure(limit, this.#base, drops);
    });
  }

  rounding(weights: WeightFormat): MeasuredCost | undefined {
    return this.#roundings.get(weights);
  }

  /** Finds what rounding to a format costs. */
  async findRounding(weights: WeightFormat): Promise<void> {
    if (weights === 'f32' || this.#roundings.has(weights)) return;
    const roundings = this.#roundings;
    const rows = this.#at.document.copyRows();
    await this.#work('Rounding weights', async (signal, tell) => {
      if (this.#base.length === 0) this.#base = this.#at.document.proposals.rowsBefore();
      const found = await this.#threads.one(
        (runner) =>
          measured(
            runner.round(
              rows,
              WEIGHT_STEPS[weights],
              Comlink.proxy((share: number) => tell(share, 0, 1)),
            ),
            runner,
          ),
        signal,
      );
      roundings.set(weights, found);
    });
  }

  stop(): void {
    this.#stop?.abort();
  }

  /** Shows so many steps of the cure. Of several that are asked for quickly the last is shown. */
  async take(steps: number): Promise<void> {
    this.#wanted = steps;
    if (this.#isProposing) return;
    this.#isProposing = true;
    try {
      while (this.#wanted !== undefined && this.cure) {
        const wanted: number = this.#wanted;
        this.#wanted = undefined;
        await this.#show(wanted);
      }
    } finally {
      this.#isProposing = false;
    }
    this.#measureSoon();
  }

  async #show(steps: number): Promise<void> {
    const { cure } = this;
    if (!cure) return;
    const { proposals } = this.#at.document;
    const change = cure.change(steps);
    this.taken = steps;
    this.measured = undefined;
    this.events.publish('changed');
    if (isEmpty(change)) {
      // What else is on the stage is not ours to drop.
      if (this.#isOurs()) await proposals.drop();
      return;
    }
    const what = cure.kind === 'influences' ? 'Fewer influences' : 'Fewer joints';
    const cost = costWords(cure.steps[steps - 1].cost, this.#at.document.size);
    await proposals.propose(`${what} for “${this.profile.name}”, at the cost of ${cost}`, change);
    this.#proposed = proposals.current?.alternatives.at(0);
  }

  #isOurs(): boolean {
    const { current } = this.#at.document.proposals;
    return this.#proposed !== undefined && current?.alternatives.at(0)?.label === this.#proposed.label;
  }

  /** Goes to the pose and the place where something costs most. */
  lookAt({ cost, pose }: MeasuredCost): void {
    if (!pose || !cost.worst) return;
    const { part, point } = cost.worst;
    this.#at.scene.setPose(pose.pose, 'Pose of the greatest cost');
    this.#at.scene.setMarks({ points: new Map([[part, Uint32Array.of(point)]]), joints: [] });
  }

  /** Gives joints names that the profile takes. @returns joints that keep theirs */
  async rename(): Promise<number> {
    const { names } = this.profile;
    if (!names) return 0;
    const { document } = this.#at;
    const found = takenNames(document.skeleton, names);
    const joints = [...found].flatMap(([joint, name]) => renameJoint(document.skeleton, joint, name));
    if (joints.length > 0) await document.perform(`Names for “${this.profile.name}”`, { joints });
    const line = this.lines().find(({ limit }) => limit === 'names');
    return line?.joints?.length ?? 0;
  }

  /** Gives one joint a name that has to be there. */
  async giveName(joint: number, name: string): Promise<void> {
    const { document } = this.#at;
    await document.perform(`Rename ${document.jointName(joint)}`, {
      joints: renameJoint(document.skeleton, joint, name),
    });
  }

  /** Lets the character leave: the file is made and kept by the server, and handed to the browser. */
  async deliver(): Promise<DeliveryLine> {
    const { document } = this.#at;
    const { weights } = this.delivery;
    await this.findRounding(weights);
    const lines = this.lines().map(({ words, isMet }) => ({ words, isMet }));
    const cost = this.#roundings.get(weights)?.cost.greatest ?? null;
    const answer = await request(`/api/characters/${document.id}/deliveries`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({
        ...{ id: crypto.randomUUID(), delivery: this.delivery, profile: this.profile.name },
        ...{ lines, cost },
      }),
    });
    const line = deliveryLine.parse(await answer.json());
    this.deliveries = [line, ...(this.deliveries ?? []).filter(({ id }) => id !== line.id)];
    this.events.publish('changed');
    return line;
  }

  /** Asks what of the file cannot go along into the chosen format. */
  async findLosses(): Promise<void> {
    const { format } = this.delivery;
    if (format !== 'dae' || this.losses.length > 0) return;
    const answer = await request(`/api/characters/${this.#at.document.id}/losses?format=${format}`);
    this.losses = lossesAnswer.parse(await answer.json()).losses;
    this.events.publish('changed');
  }

  /** Holds what left against what is now, on the stage. */
  compareSince({ head, file, madeAt }: DeliveryLine): void {
    const choice = { at: head, name: `Delivered: ${file}`, madeAt };
    this.#at.comparing.choose('before', { kind: 'moment', choice });
  }

  async fetchFile({ id }: DeliveryLine): Promise<Uint8Array<ArrayBuffer>> {
    return requestBytes(`/api/characters/${this.#at.document.id}/deliveries/${id}/file`);
  }

  async remove({ id }: DeliveryLine): Promise<void> {
    await request(`/api/characters/${this.#at.document.id}/deliveries/${id}`, { method: 'DELETE' });
    this.deliveries = this.deliveries?.filter((line) => line.id !== id);
    this.events.publish('changed');
  }

  /** Asks anew what left. */
  async refresh(): Promise<void> {
    const answer = await request(`/api/characters/${this.#at.document.id}/deliveries`);
    this.deliveries = deliveriesAnswer.parse(await answer.json()).deliveries;
    this.events.publish('changed');
  }

  async #find(
    what: string,
    find: (signal: AbortSignal, tell: (share: number, index: number, of: number) => void) => Promise<Cure>,
  ): Promise<void> {
    await this.#work(what, async (signal, tell) => {
      // What was proposed before is not what is held against the limit.
      this.#threads.forget();
      this.#base = this.#at.document.proposals.rowsBefore();
      this.cure = await find(signal, tell);
      this.taken = 0;
    });
    if (this.cure) await this.take(this.cure.steps.length);
  }

  async #work(
    what: string,
    work: (signal: AbortSignal, tell: (share: number, index: number, of: number) => void) => Promise<void>,
  ): Promise<void> {
    this.#stop?.abort();
    const stop = (this.#stop = new AbortController());
    const shares: number[] = [];
    const tell = (share: number, index: number, of: number): void => {
      if (this.#stop !== stop || stop.signal.aborted) return;
      shares[index] = share;
      this.working = { what, share: shares.reduce((sum, x) => sum + x, 0) / of };
      this.events.publish('changed');
    };
    tell(0, 0, 1);
    try {
      await work(stop.signal, tell);
    } catch (error) {
      if (!isAbort(error)) this.#at.document.notifyError(error);
    } finally {
      if (this.#stop === stop) {
        this.working = undefined;
        this.#stop = undefined;
        this.events.publish('changed');
      }
    }
  }

  /** Somebody else has changed what the cure was made on, or has decided. */
  #moved(): void {
    // A run that goes on fills the old one.
    this.#roundings = new Map();
    if (!this.#isProposing) {
      const { current } = this.#at.document.proposals;
      if (this.cure && !current) this.#forget();
    }
    this.#stale();
  }

  /** Joints, locks or ranges are other than the threads have them. */
  #changed(): void {
    if (!this.cure && !this.working) this.#forget();
    this.#moved();
  }

  #stale(): void {
    this.#lines = undefined;
    this.events.publish('changed');
  }

  setProfile(profile: DeliveryProfile): void {
    this.#at.checkUp.setProfile(profile);
    if (this.#isOurs()) this.#at.document.proposals.drop().catch(this.#at.document.notifyError);
    this.#forget();
    this.#stale();
  }

  #forget(): void {
    clearTimeout(this.#timer);
    // Whoever waits for a thread that ends would wait for ever.
    this.#stop?.abort();
    this.#proposed = undefined;
    this.#threads.forget();
    [this.cure, this.measured, this.taken, this.#base] = [undefined, undefined, 0, []];
  }

  #measureSoon(): void {
    clearTimeout(this.#timer);
    const { cure, taken } = this;
    if (!cure || taken === 0) return;
    this.#timer = setTimeout(() => {
      const after = this.#base.map(copyRows);
      apply(after, cure.change(taken));
      void this.#work('Measuring', async (signal, tell) => {
        const found = await this.#threads.one(
          (runner) =>
            measured(
              runner.measure(
                after,
                Comlink.proxy((share: number) => tell(share, 0, 1)),
              ),
              runner,
            ),
          signal,
        );
        if (this.cure === cure && this.taken === taken) this.measured = found;
      });
    }, SETTLED_MS);
  }
}

async function measured(
  finding: Promise<Cost>,
  runner: { poseAt(index: number): Promise<CostPose | undefined> },
): Promise<MeasuredCost> {
  const cost = await finding;
  const pose = cost.worst && (await runner.poseAt(cost.worst.pose));
  return { cost, ...(pose && { pose }) };
}

const keyOf = (character: string): string => `judoka.delivery.${character}`;

/** How a character left last from this browser. */
function restored(character: string, isDrawing: boolean): Delivery {
  const usual: Delivery = { ...DELIVERY, asMeshes: isDrawing };
  try {
    const held: unknown = JSON.parse(localStorage.getItem(keyOf(character)) ?? '{}');
    return {
      ...usual,
      ...readDelivery(held as Record<string, unknown>),
      ...(!isDrawing && { asMeshes: false }),
    };
  } catch {
    return usual;
  }
}

function store(character: string, delivery: Delivery): void {
  try {
    localStorage.setItem(keyOf(character), JSON.stringify(delivery));
  } catch {
    // A browser that keeps nothing begins with what is usual the next time.
  }
}
