import type { PartPiece } from '@judoka/core/document';
import { pointsTakenOut } from '@judoka/core/drawing';
import { islandsOfMask, maskOf, type PointMask } from '@judoka/core/mesh';
import type { OpenDocument } from '../document/OpenDocument.ts';
import type { ScenePart } from './ScenePart.ts';
import type { Selection } from './Selection.ts';

/** The points of a piece: all islands that its seeds lie on. */
export function maskOfPiece({ part, paint }: ScenePart, seeds: PartPiece['seeds']): PointMask {
  const known = seeds.filter((seed) => seed < part.pointCount);
  return islandsOfMask(paint.neighbours, maskOf(known, part.pointCount));
}

/**
 * Which parts, pieces and points are drawn. What is hidden is not painted, selected or bound either. It is the person's,
 * not the document's: pieces that are hidden stay so in this browser.
 */
export class Visibility {
  readonly #document: Pick<OpenDocument, 'id' | 'settings' | 'events'>;
  readonly #parts: readonly ScenePart[];
  readonly #selection: Selection;
  readonly #onChange: () => void;
  readonly #hiddenPieces: Set<string>;
  #pieces: OpenDocument['settings']['pieces'];

  constructor(
    document: Pick<OpenDocument, 'id' | 'settings' | 'events'>,
    parts: readonly ScenePart[],
    selection: Selection,
    onChange: () => void,
  ) {
    this.#document = document;
    this.#parts = parts;
    this.#selection = selection;
    this.#onChange = onChange;
    this.#hiddenPieces = new Set(restoredPieces(document.id));
    this.#pieces = document.settings.pieces;
    for (const part of parts) part.hidden = this.#hiddenMask(part);
    document.events.subscribe('values', () => this.#piecesChanged());
  }

  setVisible(part: number, visible: boolean): void {
    this.#parts[part].visible = visible;
    this.#onChange();
  }

  /** Shows one part alone; a second time, all of them. */
  isolate(part: number): void {
    const alone = this.#parts.every(({ visible, index }) => visible === (index === part));
    for (const each of this.#parts) each.visible = alone || each.index === part;
    this.#onChange();
  }

  isPieceVisible(id: string): boolean {
    return !this.#hiddenPieces.has(id);
  }

  setPieceVisible(part: number, id: string, visible: boolean): void {
    if (visible) this.#hiddenPieces.delete(id);
    else this.#hiddenPieces.add(id);
    storePieces(this.#document.id, this.#hiddenPieces);
    this.#parts[part].hidden = this.#hiddenMask(this.#parts[part]);
    this.#selection.dropHidden();
    this.#onChange();
  }

  /** Hides points, with whatever is hidden already. */
  hide(points: ReadonlyMap<number, Uint32Array>): void {
    for (const [part, list] of points) {
      const { hidden, part: held } = this.#parts[part];
      const mask = hidden?.slice() ?? new Uint8Array(held.pointCount);
      for (const p of list) mask[p] = 1;
      this.#parts[part].hidden = mask;
    }
    this.#selection.dropHidden();
    this.#onChange();
  }

  /** Shows hidden points again; pieces that are hidden stay so. */
  showAll(): void {
    for (const part of this.#parts) part.hidden = this.#hiddenMask(part);
    this.#onChange();
  }

  /** Pieces were split off, or joined again. */
  #piecesChanged(): void {
    const { pieces } = this.#document.settings;
    const [before, now] = [this.#pieces, pieces].map((all) => JSON.stringify(all));
    this.#pieces = pieces;
    if (before === now) return;
    for (const part of this.#parts) part.hidden = this.#hiddenMask(part);
    this.#selection.dropHidden();
    this.#onChange();
  }

  /** Points of a part in pieces that are hidden, and those that were taken out of a drawing; undefined where none is. */
  #hiddenMask(part: ScenePart): PointMask | undefined {
    const out = part.anchors && pointsTakenOut(part.part.vertexPoint, part.part.pointCount);
    const pieces = this.#hiddenPiecesOf(part);
    if (!out || !pieces) return out ?? pieces;
    return out.map((own, p) => own | pieces[p]);
  }

  #hiddenPiecesOf(part: ScenePart): PointMask | undefined {
    const pieces = this.#document.settings.pieces[part.index] ?? [];
    const hidden = pieces.filter(({ id }) => this.#hiddenPieces.has(id));
    if (hidden.length === 0) return undefined;
    return maskOfPiece(
      part,
      hidden.flatMap(({ seeds }) => seeds),
    );
  }
}

const keyOf = (character: string): string => `judoka.hiddenPieces.${character}`;

function restoredPieces(character: string): string[] {
  try {
    const held: unknown = JSON.parse(localStorage.getItem(keyOf(character)) ?? '[]');
    return Array.isArray(held) ? held.filter((id) => typeof id === 'string') : [];
  } catch {
    return [];
  }
}

function storePieces(character: string, pieces: ReadonlySet<string>): void {
  try {
    localStorage.setItem(keyOf(character), JSON.stringify([...pieces]));
  } catch {
    // A browser that keeps nothing forgets what was hidden; no more is lost.
  }
}
