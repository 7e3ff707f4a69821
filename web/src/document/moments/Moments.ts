import {
  decodeMomentFile,
  decodeRows,
  encodeMomentFile,
  logAnswer,
  momentHeader,
  unpackFrame,
  type HistoryLine,
} from '@judoka/contract';
import {
  type CharacterPart,
  itemPath,
  readSettings,
  withAddedRows,
  withPointCount,
  type Character,
  type DocumentSettings,
  type DocumentState,
  type Json,
  type SavedMoment,
  type WithId,
} from '@judoka/core/document';
import { sharedPoints } from '@judoka/core/mesh';
import { readPastRows, type PastRows } from '@judoka/core/operations/rescue';
import type { JointSetups, Skeleton } from '@judoka/core/skeleton';
import { copyRow, renumberRows, type WeightRows } from '@judoka/core/weights';
import { CoreError } from '@judoka/core/errors';
import { request, requestBytes } from '../../api/http.ts';
import type { CommitOptions } from '../DocumentLog.ts';
import { Events } from '../events.ts';
import { rowsOfParts } from './rowsOfParts.ts';

/**
 * A point of the character's history: a number in its log, 0 as the file came, or the edit that it is after; of one that was
 * taken in from a file, an id of its own.
 */
export type MomentAt = number | string;

/** A moment that can be chosen. */
export interface MomentChoice {
  readonly at: MomentAt;
  readonly name: string;
  /** When it was; undefined of the file as it came. */
  readonly madeAt?: string | number;
}

/** A moment that was fetched: the whole document as it was. */
export interface Moment extends MomentChoice {
  readonly seq: number;
  readonly state: DocumentState;
}

export const AS_IT_CAME: MomentChoice = { at: 0, name: 'As the file came' };

/** The document whose moments they are. */
interface MomentsDocument {
  readonly id: string;
  readonly settings: Pick<DocumentSettings, 'moments' | 'outlines' | 'meshes'>;
  readonly character: Pick<Character, 'drawing'>;
  readonly skeleton: Skeleton;
  readonly bound: { skeletonWith(setups: JointSetups): Skeleton };
  readonly parts: readonly {
    readonly part: Pick<CharacterPart, 'added' | 'name' | 'pointCount' | 'role'>;
    readonly rows: WeightRows;
  }[];
  setValues(label: string, wanted: Readonly<Record<string, Json>>, options?: CommitOptions): void;
}

/** Moments held for another look. */
const MAX_HELD = 3;

/** The named and automatic moments of a character, and what was fetched of them. */
export class Moments {
  readonly events = new Events<'changed' | 'brush'>();
  /** Lines of large steps, the last one first: each has a moment before it. */
  large: readonly HistoryLine[] = [];
  /** What the brush that brings back paints with. */
  brush: MomentChoice = AS_IT_CAME;
  readonly #document: MomentsDocument;
  /** Those that were taken in from files: they are there as long as the page is. */
  taken: readonly Moment[] = [];
  readonly #held = new Map<MomentAt, Moment>();
  #past: { readonly of: Moment; readonly skeleton: Skeleton; readonly rows: PastRows } | undefined;

  constructor(document: MomentsDocument) {
    this.#document = document;
  }

  /** Named ones, the last one first. */
  get named(): readonly WithId<SavedMoment>[] {
    return [...this.#document.settings.moments].reverse();
  }

  /** Everything that can be chosen without looking into the log: named, before large steps, and as the file came. */
  choices(): MomentChoice[] {
    return [
      ...this.named.map(({ name, edit, savedAt }) => ({ name, at: edit, madeAt: savedAt })),
      ...this.taken,
      ...this.large.map(beforeLine),
      AS_IT_CAME,
    ];
  }

  /** Asks for the large steps anew. @throws HttpError */
  async refresh(): Promise<void> {
    const response = await request(`/api/characters/${this.#document.id}/log?large=1&limit=100`);
    this.large = logAnswer.parse(await response.json()).lines;
    this.events.publish('changed');
  }

  /** Whether it came from a file: such a moment has weights alone, and no settings that could be taken back. */
  isTaken({ at }: MomentChoice): boolean {
    return this.taken.some((moment) => moment.at === at);
  }

  /** Gives the character as it is now a name in the history. */
  keep(name: string): void {
    const edit = crypto.randomUUID();
    const moment: SavedMoment = { name, edit, savedAt: Date.now() };
    this.#document.setValues(
      `Moment “${name}”`,
      { [itemPath('moments', crypto.randomUUID())]: moment as unknown as Json },
      { id: edit },
    );
    this.events.publish('changed');
  }

  /** A name that no moment has. */
  freeName(): string {
    const taken = new Set(this.named.map(({ name }) => name));
    for (let n = 1; ; n++) if (!taken.has(`Moment ${n}`)) return `Moment ${n}`;
  }

  rename({ id, ...moment }: WithId<SavedMoment>, name: string): void {
    this.#document.setValues(`Rename moment ${moment.name}`, {
      [itemPath('moments', id)]: { ...moment, name },
    });
  }

  forget({ id, name }: WithId<SavedMoment>): void {
    this.#document.setValues(`Forget moment ${name}`, { [itemPath('moments', id)]: null });
  }

  /** @throws HttpError `not-found` for an edit that was never saved, `offline` */
  async load(choice: MomentChoice): Promise<Moment> {
    const held = this.taken.find(({ at }) => at === choice.at) ?? this.#held.get(choice.at);
    if (held) return held;
    const frame = unpackFrame(
      await requestBytes(`/api/characters/${this.#document.id}/moments/${choice.at}`),
    );
    const { seq, joints, values } = momentHeader.parse(frame.header);
    const rows = decodeRows(frame.blobs[0]);
    this.#checkShape(rows);
    const moment = {
      ...choice,
      seq,
      state: { rows, values, skeleton: this.#document.bound.skeletonWith(joints) },
    };
    this.#held.set(choice.at, moment);
    const others = [...this.#held.keys()].filter((at) => at !== this.brush.at && at !== choice.at);
    if (others.length >= MAX_HELD) this.#held.delete(others[0]);
    return moment;
  }

  /** A moment's rows by the joints of now; the same arrays as long as no joint comes or goes. */
  rowsOf(moment: Moment): PastRows {
    const { skeleton } = this.#document;
    if (this.#past?.of !== moment || this.#past.skeleton !== skeleton)
      this.#past = {
        of: moment,
        skeleton,
        rows: readPastRows(this.#byPointsOfNow(moment), moment.state.skeleton, skeleton),
      };
    return this.#past.rows;
  }

  /** Points that were added since have what they have now. */
  #byPointsOfNow({ state }: Moment): readonly WeightRows[] {
    return rowsOfParts(this.#document.parts, state.rows).map((then, i) => {
      const { rows, part } = this.#document.parts[i];
      const [was, is] = [readSettings(state.values).meshes[i], this.#document.settings.meshes[i]];
      // Points that were added to the mesh since lie between others, then as now.
      if (is && part.added) {
        const same = was ? sharedPoints(was, is) : is.from;
        return withAddedRows(withPointCount(then, Math.min(then.pointCount, same)), part);
      }
      const own = withPointCount(then, rows.pointCount);
      for (let p = then.pointCount; p < rows.pointCount; p++) copyRow(rows, p, own, p);
      return own;
    });
  }

  /** A moment as the bytes of a file: weights and names. */
  async give(choice: MomentChoice): Promise<Uint8Array<ArrayBuffer>> {
    const { state, name, madeAt } = await this.load(choice);
    const joints = state.skeleton.joints.map(({ id, name: called, parent }) => ({
      id,
      name: called,
      parent,
    }));
    const parts = state.rows.map(({ pointCount }, i) => ({
      name: this.#document.parts.at(i)?.part.name ?? 'Cage',
      points: pointCount,
    }));
    const made = madeAt === undefined ? undefined : new Date(madeAt).toISOString();
    return encodeMomentFile({ name: name.slice(0, 120), madeAt: made, joints, parts }, state.rows);
  }

  /**
   * Takes a moment in that was given away; joints are those of the same id and name, else of the same name, else what they
   * hung on.
   * @throws CoreError file-invalid; argument-invalid for a moment of another character
   */
  takeIn(bytes: Uint8Array): Moment {
    const { header, rows } = decodeMomentFile(bytes);
    this.#checkShape(rows);
    const { skeleton } = this.#document;
    const to = numbersIn(skeleton, header.joints);
    if (header.joints.length > 0 && to.every((joint) => joint < 0))
      throw new CoreError('argument-invalid', 'This moment has no joint in common with this character.');
    const state = {
      rows: rows.map((own) => renumberRows(own, (joint) => to[joint] ?? -1)),
      skeleton,
      values: {},
    };
    const moment = { at: crypto.randomUUID(), name: header.name, madeAt: header.madeAt, seq: -1, state };
    this.taken = [moment, ...this.taken];
    this.events.publish('changed');
    return moment;
  }

  setBrush(choice: MomentChoice): void {
    this.brush = choice;
    this.events.publish('brush');
  }

  /** What the brush paints with, if it has come; asks for it if not. */
  brushRows(): readonly WeightRows[] | undefined {
    const held = this.taken.find(({ at }) => at === this.brush.at) ?? this.#held.get(this.brush.at);
    if (held) return this.rowsOf(held).rows;
    // Whoever paints is told that it is coming; what is in the way of it stands beside the brush.
    this.load(this.brush).catch(() => undefined);
    return undefined;
  }

  #checkShape(rows: readonly WeightRows[]): void {
    const { parts, settings, character } = this.#document;
    const isDrawing = character.drawing !== undefined;
    const { outlines, meshes } = settings;
    const isOf = (pointCount: number, part: number): boolean =>
      pointCount === parts[part].rows.pointCount ||
      (isDrawing && pointCount >= (outlines[part]?.from ?? 0)) ||
      (meshes[part] !== undefined && pointCount >= meshes[part].from);
    // Cages of now may not have been there then, and others may have been.
    const own = parts.filter(({ part }) => part.role !== 'cage').length;
    if (rows.length < own || !rows.slice(0, own).every(({ pointCount }, part) => isOf(pointCount, part)))
      throw new CoreError('argument-invalid', 'This moment is of a character with other points.');
  }
}

/** By joint of a file: its number in a skeleton; of those that are not there, that of what they hung on. */
function numbersIn(
  { joints }: Skeleton,
  given: readonly { readonly id: string; readonly name: string; readonly parent: number }[],
): number[] {
  const isThere = (joint: number): boolean => joint >= 0 && joints[joint].removed === undefined;
  const own = given.map(({ id, name }) => {
    const same = joints.findIndex((joint) => joint.id === id && joint.name === name);
    return isThere(same) ? same : joints.findIndex((joint) => joint.name === name && !joint.removed);
  });
  return own.map((found, joint) => {
    let up = joint;
    for (let steps = 0; up >= 0 && own[up] < 0 && steps < given.length; steps++) up = given[up].parent;
    return found >= 0 ? found : up >= 0 && up < own.length ? own[up] : -1;
  });
}

/** What was there before a step. */
export const beforeLine = ({ seq, label, madeAt }: HistoryLine): MomentChoice => ({
  at: seq - 1,
  name: `Before “${label}”`,
  madeAt,
});

/** What was there after one. */
export const afterLine = ({ seq, label, madeAt }: HistoryLine): MomentChoice => ({
  at: seq,
  name: `After “${label}”`,
  madeAt,
});
