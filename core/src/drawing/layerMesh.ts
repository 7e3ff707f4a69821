import type { Layer, Paint, Shape, Stroke } from './drawing.ts';
import { fillShape, type FillMesh } from './fillMesh.ts';
import { solveMembrane } from './membrane.ts';
import { colourAt, colourFill, type PageScale } from './paints.ts';
import { mixSamples, placeSamples, sampleShape, type Samples } from './samples.ts';

/** What a layer's part gives: its vertices are the anchors and handles of the outlines. */
export interface LayerPart {
  readonly positions: Float32Array;
  readonly vertexPoint: Uint32Array;
  readonly vertexCount: number;
}

/** What is drawn with one paint: its places and triangles among those of the mesh. */
export interface MeshPiece {
  readonly paint: Paint;
  readonly from: number;
  readonly count: number;
  readonly firstTriangle: number;
  readonly triangleCount: number;
}

/** A filled shape: its places come first in the mesh at `from`. */
interface Fill {
  readonly from: number;
  readonly mesh: FillMesh;
}

/** A stroked shape: two places of the mesh for each along its outlines, from `from` on. */
interface Line {
  readonly from: number;
  readonly samples: Samples;
  readonly closed: readonly boolean[];
  readonly half: number;
  readonly reach: number;
}

/** A layer has about so many triangles across its longer side. */
const ACROSS = 26;
/** Outlines leave their curves by at most this share of the smallest side. */
const FLAT = 0.008;
/** At a sharp corner a stroke reaches at most so many of its half widths out. */
const MITER = 2.5;

/**
 * What a layer is drawn with: its fills as even triangles, its strokes as strips, in drawing order. All follow the
 * points of the outlines, which are bent and painted.
 */
export class LayerMesh {
  /** How many places there are. */
  readonly count: number;
  readonly triangles: Uint32Array;
  /** 4 bytes a place: the drawing's own colours. */
  readonly colours: Uint8Array;
  /** In drawing order. */
  readonly pieces: readonly MeshPiece[];
  readonly #fills: Fill[] = [];
  readonly #lines: Line[] = [];
  readonly #places: Float32Array;
  readonly #flat: Float32Array;

  constructor(layer: Layer, part: LayerPart, page: PageScale, smallest: number) {
    const rest = new Float32Array(part.vertexCount * 3);
    for (let v = 0; v < part.vertexCount; v++)
      rest.set(part.positions.subarray(part.vertexPoint[v] * 3, part.vertexPoint[v] * 3 + 3), v * 3);
    const spacing = Math.max(smallest, sizeOf(rest) / ACROSS);
    const tolerance = smallest * FLAT;
    const triangles: number[] = [];
    const colours: number[] = [];
    const pieces: MeshPiece[] = [];
    let count = 0;
    const piece = (paint: Paint, from: number, firstIndex: number): void => {
      const triangleCount = (triangles.length - firstIndex) / 3;
      pieces.push({ paint, from, count: count - from, firstTriangle: firstIndex / 3, triangleCount });
    };
    for (const shape of layer.shapes) {
      if (shape.fill) {
        const mesh = ofPoints(fillShape(shape, rest, spacing, tolerance), part.vertexPoint);
        const own = new Uint8Array(mesh.count * 4);
        colourFill(shape.fill, mesh, page, own, 0);
        for (const value of own) colours.push(value);
        for (const corner of mesh.triangles) triangles.push(corner + count);
        this.#fills.push({ from: count, mesh });
        count += mesh.count;
        piece(shape.fill, count - mesh.count, triangles.length - mesh.triangles.length);
      }
      if (shape.stroke) {
        const [from, first] = [count, triangles.length];
        count = this.#addLine(
          shape,
          shape.stroke,
          rest,
          part,
          page,
          spacing,
          tolerance,
          triangles,
          colours,
          count,
        );
        piece(shape.stroke.paint, from, first);
      }
    }
    this.count = count;
    this.pieces = pieces;
    this.triangles = Uint32Array.from(triangles);
    this.colours = Uint8Array.from(colours);
    this.#places = new Float32Array(count * 2);
    this.#flat = new Float32Array(count);
  }

  #addLine(
    shape: Shape,
    stroke: Stroke,
    rest: Float32Array,
    part: LayerPart,
    page: PageScale,
    spacing: number,
    tolerance: number,
    triangles: number[],
    colours: number[],
    from: number,
  ): number {
    const own = sampleShape(shape, rest, spacing, tolerance);
    const places = new Float32Array(own.count * 2);
    placeSamples(own, rest, places);
    const closed = shape.outlines.map((outline) => outline.closed);
    own.lines.slice(0, -1).forEach((first, line) => {
      const end = own.lines[line + 1];
      for (let k = first; k + 1 < end + (closed[line] ? 1 : 0); k++) {
        const next = k + 1 === end ? first : k + 1;
        const [a, b] = [from + k * 2, from + next * 2];
        triangles.push(a, a + 1, b, b, a + 1, b + 1);
      }
    });
    for (let k = 0; k < own.count; k++) {
      const colour = colourAt(stroke.paint, places[k * 2], places[k * 2 + 1], page);
      for (let side = 0; side < 2; side++) for (const value of colour) colours.push(Math.round(value * 255));
    }
    const half = (stroke.width * page.scale) / 2;
    const samples = { ...own, vertices: own.vertices.map((v) => part.vertexPoint[v]) };
    this.#lines.push({ from, samples, closed, half, reach: stroke.cap === 'butt' ? 0 : half });
    return from + own.count * 2;
  }

  /** Where the places are while the points are there: 3 numbers a place, at a depth. */
  place(points: Float32Array, out: Float32Array): void {
    const places = this.#places;
    for (const { from, mesh } of this.#fills) {
      placeSamples(mesh.samples, points, places, from);
      const own = places.subarray(from * 2, (from + mesh.count) * 2);
      solveMembrane(mesh.membrane, own, 2, 0);
      solveMembrane(mesh.membrane, own, 2, 1);
    }
    for (const line of this.#lines) this.#placeLine(line, points);
    const depth = points.length > 2 ? points[2] : 0;
    for (let k = 0; k < this.count; k++) {
      out[k * 3] = places[k * 2];
      out[k * 3 + 1] = places[k * 2 + 1];
      out[k * 3 + 2] = depth;
    }
  }

  #placeLine({ from, samples, closed, half, reach }: Line, points: Float32Array): void {
    const middle = new Float32Array(samples.count * 2);
    placeSamples(samples, points, middle);
    for (let line = 0; line + 1 < samples.lines.length; line++) {
      const [first, end] = [samples.lines[line], samples.lines[line + 1]];
      for (let k = first; k < end; k++) {
        const before = k > first ? k - 1 : closed[line] ? end - 1 : k;
        const after = k + 1 < end ? k + 1 : closed[line] ? first : k;
        layBeside(middle, before, k, after, half, reach, this.#places, (from + k * 2) * 2);
      }
    }
  }

  /** One number a point, spread over the places. */
  spread(values: Float32Array, out: Float32Array): void {
    for (const { from, mesh } of this.#fills) {
      mixSamples(mesh.samples, values, out, from);
      solveMembrane(mesh.membrane, out.subarray(from, from + mesh.count), 1, 0);
    }
    for (const { from, samples } of this.#lines) {
      mixSamples(samples, values, this.#flat, 0);
      for (let k = 0; k < samples.count; k++) out[from + k * 2] = out[from + k * 2 + 1] = this.#flat[k];
    }
  }
}

/** The two places beside one of a line; at its open ends it reaches on by `reach`. */
function layBeside(
  line: Float32Array,
  before: number,
  at: number,
  after: number,
  half: number,
  reach: number,
  out: Float32Array,
  to: number,
): void {
  const [x, y] = [line[at * 2], line[at * 2 + 1]];
  const [ux, uy] = unit(x - line[before * 2], y - line[before * 2 + 1]);
  const [vx, vy] = unit(line[after * 2] - x, line[after * 2 + 1] - y);
  const [dx, dy] = unit(ux + vx, uy + vy);
  // Toward the corner's tip the strip is as much wider as keeps its sides parallel.
  const straight = Math.max(
    1 / MITER,
    Math.hypot(ux + vx, uy + vy) / (before === at || after === at ? 1 : 2),
  );
  const wide = half / straight;
  const on = before === at ? -reach : after === at ? reach : 0;
  out[to] = x - dy * wide + dx * on;
  out[to + 1] = y + dx * wide + dy * on;
  out[to + 2] = x + dy * wide + dx * on;
  out[to + 3] = y - dx * wide + dy * on;
}

function unit(x: number, y: number): [number, number] {
  const length = Math.hypot(x, y);
  return length > 0 ? [x / length, y / length] : [0, 0];
}

/** The same mesh by the part's points rather than its vertices. */
function ofPoints(mesh: FillMesh, vertexPoint: Uint32Array): FillMesh {
  const { samples } = mesh;
  return { ...mesh, samples: { ...samples, vertices: samples.vertices.map((v) => vertexPoint[v]) } };
}

function sizeOf(positions: Float32Array): number {
  const box = [Infinity, Infinity, -Infinity, -Infinity];
  for (let k = 0; k < positions.length; k += 3)
    for (let axis = 0; axis < 2; axis++) {
      box[axis] = Math.min(box[axis], positions[k + axis]);
      box[axis + 2] = Math.max(box[axis + 2], positions[k + axis]);
    }
  return Math.max(box[2] - box[0], box[3] - box[1]);
}
