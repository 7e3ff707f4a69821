import type { BindSpace } from '@judoka/core/document';
import type { Skeleton } from '@judoka/core/skeleton';

/** The three textbook bindings that ours are held against. Dense: Float64Array, jointCount·pointCount. */
export interface Baselines {
  rigid: Float64Array;
  inverse: Float64Array;
  heat: Float64Array;
}

/**
 * Nearest bone rigidly; inverse distance to the fourth, four largest; plain heat diffusion without visibility.
 * Bones run from each used joint to its children; a leaf is a point.
 */
export function baselines(
  space: BindSpace,
  skeleton: Skeleton,
  places: Float32Array,
  used: readonly boolean[],
): Baselines {
  const jointCount = skeleton.joints.length;
  const squared = squaredDistances(space, skeleton, places, used);
  const { pointCount } = space;
  const rigid = new Float64Array(jointCount * pointCount);
  const inverse = new Float64Array(jointCount * pointCount);
  const nearest = new Int32Array(pointCount);
  for (let p = 0; p < pointCount; p++) {
    const row = squared.subarray(p * jointCount, (p + 1) * jointCount);
    const order = [...row.keys()].sort((a, b) => row[a] - row[b]).filter((j) => row[j] < Infinity);
    nearest[p] = order[0];
    rigid[p * jointCount + order[0]] = 1;
    const shares = order.slice(0, 4).map((j) => 1 / Math.max(row[j] * row[j], 1e-20));
    const sum = shares.reduce((total, share) => total + share, 0);
    shares.forEach((share, k) => (inverse[p * jointCount + order[k]] = share / sum));
  }
  return { rigid, inverse, heat: heat(space, squared, nearest, jointCount) };
}

function squaredDistances(
  { positions, pointCount }: BindSpace,
  { joints }: Skeleton,
  places: Float32Array,
  used: readonly boolean[],
): Float64Array {
  const squared = new Float64Array(joints.length * pointCount).fill(Infinity);
  joints.forEach((_, joint) => {
    if (!used[joint]) return;
    const children = joints.flatMap(({ parent }, child) => (parent === joint ? [child] : []));
    for (const end of children.length > 0 ? children : [joint]) {
      const from = places.subarray(joint * 3, joint * 3 + 3);
      const way = [0, 1, 2].map((k) => places[end * 3 + k] - from[k]);
      const length = way.reduce((sum, x) => sum + x * x, 0);
      for (let p = 0; p < pointCount; p++) {
        const to = [0, 1, 2].map((k) => positions[p * 3 + k] - from[k]);
        const along = length > 0 ? way.reduce((sum, x, k) => sum + x * to[k], 0) / length : 0;
        const t = Math.max(0, Math.min(1, along));
        const far = to.reduce((sum, x, k) => sum + (x - way[k] * t) ** 2, 0);
        const at = p * joints.length + joint;
        if (far < squared[at]) squared[at] = far;
      }
    }
  });
  return squared;
}

/** (L + M·H) w = M·H p by conjugate gradients with the diagonal as preconditioner. */
function heat(
  { positions, triangles, pointCount }: BindSpace,
  squared: Float64Array,
  nearest: Int32Array,
  jointCount: number,
): Float64Array {
  const edges: Map<number, number>[] = Array.from({ length: pointCount }, () => new Map<number, number>());
  const areas = new Float64Array(pointCount);
  for (let t = 0; t < triangles.length; t += 3) {
    for (let k = 0; k < 3; k++) {
      const [a, b, c] = [triangles[t + k], triangles[t + ((k + 1) % 3)], triangles[t + ((k + 2) % 3)]];
      const u = [0, 1, 2].map((i) => positions[a * 3 + i] - positions[c * 3 + i]);
      const v = [0, 1, 2].map((i) => positions[b * 3 + i] - positions[c * 3 + i]);
      const across = Math.hypot(
        u[1] * v[2] - u[2] * v[1],
        u[2] * v[0] - u[0] * v[2],
        u[0] * v[1] - u[1] * v[0],
      );
      if (!(across > 0)) continue;
      const half = Math.max(0, u.reduce((sum, x, i) => sum + x * v[i], 0) / across / 2);
      edges[a].set(b, (edges[a].get(b) ?? 0) + half);
      edges[b].set(a, (edges[b].get(a) ?? 0) + half);
      areas[c] += across / 6;
    }
  }
  const pull = Float64Array.from(
    nearest,
    (joint, p) => (areas[p] || 1e-12) / Math.max(squared[p * jointCount + joint], 1e-12),
  );
  const diagonal = pull.map((h, p) => h + [...edges[p].values()].reduce((sum, x) => sum + x, 0));
  const apply = (x: Float64Array, out: Float64Array): void => {
    for (let p = 0; p < pointCount; p++) {
      let sum = diagonal[p] * x[p];
      for (const [n, value] of edges[p]) sum -= value * x[n];
      out[p] = sum;
    }
  };
  const weights = new Float64Array(jointCount * pointCount);
  for (const joint of new Set(nearest)) {
    const x = solve(
      apply,
      diagonal,
      pull.map((h, p) => (nearest[p] === joint ? h : 0)),
    );
    for (let p = 0; p < pointCount; p++) weights[p * jointCount + joint] = Math.max(0, x[p]);
  }
  for (let p = 0; p < pointCount; p++) {
    const row = weights.subarray(p * jointCount, (p + 1) * jointCount);
    const sum = row.reduce((total, w) => total + w, 0);
    if (sum > 0) row.forEach((w, j) => (row[j] = w / sum));
  }
  return weights;
}

function solve(
  apply: (x: Float64Array, out: Float64Array) => void,
  diagonal: Float64Array,
  side: Float64Array,
): Float64Array {
  const x = new Float64Array(side.length);
  const rest = side.slice();
  const conditioned = rest.map((r, i) => r / diagonal[i]);
  const way = conditioned.slice();
  const image = new Float64Array(side.length);
  let rho = rest.reduce((sum, r, i) => sum + r * conditioned[i], 0);
  const enough = rho * 1e-12;
  for (let round = 0; round < 3000 && rho > enough; round++) {
    apply(way, image);
    const step = rho / way.reduce((sum, w, i) => sum + w * image[i], 0);
    for (let i = 0; i < x.length; i++) {
      x[i] += step * way[i];
      rest[i] -= step * image[i];
      conditioned[i] = rest[i] / diagonal[i];
    }
    const next = rest.reduce((sum, r, i) => sum + r * conditioned[i], 0);
    for (let i = 0; i < x.length; i++) way[i] = conditioned[i] + (next / rho) * way[i];
    rho = next;
  }
  return x;
}
