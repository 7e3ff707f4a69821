import {
  editOf,
  invertEdit,
  isEmptyEdit,
  type Edit,
  type JointNumbers,
  type RebasedEdit,
} from '@judoka/core/document';
import {
  OLD,
  type Alternative,
  type CureDetails,
  type ProposalNote,
  type ProposalWords,
} from './alternative.ts';
import { decodeAlternative, encodeAlternative } from './storedAlternative.ts';
import type { RangeFigures } from '@judoka/core/analysis/bends';
import { messageOf } from '@judoka/core/errors';
import { apply, compose, invert, type Change, type WeightRows } from '@judoka/core/weights';
import { dropProposal, keepProposal, proposalOf } from './queue/editStore.ts';
import type { CommitOptions } from './DocumentLog.ts';
import type { Shown } from './shown.ts';
import { hasGone, isTabAlive, THIS_TAB } from './readers/tabs.ts';
import type { Writer } from './Writer.ts';

/** What is proposed: old and new can be looked at in turn, and what else was proposed beside it. */
export interface Proposal extends Alternative {
  /** Whether the new weights are on the stage; else the old ones. */
  readonly shown: boolean;
  /** All that were made on the same weights, this one among them. */
  readonly alternatives: readonly Alternative[];
  /** The number of this one. */
  readonly index: number;
  /** How the old weights bend, once that is measured. */
  readonly before?: RangeFigures;
}

/** A page that is loaded again has gone by then. */
const LEAVING_MS = 10_000;

/** Stands for what is proposed side by side until it is decided; whoever adds to it holds this. */
export type Comparison = symbol;

interface ProposeOptions {
  readonly notes?: readonly ProposalNote[];
  readonly name?: string;
  /** Whether it only lasts as long as a drag or a look, and is not worth keeping over a reload. */
  readonly isPassing?: boolean;
  /** For what is only looked at: whoever may not change the character may look. */
  readonly words?: ProposalWords;
}

/** The document that proposals are for. */
interface ProposalDocument {
  readonly id: string;
  readonly writer: Writer;
  readonly log: {
    commit(label: string, edit: Edit, options?: CommitOptions): void;
    readonly queue: { readonly head: number };
  };
  apply(edit: Edit): void;
  applyInTurns(edit: Edit): Promise<void>;
  copyRows(): WeightRows[];
  rebase(edit: Edit, numbers: JointNumbers): RebasedEdit;
  setShown(shown: Shown | undefined): void;
  dropShown(): Promise<boolean>;
  notify(sentence: string): void;
}

type Held = Pick<Proposal, 'alternatives' | 'index' | 'shown' | 'before'>;

/**
 * What is on the stage before it is kept, one thing at a time, or several to choose from. Nothing else may change weights
 * meanwhile; edits of others are taken in below it.
 */
export class Proposals {
  readonly #document: ProposalDocument;
  #comparison: Comparison = Symbol('comparison');
  readonly #closing = new AbortController();
  current: Proposal | undefined;

  constructor(document: ProposalDocument) {
    this.#document = document;
  }

  /** Shows a change before it is kept, instead of what was shown before. */
  async propose(
    label: string,
    change: Change,
    { notes = [], name = 'New', isPassing = false, words }: ProposeOptions = {},
  ): Promise<void> {
    // Somebody who only looks would have something on the stage that cannot be kept.
    if (!words) this.#document.writer.needOpen();
    return this.#document.writer.write(label, async () => {
      await this.#document.dropShown();
      if (isEmptyEdit(editOf({ weights: change }))) return;
      await this.#begin({ label, name, change, notes, words });
      if (!isPassing) this.#store();
    });
  }

  /** What others have done is told by it: who makes a proposal for a while says on what it was made. */
  get head(): number {
    return this.#document.log.queue.head;
  }

  /**
   * Shows the first of several that are to be compared, instead of what was shown before.
   *
   * @param madeOn the head that it was made on
   */
  async begin(alternative: Alternative, madeOn = this.head): Promise<Comparison> {
    this.#document.writer.needOpen();
    return this.#document.writer.write(alternative.label, async () => {
      await this.#document.dropShown();
      await this.#begin(madeOn === this.head ? alternative : this.#rebased(alternative));
      this.#store();
      return this.#comparison;
    });
  }

  /**
   * Puts one more beside those of a comparison.
   *
   * @param shows  whether it comes to the stage
   * @param madeOn the head that it was made on
   * @returns whether it was taken: not, if those before it have been decided meanwhile
   */
  async add(
    comparison: Comparison,
    alternative: Alternative,
    { shows = false, madeOn = this.head } = {},
  ): Promise<boolean> {
    return this.#document.writer.write(alternative.label, async () => {
      if (!this.current || !this.isOpen(comparison)) return false;
      const alternatives = [...this.current.alternatives, alternative];
      if (madeOn === this.head) this.#set({ ...this.current, alternatives });
      else this.#onTop({ ...this.current, alternatives });
      if (shows) await this.#choose(alternatives.length - 1);
      this.#store();
      return true;
    });
  }

  /** What stands now, for whoever adds to it. */
  get comparison(): Comparison {
    return this.#comparison;
  }

  /** Whether what was proposed side by side is not decided yet. */
  isOpen(comparison: Comparison): boolean {
    return this.current !== undefined && this.#comparison === comparison;
  }

  /** Says how the character bends with one of those proposed, or with the old weights. */
  setFigures(comparison: Comparison, index: number, figures: RangeFigures): void {
    const { current } = this;
    if (!current || !this.isOpen(comparison)) return;
    if (index === OLD) this.#set({ ...current, before: figures });
    else
      this.#set({
        ...current,
        alternatives: current.alternatives.map((each, i) => (i === index ? { ...each, figures } : each)),
      });
    this.#store();
  }

  /** Says what is known of a cure among those proposed. */
  setCure(comparison: Comparison, index: number, cure: CureDetails): void {
    const { current } = this;
    if (!current || !this.isOpen(comparison)) return;
    const alternatives = current.alternatives.map((each, i) => (i === index ? { ...each, cure } : each));
    this.#set({ ...current, alternatives });
    this.#store();
  }

  /** Puts what an earlier visit had proposed onto the stage again. */
  async restore(): Promise<void> {
    const held = await proposalOf(this.#document.id);
    if (!held || this.#document.writer.closed !== undefined) return;
    if (await isTabAlive(held.tab)) void this.#restoreFrom(held.tab);
    else await this.#take(held.alternatives.map(decodeAlternative), held.index);
  }

  /** The page that was here before a reload takes a moment to go; another tab that lives on keeps what it has. */
  async #restoreFrom(tab: string): Promise<void> {
    const { signal } = this.#closing;
    if (!(await hasGone(tab, AbortSignal.any([signal, AbortSignal.timeout(LEAVING_MS)])))) return;
    const held = await proposalOf(this.#document.id);
    if (held?.tab !== tab || signal.aborted) return;
    await this.#take(held.alternatives.map(decodeAlternative), held.index).catch((error: unknown) =>
      this.#document.notify(messageOf(error)),
    );
  }

  close(): void {
    this.#closing.abort();
  }

  /**
   * Puts what was proposed elsewhere on top of what has been done since.
   *
   * @returns what is on the stage now: this; another proposal, which is not decided yet; or nothing, as nothing is left of it
   */
  take(alternative: Alternative): Promise<'this' | 'another' | 'nothing'> {
    this.#document.writer.needOpen();
    return this.#take([alternative], 0);
  }

  #take(alternatives: readonly Alternative[], index: number): Promise<'this' | 'another' | 'nothing'> {
    return this.#document.writer.write(alternatives[index].label, async () => {
      if (this.current) return 'another';
      const rebased = alternatives.map((each) => this.#rebased(each));
      if (rebased.every(isNothing)) return 'nothing';
      await this.#document.applyInTurns(editOf({ weights: rebased[index].change }));
      this.#set({ alternatives: rebased, index, shown: true });
      this.#store();
      return 'this';
    });
  }

  /**
   * Puts another change in the place of the one that is proposed, and on the stage, on top of what others did meanwhile.
   * Nothing happens where that is decided already.
   */
  exchange(comparison: Comparison, change: Change, cure?: CureDetails): Promise<void> {
    return this.#document.writer.write('Another amount of a proposal', async () => {
      const { current } = this;
      if (!current || !this.isOpen(comparison)) return;
      if (current.shown) this.#document.apply(invertEdit(this.#edit()));
      const one = this.#rebased({ ...current.alternatives[current.index], change, cure });
      await this.#document.applyInTurns(editOf({ weights: one.change }));
      const alternatives = current.alternatives.map((each, i) => (i === current.index ? one : each));
      this.#set({ ...current, alternatives, shown: true });
      this.#store();
    });
  }

  /** Looks at the new weights, or at the old ones again. */
  show(shown: boolean): Promise<void> {
    return this.#document.writer.write('A look at a proposal', () => this.#show(shown));
  }

  /** Looks at one of those that are proposed side by side, or at the old weights. */
  choose(index: number): Promise<void> {
    if (index === OLD) return this.show(false);
    return this.#document.writer.write('A look at a proposal', () => this.#choose(index));
  }

  /** The weights under what is proposed, copied. */
  rowsBefore(): WeightRows[] {
    const rows = this.#document.copyRows();
    if (this.current?.shown) apply(rows, invert(this.current.change));
    return rows;
  }

  /** What leads from the weights on the stage to those of another proposed, or to the old ones. */
  changeTo(index: number): Change {
    const { current } = this;
    if (!current) return [];
    const back = current.shown ? invert(current.change) : [];
    return index === OLD ? back : compose(back, current.alternatives[index].change);
  }

  keep(): Promise<void> {
    return this.#document.writer.write('Keeping a proposal', async () => {
      this.#document.writer.needOpen();
      await this.#show(true);
      if (!this.current) return;
      const { label, change } = this.current;
      this.#set(undefined);
      this.#document.log.commit(label, editOf({ weights: change }), { isLarge: true });
    });
  }

  /** @returns whether there was something */
  drop(): Promise<boolean> {
    return this.#document.writer.write('Dropping a proposal', () => this.#document.dropShown());
  }

  async #begin(alternative: Alternative): Promise<void> {
    await this.#document.applyInTurns(editOf({ weights: alternative.change }));
    this.#set({ alternatives: [alternative], index: 0, shown: true });
  }

  async #show(shown: boolean): Promise<void> {
    if (!this.current || this.current.shown === shown) return;
    const edit = this.#edit();
    await this.#document.applyInTurns(shown ? edit : invertEdit(edit));
    this.#set({ ...this.current, shown });
  }

  async #choose(index: number): Promise<void> {
    const { current } = this;
    if (!current?.alternatives[index]) return;
    if (current.index === index) return this.#show(true);
    await this.#document.applyInTurns(editOf({ weights: this.changeTo(index) }));
    this.#set({ ...current, index, shown: true });
    this.#store();
  }

  #edit(): Edit {
    return editOf({ weights: this.current?.change ?? [] });
  }

  #asShown({ label }: Proposal): Shown {
    return {
      label,
      drop: async () => {
        await this.#show(false);
        this.#set(undefined);
      },
      takeOff: () => {
        if (this.current?.shown) this.#document.apply(invertEdit(this.#edit()));
        return () => this.#putBack();
      },
    };
  }

  /** Puts all that is proposed on the weights as they are now, as one that is new was made on others. */
  #onTop(held: Held & Pick<Proposal, 'label'>): void {
    if (this.current?.shown) this.#document.apply(invertEdit(this.#edit()));
    const { change, ...rest } = held.alternatives[held.index];
    this.current = { ...held, ...rest, change };
    this.#putBack();
  }

  /** Puts the proposal on top of what others did meanwhile. */
  #putBack(): void {
    const { current } = this;
    if (!current) return;
    const alternatives = current.alternatives.map((each) => this.#rebased(each));
    if (alternatives.every(isNothing)) {
      this.#set(undefined);
      this.#document.notify(`“${current.label}” is dropped: others have done the same meanwhile.`);
      return;
    }
    if (current.shown) this.#document.apply(editOf({ weights: alternatives[current.index].change }));
    this.#set({ ...current, alternatives });
  }

  #rebased(alternative: Alternative): Alternative {
    const onTop = (change: Change): Change =>
      this.#document.rebase(editOf({ weights: change }), new Map()).edit.weights;
    const { change, cure } = alternative;
    return {
      ...alternative,
      change: onTop(change),
      ...(cure && { cure: { ...cure, base: onTop(cure.base), full: onTop(cure.full) } }),
    };
  }

  #store(): void {
    const { current } = this;
    if (!current) return;
    const alternatives = current.alternatives.map(encodeAlternative);
    const { label, index } = current;
    keepProposal({ character: this.#document.id, tab: THIS_TAB, alternatives, index }).catch(
      (error: unknown) =>
        this.#document.notify(
          `“${label}” will not outlast a reload: this browser keeps nothing (${messageOf(error)}).`,
        ),
    );
  }

  #set(held: Held | undefined): void {
    if (this.current && !held) dropProposal(this.#document.id, THIS_TAB).catch(() => undefined);
    if (!this.current) this.#comparison = Symbol('comparison');
    this.current = held && {
      ...held.alternatives[held.index],
      alternatives: held.alternatives,
      index: held.index,
      shown: held.shown,
      before: held.before,
    };
    this.#document.setShown(this.current && this.#asShown(this.current));
  }
}

const isNothing = ({ change }: Alternative): boolean => isEmptyEdit(editOf({ weights: change }));
