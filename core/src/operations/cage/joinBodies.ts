import { joinFloats } from '../../memory/joinFloats.ts';
import type { DriverSurface } from '../../deform/follow/anchors.ts';
import { createRows, type WeightRows } from '../../weights/rows.ts';

/** A part that a cage goes about, where the joints bind it, and its weights. */
export interface HeldBody {
  readonly surface: DriverSurface;
  readonly rows: WeightRows;
}

/** Several bodies as one, with as much room for weights as any of them has. */
export function joinBodies(bodies: readonly HeldBody[]): HeldBody {
  if (bodies.length === 1) return bodies[0];
  const starts: number[] = [];
  let count = 0;
  for (const { rows } of bodies) {
    starts.push(count);
    count += rows.pointCount;
  }
  const surfaces = bodies.map(({ surface }) => surface);
  return {
    surface: {
      positions: joinFloats(surfaces.map(({ positions }) => positions)),
      normals: joinFloats(surfaces.map(({ normals }) => normals)),
      triangles: shifted(
        surfaces.map(({ triangles }) => triangles),
        starts,
      ),
      neighbours: {
        offsets: joinedOffsets(surfaces.map(({ neighbours }) => neighbours.offsets)),
        points: shifted(
          surfaces.map(({ neighbours }) => neighbours.points),
          starts,
        ),
      },
    },
    rows: joinedRows(
      bodies.map(({ rows }) => rows),
      starts,
      count,
    ),
  };
}

function shifted(arrays: readonly Uint32Array[], starts: readonly number[]): Uint32Array {
  const all = new Uint32Array(arrays.reduce((sum, { length }) => sum + length, 0));
  let at = 0;
  arrays.forEach((own, i) => {
    for (const p of own) all[at++] = p + starts[i];
  });
  return all;
}

/** Where each point's neighbours begin, and behind the last one where they end. */
function joinedOffsets(arrays: readonly Uint32Array[]): Uint32Array {
  const all: number[] = [];
  let before = 0;
  for (const own of arrays) {
    for (let p = 0; p + 1 < own.length; p++) all.push(own[p] + before);
    before += own[own.length - 1];
  }
  return Uint32Array.from([...all, before]);
}

function joinedRows(all: readonly WeightRows[], starts: readonly number[], count: number): WeightRows {
  const stride = Math.max(...all.map((own) => own.stride));
  const out = createRows(count, stride);
  all.forEach((own, i) => {
    for (let p = 0; p < own.pointCount; p++)
      for (let k = 0; k < own.stride; k++) {
        out.joints[(starts[i] + p) * stride + k] = own.joints[p * own.stride + k];
        out.values[(starts[i] + p) * stride + k] = own.values[p * own.stride + k];
      }
  });
  return out;
}
