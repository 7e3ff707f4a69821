import { edgeIn, type FaceMap } from './FaceMap.ts';

/** Edges across a row of quads, in order; each runs the same way across. */
export interface QuadRing {
  readonly rungs: readonly (readonly [number, number])[];
  /** Whether the last quad leads back to the first edge. */
  readonly isClosed: boolean;
  /** Whether it would pass a polygon twice: no loop can be put along it. */
  readonly crosses: boolean;
}

/**
 * The row of quads that an edge stands across: from each quad out by the opposite side, until it closes, or meets a border, a polygon
 * that is no quad, or an edge on which more than two lie.
 */
export function quadRing(faces: FaceMap, a: number, b: number): QuadRing {
  const seen = new Set<number>();
  const walk = (from: readonly [number, number], into: number | undefined) => {
    const rungs: (readonly [number, number])[] = [];
    let [edge, id] = [from, into];
    while (id !== undefined) {
      const points = faces.pointsOf(id);
      if (points.length !== 4) return { rungs, end: 'stopped' as const };
      if (seen.has(id)) return { rungs, end: 'crossed' as const };
      seen.add(id);
      edge = across(points, edge);
      if ((edge[0] === a && edge[1] === b) || (edge[0] === b && edge[1] === a))
        return { rungs, end: edge[0] === a ? ('closed' as const) : ('crossed' as const) };
      rungs.push(edge);
      const beyond = faces.on(...edge).filter((other) => other !== id);
      id = beyond.length === 1 ? beyond[0] : undefined;
    }
    return { rungs, end: 'stopped' as const };
  };
  const sides = faces.on(a, b);
  const [one, other] = sides.length <= 2 ? sides : [];
  const ahead = walk([a, b], one);
  if (ahead.end === 'closed') return { rungs: [[a, b], ...ahead.rungs], isClosed: true, crosses: false };
  const back = ahead.end === 'crossed' ? ahead : walk([a, b], other);
  return {
    rungs: [...[...back.rungs].reverse(), [a, b], ...ahead.rungs],
    isClosed: false,
    crosses: ahead.end === 'crossed' || back.end === 'crossed',
  };
}

/** A quad's side opposite an edge, running the same way across. */
function across(points: readonly number[], [a, b]: readonly [number, number]): readonly [number, number] {
  const at = edgeIn(points, a, b);
  const [next, last] = [points[(at + 2) % 4], points[(at + 3) % 4]];
  return points[at] === a ? [last, next] : [next, last];
}
