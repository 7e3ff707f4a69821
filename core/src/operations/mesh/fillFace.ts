/** A triangle the wrong way round counts as so much longer than the whole outline. */
const FLIPPED = 1000;

/**
 * Triangles that fill an outline of points: those with the shortest edges in all that do not fold over (the optimal triangulation
 * of Klincsek 1980, by dynamic programming).
 *
 * @param outline points, counter-clockwise
 * @returns three places of the outline a triangle
 */
export function fillFace(positions: Float32Array, outline: readonly number[]): number[] {
  const count = outline.length;
  if (count < 3) return [];
  if (count === 3) return [0, 1, 2];
  const normal = outlineNormal(positions, outline);
  const girth = outline.reduce((sum, p, i) => sum + distance(positions, p, outline[(i + 1) % count]), 0) || 1;
  const costs = new Float64Array(count * count);
  const splits = new Int32Array(count * count);
  for (let span = 2; span < count; span++)
    for (let i = 0; i + span < count; i++) {
      const k = i + span;
      costs[i * count + k] = Infinity;
      for (let j = i + 1; j < k; j++) {
        const isFlipped = facing(positions, outline[i], outline[j], outline[k], normal) <= 0;
        const cost =
          costs[i * count + j] +
          costs[j * count + k] +
          distance(positions, outline[i], outline[k]) +
          (isFlipped ? FLIPPED * girth : 0);
        if (!(cost < costs[i * count + k])) continue;
        costs[i * count + k] = cost;
        splits[i * count + k] = j;
      }
    }
  const triangles: number[] = [];
  const collect = (i: number, k: number): void => {
    if (k - i < 2) return;
    const j = splits[i * count + k];
    triangles.push(i, j, k);
    collect(i, j);
    collect(j, k);
  };
  collect(0, count - 1);
  return triangles;
}

/** Two triangles of an outline of four: a fan, so that they are one quad when quads are recovered. */
export function fillQuad(positions: Float32Array, outline: readonly number[]): number[] {
  const normal = outlineNormal(positions, outline);
  const [a, b, c, d] = outline;
  const worst = (first: number, second: number): number => Math.min(first, second);
  const straight = worst(facing(positions, a, b, c, normal), facing(positions, a, c, d, normal));
  const other = worst(facing(positions, b, c, d, normal), facing(positions, b, d, a, normal));
  const isOther =
    straight > 0 === other > 0
      ? distance(positions, b, d) < distance(positions, a, c) * 0.999
      : other > straight;
  return isOther ? [1, 2, 3, 1, 3, 0] : [0, 1, 2, 0, 2, 3];
}

/** Newell's normal: twice the outline's area, toward where it runs counter-clockwise. */
function outlineNormal(positions: Float32Array, outline: readonly number[]): readonly number[] {
  const normal = [0, 0, 0];
  outline.forEach((p, i) => {
    const [a, b] = [p * 3, outline[(i + 1) % outline.length] * 3];
    for (let k = 0; k < 3; k++) {
      const [u, v] = [(k + 1) % 3, (k + 2) % 3];
      normal[k] += (positions[a + u] - positions[b + u]) * (positions[a + v] + positions[b + v]);
    }
  });
  return normal;
}

function facing(positions: Float32Array, a: number, b: number, c: number, normal: readonly number[]): number {
  const [p, q, r] = [a * 3, b * 3, c * 3];
  let sum = 0;
  for (let k = 0; k < 3; k++) {
    const [u, v] = [(k + 1) % 3, (k + 2) % 3];
    sum +=
      normal[k] *
      ((positions[q + u] - positions[p + u]) * (positions[r + v] - positions[p + v]) -
        (positions[q + v] - positions[p + v]) * (positions[r + u] - positions[p + u]));
  }
  return sum;
}

const distance = (positions: Float32Array, a: number, b: number): number =>
  Math.hypot(
    positions[a * 3] - positions[b * 3],
    positions[a * 3 + 1] - positions[b * 3 + 1],
    positions[a * 3 + 2] - positions[b * 3 + 2],
  );
