import type { CharacterPart } from '@judoka/core/document';
import { copyRows, type WeightRows } from '@judoka/core/weights';

interface PartNow {
  readonly part: Pick<CharacterPart, 'role'>;
  readonly rows: WeightRows;
}

/** Rows of another time or file, one for each part of now: a cage that was not there, or was another one, has those of now. */
export const rowsOfParts = (parts: readonly PartNow[], rows: readonly WeightRows[]): readonly WeightRows[] =>
  parts.map(({ part, rows: now }, i) => {
    const then = rows.at(i);
    return then && (part.role !== 'cage' || then.pointCount === now.pointCount) ? then : copyRows(now);
  });
