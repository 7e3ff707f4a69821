import {
  editOf,
  invertEdit,
  isEmptyEdit,
  type Edit,
  type JointNumbers,
  type RebasedEdit,
} from '@judoka/core/document';
import { decodeWeights, encodeWeights } from '@judoka/contract';
import { messageOf } from '@judoka/core/errors';
import type { Change } from '@judoka/core/weights';
import { dropProposal, keepProposal, type ProposalNote, proposalOf } from './queue/editStore.ts';
import type { Shown } from './shown.ts';
import { isTabAlive, THIS_TAB } from './readers/tabs.ts';
import type { Writer } from './Writer.ts';

/** A change of weights that is shown but not kept yet: old and new can be looked at in turn. */
export interface Proposal {
  readonly label: string;
  readonly change: Change;
  /** Whether the new weights are on the stage; else the old ones. */
  readonly shown: boolean;
  /** What could not be done as asked, and where. */
  readonly notes: readonly ProposalNote[];
}

/** The document that proposals are for. */
interface ProposalDocument {
  readonly id: string;
  readonly writer: Writer;
  readonly log: { commit(label: string, edit: Edit): void };
  apply(edit: Edit): void;
  applyInTurns(edit: Edit): Promise<void>;
  rebase(edit: Edit, numbers: JointNumbers): RebasedEdit;
  setShown(shown: Shown | undefined): void;
  dropShown(): Promise<boolean>;
  notify(sentence: string): void;
}

/**
 * What is on the stage before it is kept, one thing at a time. Nothing else may change weights meanwhile; edits of others
 * are taken in below it.
 */
export class Proposals {
  readonly #document: ProposalDocument;
  current: Proposal | undefined;

  constructor(document: ProposalDocument) {
    this.#document = document;
  }

  /**
   * Shows a change before it is kept, instead of what was shown before.
   *
   * @param isPassing whether it only lasts as long as a drag, and is not worth keeping over a reload
   */
  async propose(
    label: string,
    change: Change,
    { notes = [], isPassing = false }: { notes?: readonly ProposalNote[]; isPassing?: boolean } = {},
  ): Promise<void> {
    // Somebody who only looks would have something on the stage that cannot be kept.
    this.#document.writer.needOpen();
    return this.#document.writer.write(label, async () => {
      await this.#document.dropShown();
      const edit = editOf({ weights: change });
      if (isEmptyEdit(edit)) return;
      await this.#document.applyInTurns(edit);
      this.#set({ label, change, shown: true, notes });
      if (!isPassing) this.#store();
    });
  }

  /** Puts what an earlier visit had proposed onto the stage again. */
  async restore(): Promise<void> {
    const held = await proposalOf(this.#document.id);
    if (!held || this.#document.writer.closed !== undefined || (await isTabAlive(held.tab))) return;
    await this.take({ ...held, change: decodeWeights(held.change) });
  }

  /**
   * Puts what was proposed on an earlier visit, or elsewhere, on top of what has been done since.
   *
   * @returns what is on the stage now: this; another proposal, which is not decided yet; or nothing, as nothing is left of it
   */
  async take({
    label,
    change,
    notes,
  }: Pick<Proposal, 'label' | 'change' | 'notes'>): Promise<'this' | 'another' | 'nothing'> {
    this.#document.writer.needOpen();
    return this.#document.writer.write(label, async () => {
      if (this.current) return 'another';
      const { edit } = this.#document.rebase(editOf({ weights: change }), new Map());
      if (isEmptyEdit(edit)) return 'nothing';
      await this.#document.applyInTurns(edit);
      this.#set({ label, change: edit.weights, shown: true, notes });
      this.#store();
      return 'this';
    });
  }

  /** Looks at the new weights, or at the old ones again. */
  show(shown: boolean): Promise<void> {
    return this.#document.writer.write('A look at a proposal', () => this.#show(shown));
  }

  keep(): Promise<void> {
    return this.#document.writer.write('Keeping a proposal', async () => {
      await this.#show(true);
      if (!this.current) return;
      const { label, change } = this.current;
      this.#set(undefined);
      this.#document.log.commit(label, editOf({ weights: change }));
    });
  }

  /** @returns whether there was something */
  drop(): Promise<boolean> {
    return this.#document.writer.write('Dropping a proposal', () => this.#document.dropShown());
  }

  async #show(shown: boolean): Promise<void> {
    if (!this.current || this.current.shown === shown) return;
    const edit = this.#edit();
    await this.#document.applyInTurns(shown ? edit : invertEdit(edit));
    this.#set({ ...this.current, shown });
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

  /** Puts the proposal on top of what others did meanwhile. */
  #putBack(): void {
    const { current } = this;
    if (!current) return;
    const { edit } = this.#document.rebase(this.#edit(), new Map());
    if (isEmptyEdit(edit)) {
      this.#set(undefined);
      this.#document.notify(`“${current.label}” is dropped: others have done the same meanwhile.`);
      return;
    }
    if (current.shown) this.#document.apply(edit);
    this.#set({ ...current, change: edit.weights });
  }

  #store(): void {
    const { current } = this;
    if (!current) return;
    const { label, change, notes } = current;
    const bytes = encodeWeights(change);
    keepProposal({ character: this.#document.id, tab: THIS_TAB, label, change: bytes, notes }).catch(
      (error: unknown) =>
        this.#document.notify(
          `“${label}” will not outlast a reload: this browser keeps nothing (${messageOf(error)}).`,
        ),
    );
  }

  #set(proposal: Proposal | undefined): void {
    if (this.current && !proposal) dropProposal(this.#document.id, THIS_TAB).catch(() => undefined);
    this.current = proposal;
    this.#document.setShown(proposal && this.#asShown(proposal));
  }
}
