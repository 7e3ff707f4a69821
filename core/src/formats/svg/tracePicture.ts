import { contours } from 'd3-contour';

/** A picture is looked at in at most so many cells a side. */
const CELLS = 160;
/** Clear cells around a picture: they close every outline. */
const RIM = 2;
/** What has less than this much opacity is not seen. */
const SEEN = 0.06;
/** Islands and holes smaller than this share of the largest island are passed over. */
const SMALL = 0.01;
/** The outline leaves what is seen by at most this many cells, and has an anchor at least every so many. */
const TOLERANCE = 0.7;
const SPACING = 14;

type Ring = [number, number][];

/**
 * The outlines of what is seen of a picture, holes too: closed rings of places in pixels, from its opacities by marching
 * squares (Lorensen & Cline 1987) and made simple by the way of Ramer (1972) and Douglas & Peucker (1973).
 *
 * @param alpha 0..1 a pixel, row by row; undefined for a picture that is solid
 */
export function tracePicture(width: number, height: number, alpha: ArrayLike<number> | undefined): Ring[] {
  const step = Math.max(1, Math.ceil(Math.max(width, height) / CELLS));
  if (!alpha) return [withAnchors(boxOf(width, height), SPACING * step)];
  const [columns, rows] = [width, height].map((length) => Math.ceil(length / step) + 2 * RIM);
  const cells = new Float64Array(columns * rows);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const cell = (Math.floor(y / step) + RIM) * columns + Math.floor(x / step) + RIM;
      cells[cell] = Math.max(cells[cell], alpha[y * width + x]);
    }
  const [{ coordinates }] = contours().size([columns, rows]).thresholds([SEEN])([...widened(cells, columns)]);
  const rings = coordinates.flat().map((ring) => ring.slice(0, -1).map(([x, y]): [number, number] => [x, y]));
  const largest = Math.max(0, ...rings.map((ring) => Math.abs(areaOf(ring))));
  return rings
    .filter((ring) => Math.abs(areaOf(ring)) >= SMALL * largest)
    .map((ring) =>
      withAnchors(
        simplified(ring, TOLERANCE).map(([x, y]): [number, number] => [(x - RIM) * step, (y - RIM) * step]),
        SPACING * step,
      ),
    )
    .filter(({ length }) => length >= 3);
}

/** Each cell as the most of it and its neighbours: simple outlines then cut nothing off. */
function widened(cells: Float64Array, columns: number): Float64Array {
  return cells.map((own, k) => {
    let most = own;
    for (const dy of [-columns, 0, columns])
      for (const dx of [-1, 0, 1]) most = Math.max(most, cells[k + dy + dx] ?? 0);
    return most;
  });
}

const boxOf = (width: number, height: number): Ring => [
  [0, 0],
  [width, 0],
  [width, height],
  [0, height],
];

function areaOf(ring: Ring): number {
  let sum = 0;
  ring.forEach(([x, y], k) => {
    const [u, v] = ring[(k + 1) % ring.length];
    sum += x * v - u * y;
  });
  return sum / 2;
}

/** A closed ring without the places that it hardly needs. */
function simplified(ring: Ring, tolerance: number): Ring {
  // It is cut at two places that stay: the first, and the one farthest from it.
  const [x, y] = ring[0];
  let far = 0;
  ring.forEach(([u, v], k) => {
    if (Math.hypot(u - x, v - y) > Math.hypot(ring[far][0] - x, ring[far][1] - y)) far = k;
  });
  return [
    ...simplifiedLine(ring.slice(0, far + 1), tolerance).slice(0, -1),
    ...simplifiedLine([...ring.slice(far), ring[0]], tolerance).slice(0, -1),
  ];
}

function simplifiedLine(line: Ring, tolerance: number): Ring {
  if (line.length < 3) return line;
  const [[x, y], [u, v]] = [line[0], line[line.length - 1]];
  const length = Math.hypot(u - x, v - y);
  let [farthest, most] = [0, 0];
  for (let k = 1; k < line.length - 1; k++) {
    const [px, py] = line[k];
    const off =
      length > 0 ? Math.abs((u - x) * (y - py) - (x - px) * (v - y)) / length : Math.hypot(px - x, py - y);
    if (off > most) [farthest, most] = [k, off];
  }
  if (most <= tolerance) return [line[0], line[line.length - 1]];
  return [
    ...simplifiedLine(line.slice(0, farthest + 1), tolerance).slice(0, -1),
    ...simplifiedLine(line.slice(farthest), tolerance),
  ];
}

/** Long straight stretches get anchors too: a bend needs them. */
function withAnchors(ring: Ring, spacing: number): Ring {
  return ring.flatMap(([x, y], k) => {
    const [u, v] = ring[(k + 1) % ring.length];
    const count = Math.max(1, Math.round(Math.hypot(u - x, v - y) / spacing));
    return Array.from({ length: count }, (_, n): [number, number] => [
      x + ((u - x) * n) / count,
      y + ((v - y) * n) / count,
    ]);
  });
}
