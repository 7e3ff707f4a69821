import type { CharacterSession } from './CharacterSession.ts';
import { hiddenMask } from './pieces.ts';

/** Which parts, pieces and points are drawn. What is hidden is not painted, selected or bound either. */
export class Showing {
  readonly #session: CharacterSession;

  constructor(session: CharacterSession) {
    this.#session = session;
    for (const part of session.parts) part.hidden = hiddenMask(session, part.index);
  }

  setVisible(part: number, visible: boolean): void {
    this.#session.parts[part].visible = visible;
    this.#session.partsChanged();
  }

  /** Shows one part alone; a second time, all of them. */
  isolate(part: number): void {
    const { parts } = this.#session;
    const alone = parts.every(({ visible, index }) => visible === (index === part));
    for (const each of parts) each.visible = alone || each.index === part;
    this.#session.partsChanged();
  }

  /** Hides points, with whatever is hidden already. */
  hide(points: ReadonlyMap<number, Uint32Array>): void {
    for (const [part, list] of points) {
      const { hidden, part: held } = this.#session.parts[part];
      const mask = hidden?.slice() ?? new Uint8Array(held.pointCount);
      for (const p of list) mask[p] = 1;
      this.#session.parts[part].hidden = mask;
    }
    this.#session.selection.dropHidden();
    this.#session.partsChanged();
  }

  /** Shows hidden points again; pieces that are hidden stay so. */
  showAll(): void {
    for (const part of this.#session.parts) part.hidden = hiddenMask(this.#session, part.index);
    this.#session.partsChanged();
  }

  /** Pieces of a part were split off, joined, shown or hidden. */
  piecesChanged(part: number): void {
    this.#session.parts[part].hidden = hiddenMask(this.#session, part);
    this.#session.selection.dropHidden();
    this.#session.partsChanged();
  }
}
