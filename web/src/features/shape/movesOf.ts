import type { ScenePart } from '../../scene/ScenePart.ts';
import type { ShapeMode } from '../../settings/uiSettings.ts';

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
  mode: Exclude<ShapeMode, 'drag'>,
  { skin: { positions, normals }, paint: { neighbours } }: Pick<ScenePart, 'skin' | 'paint'>,
  { points, count, amounts }: Dab,
  strength: number,
  centre: readonly [number, number, number],
  radius: number,
): Float64Array {
  const moves = new Float64Array(count * 3);
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
