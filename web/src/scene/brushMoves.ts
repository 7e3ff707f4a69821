import type { ScenePart } from './ScenePart.ts';

/** What a brush does to the places of points. */
export type BrushMove = 'out' | 'in' | 'even' | 'pinch' | 'flatten';

/** How far a full dab goes out or in, as a share of its radius. */
const STEP = 0.12;
/** How much nearer to the middle a full dab pinches. */
const PINCH = 0.25;

interface Dab {
  readonly points: Uint32Array;
  readonly count: number;
  readonly amounts: Float32Array;
}

/** Where a dab wants its points, as moves from where they are. @returns Float64Array, 3 a point of the dab, scene space */
export function movesOf(
  mode: BrushMove,
  { skin: { positions, normals }, paint: { neighbours } }: Pick<ScenePart, 'skin' | 'paint'>,
  { points, count, amounts }: Dab,
  strength: number,
  centre: readonly [number, number, number],
  radius: number,
): Float64Array {
  const moves = new Float64Array(count * 3);
  if (mode === 'flatten') {
    flatten({ points, count, amounts }, positions, normals, strength, moves);
    return moves;
  }
  for (let i = 0; i < count; i++) {
    const p = points[i] * 3;
    const amount = strength * amounts[i];
    const way = amount * STEP * radius * (mode === 'in' ? -1 : 1);
    if (mode === 'out' || mode === 'in') for (let k = 0; k < 3; k++) moves[i * 3 + k] = way * normals[p + k];
    else if (mode === 'even') evenOut(points[i], neighbours, positions, amount, moves, i * 3);
    else pinch(positions, normals, p, centre, PINCH * amount, moves, i * 3);
  }
  return moves;
}

/** Toward the middle of the neighbours. */
function evenOut(
  point: number,
  { offsets, points }: ScenePart['paint']['neighbours'],
  positions: Float32Array,
  amount: number,
  moves: Float64Array,
  at: number,
): void {
  const [from, to] = [offsets[point], offsets[point + 1]];
  if (from === to) return;
  for (let k = 0; k < 3; k++) {
    let sum = 0;
    for (let e = from; e < to; e++) sum += positions[points[e] * 3 + k];
    moves[at + k] = amount * (sum / (to - from) - positions[point * 3 + k]);
  }
}

/** Onto the plane through the middle of the dab, across it. Points count by their amounts. */
function flatten(
  { points, count, amounts }: Dab,
  positions: Float32Array,
  normals: Float32Array,
  strength: number,
  moves: Float64Array,
): void {
  const [middle, normal] = [new Float64Array(3), new Float64Array(3)];
  let all = 0;
  for (let i = 0; i < count; i++) {
    all += amounts[i];
    for (let k = 0; k < 3; k++) {
      middle[k] += amounts[i] * positions[points[i] * 3 + k];
      normal[k] += amounts[i] * normals[points[i] * 3 + k];
    }
  }
  const length = Math.hypot(...normal);
  if (!(length > 0)) return;
  for (let i = 0; i < count; i++) {
    let height = 0;
    for (let k = 0; k < 3; k++)
      height += ((middle[k] / all - positions[points[i] * 3 + k]) * normal[k]) / length;
    const share = Math.min(1, strength * amounts[i]);
    for (let k = 0; k < 3; k++) moves[i * 3 + k] = (share * height * normal[k]) / length;
  }
}

/** Toward the middle of the dab, along the surface. */
function pinch(
  positions: Float32Array,
  normals: Float32Array,
  p: number,
  centre: readonly number[],
  amount: number,
  moves: Float64Array,
  at: number,
): void {
  let up = 0;
  for (let k = 0; k < 3; k++) up += (centre[k] - positions[p + k]) * normals[p + k];
  for (let k = 0; k < 3; k++) moves[at + k] = amount * (centre[k] - positions[p + k] - up * normals[p + k]);
}
