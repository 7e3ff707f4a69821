import { type BrushSettings, createPaintWorkspace } from '@judoka/core/operations/paint';
import { PLAIN_MEMORY } from '@judoka/core/memory';
import { createRows } from '@judoka/core/weights';
import { Events } from '../../document/events.ts';
import { maskAmounts, type NamedMask } from '../../document/SavedItems.ts';
import type { WriteTurn } from '../../document/Writer.ts';
import type { Editing } from '../../scene/Editing.ts';
import { type MaskedPart, putRow } from './maskRows.ts';
import { MaskRun } from './MaskRun.ts';
import type { StrokeMirror } from './StrokeRun.ts';

/** The mask that is painted instead of weights, with the same brushes; every stroke is an edit. */
export class MaskPainting {
  readonly events = new Events<'changed'>();
  readonly #at: Editing;
  readonly #mirror: StrokeMirror;
  readonly #end: () => void;
  #current: NamedMask | undefined;
  #parts: readonly MaskedPart[] = [];
  #stroke: MaskRun | undefined;
  /** Held by a stroke, and until what it made is kept: an undo meanwhile waits for it. */
  #turn: WriteTurn | undefined;
  #users = 0;

  constructor(at: Editing, mirror: StrokeMirror) {
    this.#at = at;
    this.#mirror = mirror;
    this.#end = at.document.events.subscribe('values', () => this.#follow());
  }

  close(): void {
    this.#end();
  }

  /** The one that is painted. */
  get current(): NamedMask | undefined {
    return this.#current;
  }

  /** By part, what is drawn of it. */
  get amounts(): Float32Array[] {
    return this.#parts.map(({ amounts }) => amounts);
  }

  start(id: string): void {
    const mask = this.#at.document.saved.masks.find((each) => each.id === id);
    if (mask) this.#take(mask);
  }

  stop(): void {
    this.#current = undefined;
    this.#parts = [];
    this.events.publish('changed');
  }

  /** Undone, or changed by somebody else. */
  #follow(): void {
    if (!this.#current || this.#stroke) return;
    const now = this.#at.document.saved.masks.find(({ id }) => id === this.#current?.id);
    if (!now && !this.#at.document.settings.masks.some(({ id }) => id === this.#current?.id)) this.stop();
    else if (now && now.attachment !== this.#current.attachment) this.#take(now);
    else if (now && now.name !== this.#current.name) {
      this.#current = now;
      this.events.publish('changed');
    }
  }

  #take(mask: NamedMask): void {
    this.#current = mask;
    this.#parts = this.#at.scene.parts.map(({ index, part, paint }) => {
      const amounts = maskAmounts(mask, index, part).slice();
      const rows = createRows(part.pointCount, 2);
      amounts.forEach((amount, p) => putRow(rows, p, amount));
      return {
        ...{ rows, amounts },
        workspace: createPaintWorkspace(PLAIN_MEMORY, part.pointCount, rows.stride, paint.neighbours),
      };
    });
    this.events.publish('changed');
  }

  #hold(): void {
    this.#turn ??= this.#at.document.writer.begin('A stroke');
    this.#users++;
  }

  #letGo(): void {
    if (--this.#users > 0) return;
    this.#turn?.end();
    this.#turn = undefined;
  }

  /** @throws Error if somebody else writes, or the mirror cannot be followed */
  begin(settings: Omit<BrushSettings, 'joint'>): MaskRun {
    this.#at.document.settle();
    this.#hold();
    try {
      this.#stroke = new MaskRun(this.#at, this.#mirror, this.#parts, settings, () => this.#drawn());
      return this.#stroke;
    } catch (error) {
      this.#letGo();
      throw error;
    }
  }

  #drawn(): void {
    this.#at.scene.setAmounts(this.amounts);
  }

  /** Ends the stroke: one edit. */
  end(label: string): void {
    const run = this.#stroke;
    this.#stroke = undefined;
    if (!run) return;
    if (run.changed) this.#keep(label);
    this.#letGo();
  }

  /** Every point's amount anew. @param amountOf by part and point: what it is now → what it should be */
  change(label: string, amountOf: (part: number, point: number, amount: number) => number): void {
    this.#hold();
    this.#parts.forEach(({ rows, amounts }, part) =>
      amounts.forEach((amount, p) => {
        amounts[p] = Math.min(1, Math.max(0, amountOf(part, p, amount)));
        putRow(rows, p, amounts[p]);
      }),
    );
    this.#drawn();
    this.#keep(label);
    this.#letGo();
  }

  #keep(label: string): void {
    const { current } = this;
    if (!current) return;
    const amounts = new Map(this.#parts.map((part, index) => [index, part.amounts.slice()]));
    this.#hold();
    this.#at.document.saved
      .changeMask(current.id, `${label}, mask ${current.name}`, amounts)
      .then(() => {
        const now = this.#at.document.saved.masks.find(({ id }) => id === current.id);
        // What is drawn is this already.
        if (now && this.#current?.id === now.id) this.#current = now;
      })
      .catch(this.#at.document.notifyError)
      .finally(() => this.#letGo());
  }
}
