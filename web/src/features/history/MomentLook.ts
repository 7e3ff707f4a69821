import { bringBack, restoreDocument } from '@judoka/core/operations/rescue';
import { counted } from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { isEmpty, type Change } from '@judoka/core/weights';
import type { ProposalWords } from '../../document/alternative.ts';
import { Events } from '../../document/events.ts';
import type { Moment, MomentChoice } from '../../document/moments/Moments.ts';
import type { Comparison } from '../../document/Proposals.ts';
import type { ProposalNote } from '../../document/alternative.ts';
import type { Editing } from '../../scene/Editing.ts';
import { confinesOf } from '../../scene/scope.ts';
import { uiSettings } from '../../settings/store.ts';

/** Whose weights come back: all, those of the selected points, of the chosen joints, or of one part. */
export type LookScope = 'everything' | 'selection' | 'joints' | `part ${number}`;

export interface LookSettings {
  readonly scope: LookScope;
  /** Above 0 and at most 1. */
  readonly amount: number;
  /** Rings of points around the selection over which it fades. */
  readonly border: number;
}

const WORDS: ProposalWords = {
  old: 'Now',
  keep: 'Bring back',
  drop: 'Leave',
  meanwhile: 'Nothing is changed by looking.',
};

/** A moment on the stage, whole or as much of it as is to be brought back; a proposal like any other. */
export class MomentLook {
  readonly events = new Events<'changed'>();
  readonly #at: Editing;
  settings: LookSettings = { scope: 'everything', amount: 1, border: 0 };
  /** The moment that was asked for last, until it is there. */
  coming: MomentChoice | undefined;
  #moment: Moment | undefined;
  #comparison: Comparison | undefined;

  constructor(at: Editing) {
    this.#at = at;
    at.document.events.subscribe('shown', () => {
      if (this.#moment && !this.#busy && !this.isOpen) this.#set(undefined);
    });
    at.scene.events.subscribe('selection', () => this.#follow('selection'));
    at.scene.events.subscribe('joint', () => this.#follow('joints'));
  }

  #busy = false;

  /** The moment on the stage, if one is. */
  get moment(): Moment | undefined {
    return this.isOpen ? this.#moment : undefined;
  }

  get isOpen(): boolean {
    return this.#comparison !== undefined && this.#at.document.proposals.isOpen(this.#comparison);
  }

  /** Puts a moment on the stage. @throws HttpError if it cannot be fetched; CoreError if nothing of it differs */
  async look(choice: MomentChoice, settings: Partial<LookSettings> = {}): Promise<void> {
    const { document } = this.#at;
    if (document.shown && !this.isOpen) document.refuseShown();
    this.coming = choice;
    this.events.publish('changed');
    try {
      const moment = await document.moments.load(choice);
      if (this.coming !== choice) return;
      this.settings = { scope: 'everything', amount: 1, border: 0, ...settings };
      await this.#show(moment);
    } finally {
      if (this.coming === choice) this.coming = undefined;
      this.events.publish('changed');
    }
  }

  /** Looks at more or less of the moment. */
  async change(settings: Partial<LookSettings>): Promise<void> {
    const moment = this.#moment;
    const before = this.settings;
    this.settings = { ...before, ...settings };
    this.events.publish('changed');
    try {
      if (moment && this.isOpen) await this.#show(moment);
    } catch (error) {
      this.settings = before;
      this.events.publish('changed');
      throw error;
    }
  }

  /** Takes the whole character back, as one edit: weights, joints and all that is set. */
  async takeBack(choice: MomentChoice): Promise<void> {
    const { document } = this.#at;
    const moment = await document.moments.load(choice);
    const now = { rows: document.rowsOfPart(), skeleton: document.skeleton, values: document.values };
    await document.perform(`Take all back: ${moment.name}`, restoreDocument(now, moment.state), {
      isLarge: true,
    });
  }

  /** What taking the whole character back would touch, in words. */
  async describeTakeBack(choice: MomentChoice): Promise<string> {
    const { document } = this.#at;
    const { state } = await document.moments.load(choice);
    const now = { rows: document.rowsOfPart(), skeleton: document.skeleton, values: document.values };
    const { weights, joints, values } = restoreDocument(now, state);
    const points = weights.reduce((sum, delta) => sum + delta.points.length, 0);
    return [
      counted(points, 'point'),
      counted(joints.length, 'joint'),
      counted(values.length, 'setting'),
    ].join(', ');
  }

  #follow(scope: 'selection' | 'joints'): void {
    if (this.isOpen && this.settings.scope === scope) this.change({}).catch(this.#at.document.notifyError);
  }

  async #show(moment: Moment): Promise<void> {
    const { document } = this.#at;
    const { change, notes } = this.#find(moment);
    if (isEmpty(change))
      throw new CoreError(
        'argument-invalid',
        this.settings.scope === 'everything'
          ? `Nothing differs from “${moment.name}”.`
          : `Nothing differs there from “${moment.name}”: it is as it was.`,
      );
    const label = `${this.settings.scope === 'everything' ? '' : `${this.#scopeWords()}, `}${moment.name}`;
    this.#busy = true;
    try {
      await document.proposals.propose(`Bring back: ${label}`, change, {
        ...{ name: 'Then', words: WORDS, notes, isPassing: true },
      });
      this.#set(document.proposals.current ? moment : undefined);
    } finally {
      this.#busy = false;
    }
  }

  #set(moment: Moment | undefined): void {
    this.#moment = moment;
    this.#comparison = moment && this.#at.document.proposals.comparison;
    this.events.publish('changed');
  }

  #scopeWords(): string {
    const { scope } = this.settings;
    const { scene, document } = this.#at;
    if (scope === 'selection') return counted(scene.selection.count, 'point');
    if (scope === 'joints') return counted(scene.chosenJoints().length, 'joint');
    return scope === 'everything' ? 'everything' : document.partName(Number(scope.slice('part '.length)));
  }

  #find(moment: Moment): { change: Change; notes: ProposalNote[] } {
    const { document, scene } = this.#at;
    const { scope, amount, border } = this.settings;
    const { rows: past, gone } = document.moments.rowsOf(moment);
    // Weights are held against what is there, not against what is looked at.
    const now = document.proposals.current ? document.proposals.rowsBefore() : document.rowsOfPart();
    const { change, report } = bringBack(now, {
      ...{ past, amount, border },
      points: this.#points(),
      joints: scope === 'joints' ? scene.chosenJoints() : undefined,
      neighbours: document.parts.map(({ neighbours }) => neighbours),
      locks: document.locks,
      limit: scope === 'everything' && amount === 1 ? NO_LIMIT : Math.max(1, uiSettings().limit),
      confines: confinesOf(this.#at),
    });
    const notes: ProposalNote[] = [];
    for (const { joint, to, points } of gone)
      notes.push({
        words: `“${moment.state.skeleton.joints[joint].name}” is not there any more: its weight on ${counted(points, 'point')} goes to ${to < 0 ? 'the others' : `“${document.jointName(to)}”`}.`,
      });
    for (const [part, points] of report.held)
      notes.push({
        words: `${counted(points.length, 'point')} cannot come back whole: locked or limited joints hold the rest.`,
        part,
        points,
      });
    for (const [part, points] of report.dropped)
      notes.push({
        words: `${counted(points.length, 'point')} lost the smallest influence, to stay within the limit.`,
        part,
        points,
      });
    return { change, notes };
  }

  #points(): ReadonlyMap<number, Uint32Array> | undefined {
    const { scope } = this.settings;
    const { scene } = this.#at;
    if (scope === 'selection') return scene.selection.points();
    if (scope === 'everything' || scope === 'joints') return undefined;
    const part = Number(scope.slice('part '.length));
    return new Map([[part, Uint32Array.from({ length: scene.parts[part].part.pointCount }, (_, p) => p)]]);
  }
}

/** More influences than any row has room for. */
const NO_LIMIT = 255;
