import { grouped } from '../../math/grouped.ts';
import type { BindMethod, BindReport, FallbackReason } from './bindRequest.ts';

export const BIND_WORDS: Readonly<Record<BindMethod, string>> = {
  volume: 'Bind by volume',
  heat: 'Bind by heat',
  nearest: 'Bind by nearest bone',
};

const WHY: Readonly<Record<FallbackReason, string>> = {
  'no-bone-seen': 'no bone is seen from there, so they are bound through the inside',
  'no-solution': 'heat found no solution there, so they are bound through the inside',
  'no-way-inside': 'no bone gets there through the inside, so they follow the nearest surface',
};

/** Something that a binding could not do as asked, and where. */
export interface BindNote {
  readonly words: string;
  readonly part?: number;
  readonly points?: Uint32Array;
}

/** What a binding could not do as asked, in sentences. */
export function bindNotes(
  { fallbacks, held }: Pick<BindReport, 'fallbacks' | 'held'>,
  partName: (part: number) => string,
): BindNote[] {
  const notes: BindNote[] = fallbacks.map(({ part, points, why }) => ({
    words: `“${partName(part)}”, ${countWords(points.length)}: ${WHY[why]}.`,
    part,
    points,
  }));
  if (held > 0)
    notes.push({
      words:
        held === 1
          ? '1 point stays as it was: locked joints leave it no room.'
          : `${grouped(held)} points stay as they were: locked joints leave them no room.`,
    });
  return notes;
}

const countWords = (points: number): string => `${grouped(points)} ${points === 1 ? 'point' : 'points'}`;
