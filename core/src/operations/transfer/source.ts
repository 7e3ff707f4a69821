import { boundPositions } from '../../document/space/boundSpace.ts';
import { jointPlaces } from '../../document/space/bindSpace.ts';
import type { CharacterPart } from '../../document/character.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { influenceCount, type WeightRows } from '../../weights/rows.ts';

/** A surface with weights that others are taken from; in its own bound space. */
export interface SourcePart {
  readonly name: string;
  /** Float32Array, 3·pointCount. */
  readonly positions: Float32Array;
  readonly triangles: Uint32Array;
  readonly rows: WeightRows;
}

export interface TransferSource {
  readonly skeleton: Skeleton;
  /** Where its joints stood when it was bound: Float32Array, 3·jointCount. */
  readonly places: Float32Array;
  /** Parts that have weights. */
  readonly parts: readonly SourcePart[];
}

/** A character as something to take weights from: its parts that have any, of those that are listed. */
export function readSource(
  character: { readonly skeleton: Skeleton; readonly parts: readonly CharacterPart[] },
  rowsOfPart: readonly WeightRows[],
  listed: readonly number[] = character.parts.map((_, part) => part),
): TransferSource {
  const { skeleton, parts } = character;
  const hasWeight = (rows: WeightRows): boolean => {
    for (let p = 0; p < rows.pointCount; p++) if (influenceCount(rows, p) > 0) return true;
    return false;
  };
  return {
    skeleton,
    places: parts.length > 0 ? jointPlaces(skeleton, parts) : new Float32Array(skeleton.joints.length * 3),
    parts: listed
      .filter((part) => parts[part].role === 'skinned' && hasWeight(rowsOfPart[part]))
      .map((part) => ({
        name: parts[part].name,
        positions: boundPositions(parts[part]),
        triangles: parts[part].triangles,
        rows: rowsOfPart[part],
      })),
  };
}
