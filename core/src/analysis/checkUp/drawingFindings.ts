import { anchorsOfPoints } from '../../drawing/index.ts';
import type { CheckInput } from '../../document/checkInput.ts';
import { counted, type Finding } from '../../document/finding.ts';
import { influenceCount, weightOf, type WeightRows } from '../../weights/rows.ts';

/** A handle whose weights differ from its anchor's by more than this is apart from it. */
const APART = 0.25;

/** Handles that do not go along with their anchor: the curve bulges or folds there in a bend. */
export function findHandlesApart({ parts, rows, drawing }: CheckInput): Finding[] {
  return (drawing?.layers ?? []).flatMap((layer, part): Finding[] => {
    const { name, vertexPoint, pointCount } = parts[part];
    const anchors = anchorsOfPoints(layer, vertexPoint, pointCount);
    const points = Uint32Array.from(anchors.keys()).filter(
      (p) => anchors[p] !== p && rowDifference(rows[part], p, anchors[p]) > APART,
    );
    if (points.length === 0) return [];
    return [
      {
        code: 'handles-apart',
        severity: 'warning',
        part,
        count: points.length,
        points,
        message: `On “${name}”, ${counted(points.length, 'handle follows', 'handles follow')} other joints than the anchor.`,
        repair: `${counted(points.length, 'handle gets', 'handles get')} the weights of their anchors.`,
      },
    ];
  });
}

/** Half the summed difference of two points' rows; none where one of them has no weight. */
function rowDifference(rows: WeightRows, p: number, q: number): number {
  if (influenceCount(rows, p) === 0 || influenceCount(rows, q) === 0) return 0;
  let alike = 0;
  for (let k = p * rows.stride; k < (p + 1) * rows.stride && rows.values[k] !== 0; k++)
    alike += Math.min(rows.values[k], weightOf(rows, q, rows.joints[k]));
  return 1 - alike;
}
