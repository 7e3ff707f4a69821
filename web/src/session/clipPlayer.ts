import { keptMotions, type KeptMotion } from '@judoka/contract';
import { type Clip, frameCount, frameSeconds, sampleClip, SHELF_MOTIONS } from '@judoka/core/animation';
import { request, requestBytes } from '../api/http.ts';
import type { CharacterSession } from './CharacterSession.ts';
import type { MappedMotion, MotionSource } from '../workers/trial.worker.ts';

/** Where a clip comes from: the character's file, the shelf, or a motion that was dropped on the character. */
export type ClipKind = 'file' | 'shelf' | 'motion';

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
  readonly #session: CharacterSession;
  readonly #path: string;
  #motions: readonly KeptMotion[] = [];
  #follows: Readonly<Record<string, number>> = {};
  #source: MotionSource | undefined;
  #frame = 0;
  #last = 0;
  #turn = 0;
  current: Clip | undefined;
  choice: ClipChoice | undefined;
  mapping: Mapping | undefined;
  loading = false;
  failure = '';
  playing = false;
  seconds = 0;
  speed = 1;
  /** The part that is played over and over, in seconds; all of it where missing. */
  loop: readonly [number, number] | undefined;

  constructor(session: CharacterSession) {
    this.#session = session;
    this.#path = `/api/characters/${session.id}/motions`;
    this.#load().catch((error: Error) => session.tellPerson(error.message));
  }

  close(): void {
    cancelAnimationFrame(this.#frame);
    this.playing = false;
    this.#turn = Infinity;
  }

  #tell(): void {
    this.#session.topics.tell('clip');
  }

  /** All clips that there are. */
  choices(): ClipChoice[] {
    return [
      ...this.#session.character.clips.map(({ name }, i): ClipChoice => ({
        key: `file:${i}`,
        kind: 'file',
        name,
      })),
      ...this.#motions.map(({ id, name }): ClipChoice => ({ key: id, kind: 'motion', name })),
      ...SHELF_MOTIONS.map((name): ClipChoice => ({ key: `shelf:${name}`, kind: 'shelf', name })),
    ];
  }

  async #load(): Promise<void> {
    const response = await request(this.#path);
    this.#motions = keptMotions.parse(await response.json()).motions;
    this.#tell();
  }

  /** Takes in the text of a .bvh file: read first, kept only if it can be read; then it is the one that is shown. */
  async add(name: string, text: string): Promise<void> {
    const { workers } = this.#session.trial;
    const { skeleton, pairs } = this.#session;
    const answer = await (await workers.desk()).motion({ skeleton, pairs }, { text }, name, {});
    if (!answer.ok) throw new Error(answer.message);
    const response = await request(`${this.#path}?name=${encodeURIComponent(name.slice(0, 120))}`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/octet-stream' },
      body: new TextEncoder().encode(text),
    });
    const { id } = (await response.json()) as { id: string };
    await this.#load();
    await this.choose(id);
    if (answer.motion.clip.tracks.length === 0)
      this.#session.tellPerson(
        `None of the joints of “${name}” is known here. Say in the table which follows which.`,
      );
  }

  async remove(id: string): Promise<void> {
    await request(`${this.#path}/${id}`, { method: 'DELETE' });
    if (this.choice?.key === id) this.drop();
    await this.#load();
  }

  /** Puts the clip away; the pose stays. */
  drop(): void {
    this.pause();
    this.current = undefined;
    this.choice = undefined;
    this.mapping = undefined;
    this.#tell();
  }

  /** Shows a clip from its beginning. */
  async choose(key: string): Promise<void> {
    const choice = this.choices().find((one) => one.key === key);
    if (!choice) return;
    this.pause();
    const turn = ++this.#turn;
    this.choice = choice;
    this.failure = '';
    this.mapping = undefined;
    this.#follows = this.#motions.find(({ id }) => id === key)?.follows ?? {};
    if (choice.kind === 'file') {
      this.#source = undefined;
      this.#take(this.#session.character.clips[Number(key.slice(5))]);
      return;
    }
    this.loading = true;
    this.current = undefined;
    this.#tell();
    try {
      this.#source =
        choice.kind === 'shelf'
          ? { shelf: choice.name }
          : { text: new TextDecoder().decode(await requestBytes(`${this.#path}/${key}`)) };
      if (turn === this.#turn) await this.#map(turn);
    } catch (error) {
      this.failure = error instanceof Error ? error.message : String(error);
    } finally {
      this.loading = false;
      this.#tell();
    }
  }

  /** Says which joint of the motion a joint follows; -1 for none. Kept with a motion that was dropped here. */
  async follow(joint: number, from: number): Promise<void> {
    this.#follows = { ...this.#follows, [joint]: from };
    const { choice } = this;
    if (choice?.kind === 'motion') {
      const follows = this.#follows;
      await request(`${this.#path}/${choice.key}`, {
        method: 'PATCH',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify({ follows }),
      });
      this.#motions = this.#motions.map((one) => (one.id === choice.key ? { ...one, follows } : one));
    }
    await this.#map(++this.#turn);
    // What was measured was another motion.
    this.#session.trial.forgetClip();
  }

  async #map(turn: number): Promise<void> {
    if (!this.#source || !this.choice) return;
    const { trial, skeleton, pairs } = this.#session;
    const runner = await trial.workers.desk();
    const answer = await runner.motion({ skeleton, pairs }, this.#source, this.choice.name, this.#follows);
    if (turn !== this.#turn) return;
    if (!answer.ok) throw new Error(answer.message);
    const { clip, map, names } = answer.motion;
    this.mapping = { map, names };
    this.#take(clip);
  }

  #take(clip: Clip): void {
    const same = this.current?.name === clip.name && this.current.seconds === clip.seconds;
    this.current = clip;
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
    if (this.current)
      this.#session.showPose(this.#session.knownJoints(sampleClip(this.current, this.seconds)));
  }

  /** Goes to a frame and stays there: the pose is the character's own then, to paint in. */
  goTo(frame: number): void {
    if (!this.current) return;
    this.pause();
    this.seconds = frameSeconds(this.current, Math.max(0, Math.min(this.frames - 1, frame)));
    this.#session.setPose(this.#session.knownJoints(sampleClip(this.current, this.seconds)));
    this.#session.topics.tell('time');
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
    this.#session.topics.tell('time');
    this.#frame = requestAnimationFrame((next) => this.#step(next));
  }
}
