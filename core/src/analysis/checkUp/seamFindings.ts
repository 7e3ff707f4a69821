import type { CheckInput } from '../../document/checkInput.ts';
import { counted, type Finding } from '../../document/finding.ts';
import { seamDifference, seamsAsCame } from '../../document/seamWeights.ts';

/** Places where a file's vertices disagree, as long as nobody has put one row for all of them. */
export function findSeams({ parts, rows, cameRows, sourceWeights }: CheckInput): Finding[] {
  return parts.flatMap(({ name, vertexPoint }, part): Finding[] => {
    const { seams } = sourceWeights[part];
    const points = seamsAsCame(seams, rows[part], cameRows[part]);
    if (points.length === 0) return [];
    const most = seamDifference(seams, vertexPoint);
    return [
      {
        code: 'seams-disagree',
        severity: 'warning',
        part,
        count: points.length,
        points,
        message: `On “${name}”, the vertices of ${counted(points.length, 'point')} have different weights, by up to ${most.toPrecision(2)}.`,
        repair: `${counted(points.length, 'point gets', 'points get')} the mean of their vertices; until then they leave as they came.`,
        safe: true,
      },
    ];
  });
}
