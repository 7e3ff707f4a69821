import {
  sameJson,
  itemPath,
  type Json,
  type SavedMotion,
  type SavedPose,
  type WithId,
} from '@judoka/core/document';
import type { Pose } from '@judoka/core/skeleton';
import { weightedJoints } from '@judoka/core/weights';
import { addAttachment, attachmentBytes } from '../../document/attachments.ts';
import { carriedClip } from '../../document/carriedClips.ts';
import { Events } from '../../document/events.ts';
import type { TrialThreads } from '../../document/TrialThreads.ts';
import {
  type Clip,
  frameCount,
  frameSeconds,
  posesClip,
  sampleClip,
  SHELF_MOTIONS,
} from '@judoka/core/animation';
import type { MappedMotion, MotionSource } from '../../document/trial.worker.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { Scene } from '../../scene/Scene.ts';
import { messageOf } from '@judoka/core/errors';
import { recallFollows, rememberFollows, type Follows } from './motionCorrections.ts';

/** Where a clip comes from: the character's file, the shelf, or a motion that was dropped on the character. */
export type ClipKind = 'file' | 'shelf' | 'motion' | 'poses';

/** The key of the saved poses, one behind the other. */
const POSES = 'poses';

export interface ClipChoice {
  /** Unique among all. */
  readonly key: string;
  readonly kind: ClipKind;
  readonly name: string;
}

/** Which joints follow which, for a motion that was mapped. */
export type Mapping = Pick<MappedMotion, 'map' | 'names'>;

/** The clips of a character, and the one that plays. */
export class ClipPlayer {
  readonly #at: Editing;
  readonly #threads: TrialThreads;
  readonly events = new Events<'clip' | 'time' | 'mapped'>();
  #follows: Follows = {};
  #source: MotionSource | undefined;
  #frame = 0;
  /** The pose before the first clip was chosen, and what of saved poses was in it. */
  #before: Pick<Scene, 'pose' | 'dials'> | undefined;
  /** Of which the clip is made, if it is the saved poses. */
  #poses: readonly WithId<SavedPose>[] = [];
  #last = 0;
  #turn = 0;
  /** The clip without what ribbons do in it. */
  #plain: Clip | undefined;
  current: Clip | undefined;
  choice: ClipChoice | undefined;
  mapping: Mapping | undefined;
  loading = false;
  failure = '';
  playing = false;
  seconds = 0;
  speed = 1;
  inPlace = false;
  /** The part that is played over and over, in seconds; all of it where missing. */
  loop: readonly [number, number] | undefined;

  constructor(at: Editing, threads: TrialThreads) {
    this.#at = at;
    this.#threads = threads;
    at.document.events.subscribe('values', () => this.#valuesChanged());
    for (const event of ['values', 'joints'] as const)
      at.document.events.subscribe(event, () => this.#carryAnew());
  }

  /** Ribbons have other joints of their own, or go otherwise: what was measured was another motion. */
  #carryAnew(): void {
    if (!this.current || !this.#plain) return;
    const carried = carriedClip(this.#at.document, this.#plain);
    if (carried === this.current) return;
    const isOnStage = sameJson(asJson(this.#poseNow(this.current)), asJson(this.#at.scene.pose));
    this.current = carried;
    // A pose that was made since is left alone.
    if (isOnStage) this.#show();
    this.#tell();
    this.events.publish('mapped');
  }

  get #motions(): readonly WithId<SavedMotion>[] {
    return this.#at.document.settings.motions;
  }

  /** Motions may come and go by undo, and by others. */
  #valuesChanged(): void {
    const { choice } = this;
    const { poses } = this.#at.document.settings;
    if (choice?.kind === 'poses' && !sameJson(asJson(poses), asJson(this.#poses))) {
      if (poses.length === 0) this.drop();
      else this.#takePoses();
      this.events.publish('mapped');
      return;
    }
    if (choice?.kind !== 'motion') {
      this.#tell();
      return;
    }
    const held = this.#motions.find(({ id }) => id === choice.key);
    if (!held) this.drop();
    else if (sameJson({ ...held.follows }, { ...this.#follows })) this.#tell();
    else void this.#mapAnew(held.follows);
  }

  close(): void {
    cancelAnimationFrame(this.#frame);
    this.playing = false;
    this.#turn = Infinity;
  }

  #tell(): void {
    this.events.publish('clip');
  }

  /** All clips that there are. */
  choices(): ClipChoice[] {
    return [
      ...this.#at.document.character.clips.map(({ name }, i): ClipChoice => ({
        key: `file:${i}`,
        kind: 'file',
        name,
      })),
      ...(this.#at.document.saved.poses.length > 0
        ? [{ key: POSES, kind: 'poses' as const, name: 'Saved poses' }]
        : []),
      ...this.#motions.map(({ id, name }): ClipChoice => ({ key: id, kind: 'motion', name })),
      ...SHELF_MOTIONS.map((name): ClipChoice => ({ key: `shelf:${name}`, kind: 'shelf', name })),
    ];
  }

  /** Takes in the text of a .bvh file: read first, kept only if it can be read; then it is the one that is shown. */
  async add(name: string, text: string): Promise<void> {
    const { document } = this.#at;
    const { skeleton, pairs } = document;
    const runner = await this.#threads.short();
    const answer = await runner.motion({ skeleton, pairs }, { text }, name, { follows: {} });
    if (!answer.ok) throw new Error(answer.message);
    const follows = recallFollows(this.#names(), answer.motion.names);
    const attachment = await addAttachment(document.id, new TextEncoder().encode(text));
    const motion: SavedMotion = { name: name.slice(0, 120), attachment, follows, savedAt: Date.now() };
    const id = crypto.randomUUID();
    document.setValues(
      `Bring in motion ${motion.name}`,
      { [itemPath('motions', id)]: motion as unknown as Json },
      { attachments: [attachment] },
    );
    await this.choose(id);
    if (answer.motion.clip.tracks.length === 0)
      this.#at.document.notify(
        `None of the joints of “${name}” is known here. Say in the table which follows which.`,
      );
  }

  remove(id: string): void {
    const name = this.#motions.find((one) => one.id === id)?.name ?? '';
    this.#at.document.setValues(`Remove motion ${name}`, { [itemPath('motions', id)]: null });
  }

  /** Puts the clip away, and takes the pose that was there before it. */
  putAway(): void {
    const name = this.current?.name ?? '';
    const before = this.#before;
    this.drop();
    const { scene, document } = this.#at;
    if (before) scene.setPose(document.knownJoints(before.pose), `Put away ${name}`, undefined, before.dials);
  }

  /** Puts the clip away; the pose stays. */
  drop(): void {
    this.pause();
    this.current = undefined;
    this.choice = undefined;
    this.mapping = undefined;
    this.#before = undefined;
    this.#tell();
  }

  /** Shows a clip from its beginning. */
  async choose(key: string): Promise<void> {
    const choice = this.choices().find((one) => one.key === key);
    if (!choice) return;
    if (this.choice?.key === key && this.current) return;
    this.pause();
    const { pose, dials } = this.#at.scene;
    this.#before ??= { pose, dials };
    const turn = ++this.#turn;
    this.choice = choice;
    this.failure = '';
    this.mapping = undefined;
    this.#follows = this.#motions.find(({ id }) => id === key)?.follows ?? {};
    if (choice.kind === 'file') {
      this.#source = undefined;
      this.#take(this.#at.document.character.clips[Number(key.slice(5))]);
      return;
    }
    if (choice.kind === 'poses') {
      this.#source = undefined;
      this.#takePoses();
      return;
    }
    this.loading = true;
    this.current = undefined;
    this.#tell();
    try {
      this.#source = choice.kind === 'shelf' ? { shelf: choice.name } : { text: await this.#textOf(key) };
      if (turn === this.#turn) await this.#map(turn);
    } catch (error) {
      this.failure = messageOf(error);
    } finally {
      this.loading = false;
      this.#tell();
    }
  }

  /** Says which joint of the motion a joint follows; -1 for none. Kept with a motion that was dropped here. */
  async follow(joint: number, from: number): Promise<void> {
    this.#follows = { ...this.#follows, [joint]: from };
    if (this.mapping) rememberFollows(this.#names(), this.mapping.names, this.#follows);
    const { choice } = this;
    const held = choice && this.#motions.find(({ id }) => id === choice.key);
    if (held) {
      const { id, ...motion } = held;
      this.#at.document.setValues(
        `Map ${this.#at.document.jointName(joint)} in ${motion.name}`,
        { [itemPath('motions', id)]: { ...motion, follows: this.#follows } },
        { growsAs: `follow:${id}:${joint}` },
      );
    }
    await this.#map(++this.#turn);
    // What was measured was another motion.
    this.events.publish('mapped');
  }

  /** Others have mapped it otherwise, or an undo has. */
  async #mapAnew(follows: Follows): Promise<void> {
    this.#follows = follows;
    if (this.mapping) rememberFollows(this.#names(), this.mapping.names, follows);
    try {
      await this.#map(++this.#turn);
      this.events.publish('mapped');
    } catch (error) {
      this.failure = messageOf(error);
      this.#tell();
    }
  }

  async #textOf(key: string): Promise<string> {
    const held = this.#motions.find(({ id }) => id === key);
    if (!held) throw new Error('This motion is not there any more.');
    return new TextDecoder().decode(await attachmentBytes(this.#at.document.id, held.attachment));
  }

  async #map(turn: number): Promise<void> {
    if (!this.#source || !this.choice) return;
    const { skeleton, pairs } = this.#at.document;
    const runner = await this.#threads.short();
    const source = this.#source;
    const { name, kind } = this.choice;
    const mapBy = (follows: Follows) =>
      runner.motion({ skeleton, pairs, weighted: this.#weighted() }, source, name, {
        follows,
        inPlace: this.inPlace,
      });
    let answer = await mapBy(this.#follows);
    if (turn !== this.#turn) return;
    // The shelf's motions keep no corrections of their own.
    const known = answer.ok && kind === 'shelf' ? recallFollows(this.#names(), answer.motion.names) : {};
    if (Object.keys(known).length > 0 && !sameJson({ ...known }, { ...this.#follows })) {
      this.#follows = known;
      answer = await mapBy(known);
      if (turn !== this.#turn) return;
    }
    if (!answer.ok) throw new Error(answer.message);
    const { clip, map, names } = answer.motion;
    this.mapping = { map, names };
    this.#take(clip);
  }

  /** The saved poses as they are shown now; what was measured of others does not hold any more. */
  #takePoses(): void {
    const { document } = this.#at;
    this.#poses = document.settings.poses;
    this.#take(
      posesClip(
        'Saved poses',
        this.#poses.map(({ joints }) => document.knownJoints(joints)),
      ),
    );
  }

  #take(clip: Clip): void {
    const same = this.current?.name === clip.name && this.current.seconds === clip.seconds;
    this.#plain = clip;
    this.current = carriedClip(this.#at.document, clip);
    if (!same) {
      this.loop = undefined;
      this.seconds = 0;
    }
    this.#show();
    this.#tell();
  }

  // ---- playing -------------------------------------------------------------------------------------------------

  get frames(): number {
    return this.current ? frameCount(this.current) : 0;
  }

  get frame(): number {
    return this.current ? Math.round(this.seconds * this.current.rate) : 0;
  }

  #show(): void {
    if (this.current) this.#at.scene.showPose(this.#poseNow(this.current));
  }

  #poseNow(clip: Clip): Pose {
    return this.#at.document.knownJoints(sampleClip(clip, this.seconds));
  }

  /** Goes to a frame and stays there: the pose is the character's own then, to paint in. */
  goTo(frame: number): void {
    if (!this.current) return;
    this.pause();
    this.seconds = frameSeconds(this.current, Math.max(0, Math.min(this.frames - 1, frame)));
    this.#at.scene.setPose(
      this.#poseNow(this.current),
      `Pose from ${this.current.name}, frame ${this.frame}`,
      'clip',
    );
    this.events.publish('time');
  }

  /** Whether a motion's way over the ground is taken out. */
  async setInPlace(inPlace: boolean): Promise<void> {
    this.inPlace = inPlace;
    this.#tell();
    await this.#map(++this.#turn);
    this.events.publish('mapped');
  }

  #names(): string[] {
    return this.#at.document.skeleton.joints.map(({ name }) => name);
  }

  /** Uint8Array, a joint each: 1 where something follows it. */
  #weighted(): Uint8Array {
    const { document } = this.#at;
    return weightedJoints(document.rowsOfPart(), document.skeleton.joints.length);
  }

  setSpeed(speed: number): void {
    this.speed = speed;
    this.#tell();
  }

  setLoop(loop: readonly [number, number] | undefined): void {
    this.loop = loop;
    this.#tell();
  }

  play(): void {
    if (!this.current || this.playing || this.current.seconds === 0) return;
    this.playing = true;
    this.#last = performance.now();
    this.#frame = requestAnimationFrame((now) => this.#step(now));
    this.#tell();
  }

  pause(): void {
    if (!this.playing) return;
    cancelAnimationFrame(this.#frame);
    this.playing = false;
    this.goTo(this.frame);
    this.#tell();
  }

  #step(now: number): void {
    if (!this.playing || !this.current) return;
    const [from, to] = this.loop ?? [0, this.current.seconds];
    const span = Math.max(to - from, 1 / this.current.rate);
    // A long gap (another tab) does not make it jump.
    const elapsed = Math.min(0.25, Math.max(0, (now - this.#last) / 1000));
    this.#last = now;
    const on = this.seconds - from + elapsed * this.speed;
    this.seconds = from + (((on % span) + span) % span);
    this.#show();
    this.events.publish('time');
    this.#frame = requestAnimationFrame((next) => this.#step(next));
  }
}

const asJson = (poses: readonly WithId<SavedPose>[] | Pose): Json => poses as unknown as Json;
