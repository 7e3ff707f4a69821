import type { Drawing, Layer, Paint, Shape, Stroke } from './drawing.ts';
import { fillShape, type FillMesh } from './fillMesh.ts';
import { solveMembrane } from './membrane.ts';
import { colourAt, pictureAt, type PageScale } from './paints.ts';
import { mixSamples, placeSamples, sampleShape, type Samples } from './samples.ts';
import { placeStroke, strokeLine, strokeTriangles, type StrokeLine } from './strokes.ts';

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

/** A layer's longer side has at most so many triangles along it. */
const ACROSS = 26;
/** Outlines leave their curves by at most this share of the smallest side. */
const FLAT = 0.008;

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
  /** Float32Array, 2 a place: where it lies on its piece's picture, from the left upper corner; 0 where it has none. */
  readonly uvs: Float32Array;
  /** In drawing order. */
  readonly pieces: readonly MeshPiece[];
  readonly #builder: Builder;
  readonly #places: Float32Array;
  readonly #flat: Float32Array;

  /** @param smallest sides of triangles are no smaller, in scene units */
  constructor(layer: Layer, part: LayerPart, page: PageScale, smallest: number) {
    const builder = new Builder(part, page, smallest);
    for (const shape of layer.shapes) {
      if (shape.fill) builder.addFill(shape, shape.fill);
      if (shape.stroke) builder.addLine(shape, shape.stroke);
    }
    this.#builder = builder;
    this.count = builder.count;
    this.pieces = builder.pieces;
    this.triangles = Uint32Array.from(builder.triangles);
    this.colours = Uint8Array.from(builder.colours);
    this.uvs = Float32Array.from(builder.uvs);
    this.#places = new Float32Array(this.count * 2);
    this.#flat = new Float32Array(this.count);
  }

  /** Where the places are while the points are there: 3 numbers a place, at the depth of the points. */
  place(points: Float32Array, out: Float32Array): void {
    const places = this.#places;
    for (const { from, mesh } of this.#builder.fills) {
      placeSamples(mesh.samples, points, places, from);
      const own = places.subarray(from * 2, (from + mesh.count) * 2);
      solveMembrane(mesh.membrane, own, 2, 0);
      solveMembrane(mesh.membrane, own, 2, 1);
    }
    for (const { from, line } of this.#builder.lines) placeStroke(line, points, places, from);
    const depth = points.length > 2 ? points[2] : 0;
    for (let k = 0; k < this.count; k++) {
      out[k * 3] = places[k * 2];
      out[k * 3 + 1] = places[k * 2 + 1];
      out[k * 3 + 2] = depth;
    }
  }

  /** One number a point, spread over the places. */
  spread(values: Float32Array, out: Float32Array): void {
    for (const { from, mesh } of this.#builder.fills) {
      mixSamples(mesh.samples, values, out, from);
      solveMembrane(mesh.membrane, out.subarray(from, from + mesh.count), 1, 0);
    }
    for (const { from, line } of this.#builder.lines) {
      mixSamples(line.samples, values, this.#flat, 0);
      for (let k = 0; k < line.samples.count; k++) out[from + k * 2] = out[from + k * 2 + 1] = this.#flat[k];
    }
  }
}

/** Triangles have sides of at least this share of the page's height. */
const SMALLEST = 1 / 150;

/** What a layer is drawn with wherever it is seen in its usual size. */
export const usualMesh = (drawing: Drawing, layer: number, part: LayerPart): LayerMesh =>
  new LayerMesh(drawing.layers[layer], part, drawing, drawing.page[3] * drawing.scale * SMALLEST);

/** Puts the fills and strokes of a layer one behind another. */
class Builder {
  readonly fills: { readonly from: number; readonly mesh: FillMesh }[] = [];
  readonly lines: { readonly from: number; readonly line: StrokeLine }[] = [];
  readonly pieces: MeshPiece[] = [];
  readonly triangles: number[] = [];
  readonly colours: number[] = [];
  readonly uvs: number[] = [];
  count = 0;
  readonly #page: PageScale;
  readonly #vertexPoint: Uint32Array;
  readonly #rest: Float32Array;
  readonly #spacing: number;
  readonly #tolerance: number;

  constructor({ positions, vertexPoint, vertexCount }: LayerPart, page: PageScale, smallest: number) {
    this.#page = page;
    this.#vertexPoint = vertexPoint;
    this.#rest = new Float32Array(vertexCount * 3);
    for (let v = 0; v < vertexCount; v++)
      this.#rest.set(positions.subarray(vertexPoint[v] * 3, vertexPoint[v] * 3 + 3), v * 3);
    this.#spacing = Math.max(smallest, sizeOf(this.#rest) / ACROSS);
    this.#tolerance = smallest * FLAT;
  }

  addFill(shape: Shape, paint: Paint): void {
    const mesh = fillShape(shape, this.#rest, this.#spacing, this.#tolerance);
    this.fills.push({ from: this.count, mesh: { ...mesh, samples: this.#byPoints(mesh.samples) } });
    this.#add(paint, mesh.rest, 1, mesh.triangles);
  }

  addLine(shape: Shape, stroke: Stroke): void {
    const samples = sampleShape(shape, this.#rest, this.#spacing, this.#tolerance);
    const line = strokeLine(shape, this.#byPoints(samples), stroke, this.#page.scale);
    this.lines.push({ from: this.count, line });
    const places = new Float32Array(samples.count * 2);
    placeSamples(samples, this.#rest, places);
    this.#add(stroke.paint, places, 2, strokeTriangles(line));
  }

  /** @param times how many places of the mesh there are for each of `places` */
  #add(paint: Paint, places: Float32Array, times: number, triangles: Iterable<number>): void {
    const firstTriangle = this.triangles.length / 3;
    for (const corner of triangles) this.triangles.push(corner + this.count);
    for (let k = 0; k < places.length; k += 2) {
      const colour = colourAt(paint, places[k], places[k + 1], this.#page);
      const uv = pictureAt(paint, places[k], places[k + 1], this.#page);
      for (let n = 0; n < times; n++) {
        for (const value of colour) this.colours.push(Math.round(value * 255));
        this.uvs.push(uv[0], uv[1]);
      }
    }
    const count = (places.length / 2) * times;
    const triangleCount = this.triangles.length / 3 - firstTriangle;
    this.pieces.push({ paint, from: this.count, count, firstTriangle, triangleCount });
    this.count += count;
  }

  /** The same places as mixes of the part's points rather than of its vertices. */
  #byPoints(samples: Samples): Samples {
    return { ...samples, vertices: samples.vertices.map((v) => this.#vertexPoint[v]) };
  }
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
