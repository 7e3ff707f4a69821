import { apply, type Change, checkChange, copyRow, weightKernels, weightOf } from '@judoka/core/weights';
import { markApart } from '@judoka/core/mesh';
import { skinList } from '@judoka/core/deform';
import type { CharacterSession } from './CharacterSession.ts';
import type { SessionPart } from './sessionPart.ts';
import { skinPoints } from './skinning.ts';
import { nextTurn, slicesOf } from './turns.ts';

/** Puts changes into the session's rows, and lets everything that is drawn of them follow. */
export class WeightWriter {
  readonly #session: CharacterSession;
  /** While a large change is written in turns. */
  busy = false;

  constructor(session: CharacterSession) {
    this.#session = session;
  }

  /** @throws CoreError `delta-mismatch` if the change was made on other weights; nothing is written then */
  write(change: Change): void {
    const { parts, topics } = this.#session;
    apply(this.#session.rowsOfPart(), change);
    for (const { part, points } of change) {
      this.follow(parts[part], points, points.length);
      this.readColumn(parts[part]);
    }
    topics.tell('weights');
  }

  /**
   * The same with turns for the page; until it is done nothing else may change weights.
   * @throws CoreError as {@link write} does
   */
  async writeInTurns(change: Change): Promise<void> {
    const { parts, topics } = this.#session;
    const rows = this.#session.rowsOfPart();
    while (this.busy) await nextTurn();
    this.busy = true;
    try {
      // All of it is looked at before anything is written.
      for (const slice of slicesOf(change)) {
        checkChange(rows, [slice]);
        await nextTurn();
      }
      for (const slice of slicesOf(change)) {
        await nextTurn();
        apply(rows, [slice]);
        this.follow(parts[slice.part], slice.points, slice.points.length);
      }
      for (const { part } of change) {
        await nextTurn();
        this.readColumn(parts[part]);
      }
      await nextTurn();
      topics.tell('weights');
      await nextTurn();
      // Whoever waited for the end finds the change in the log: what follows here comes before any other turn.
    } finally {
      this.busy = false;
    }
  }

  /** Surface, column and bend strip follow the first `count` of `points`, whose rows were written. */
  follow(part: SessionPart, points: Uint32Array, count: number): void {
    const session = this.#session;
    const list = points.buffer === part.paint.points.buffer ? points : part.paint.points;
    if (list !== points) list.set(points.subarray(0, count));
    skinPoints(session, part, { points: list, count });
    if (session.joint >= 0) {
      for (let i = 0; i < count; i++) part.column[list[i]] = weightOf(part.skin.rows, list[i], session.joint);
    }
    session.strip.follow(part, list, count);
    for (const listener of session.pointListeners) listener(part, list, count);
  }

  /** What is drawn of the chosen joint's weight. */
  readColumn(part: SessionPart): void {
    const { joint, memory } = this.#session;
    if (joint < 0) part.column.fill(0);
    else weightKernels(memory).readColumn(part.skin.rows, joint, part.column);
    markApart(part.paint.neighbours, part.column, part.apart);
  }

  /** How far a change would move the surface in the pose on the stage, at most, in scene units; nothing is changed. */
  movementOf(change: Change): number {
    let most = 0;
    for (const { part, points, after } of change) {
      const { skin } = this.#session.parts[part];
      const { positions } = skin;
      const moved = new Float32Array(positions.length);
      const rows = { ...skin.rows, joints: skin.rows.joints.slice(), values: skin.rows.values.slice() };
      points.forEach((point, i) => copyRow(after, i, rows, point));
      skinList({ ...skin, rows, positions: moved, normals: moved.slice() }, { points, count: points.length });
      for (const p of points)
        most = Math.max(most, Math.hypot(...[0, 1, 2].map((k) => moved[p * 3 + k] - positions[p * 3 + k])));
    }
    return most;
  }
}
