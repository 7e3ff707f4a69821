import { controlTriangles } from './controlMesh.ts';
import { outlinesOfShape, vertexCountOf, type Layer, type Outline, type Shape } from './drawing.ts';

/**
 * How the outlines of a layer differ from those that its file has: what a document keeps of work on them. Points of the
 * file keep their numbers, whether an outline still goes through them or not; those that were added are numbered behind.
 */
export interface LayerOutlines {
  /** How many points the file has. */
  readonly from: number;
  /** How many there are. */
  readonly points: number;
  /** By number of the outline in its layer, those that are other ones now. */
  readonly outlines: Readonly<Record<string, OutlinePoints>>;
  /** By point, its place at rest where it is not the file's: x and y in the scene. */
  readonly places: Readonly<Record<string, readonly [number, number]>>;
}

/** An outline by its points: one for each vertex that it would have in a file. */
export interface OutlinePoints {
  readonly segments: string;
  readonly points: readonly number[];
}

/** Points that may be added to a layer. */
export const MAX_ADDED_POINTS = 50_000;

/** Points that may be added to all layers of a drawing. */
export const MAX_ALL_ADDED_POINTS = 200_000;

/** What of a layer's part its outlines make. */
export interface OutlinedPart {
  readonly pointCount: number;
  readonly vertexCount: number;
  /** Float32Array, 3 a point. */
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  readonly vertexPoint: Uint32Array;
  readonly triangles: Uint32Array;
}

/** All outlines of a layer, in order: a number in this list names one. */
export const outlinesOfLayer = ({ shapes }: Layer): Outline[] => shapes.flatMap(outlinesOfShape);

/**
 * A layer and its points with other outlines than the file's.
 *
 * @param layer and `part` as the file has them
 * @returns undefined where these outlines are not those of that layer
 */
export function withLayerOutlines(
  layer: Layer,
  part: Pick<OutlinedPart, 'pointCount' | 'positions' | 'normals' | 'vertexPoint'>,
  changed: LayerOutlines,
): { layer: Layer; part: OutlinedPart } | undefined {
  const outlines = outlinesOfLayer(layer);
  if (!fits(outlines, part.pointCount, changed)) return undefined;
  const points = changed.points;
  const positions = grown(part.positions, points);
  const normals = grown(part.normals, points);
  const depth = part.positions.length > 2 ? part.positions[2] : 0;
  for (let p = changed.from; p < points; p++) {
    positions[p * 3 + 2] = depth;
    normals[p * 3 + 2] = 1;
  }
  for (const [point, place] of Object.entries(changed.places)) positions.set(place, Number(point) * 3);
  const vertexPoint: number[] = [];
  const relaid = outlines.map((outline, i): Outline => {
    const first = vertexPoint.length;
    const own = changed.outlines[i] as OutlinePoints | undefined;
    const count = vertexCountOf(outline);
    const along = own?.points ?? part.vertexPoint.subarray(outline.first, outline.first + count);
    for (const point of along) vertexPoint.push(point);
    return { first, segments: own?.segments ?? outline.segments, closed: outline.closed };
  });
  const next = { ...layer, shapes: withRelaid(layer.shapes, relaid) };
  const vertices = Uint32Array.from(vertexPoint);
  const places = new Float32Array(vertices.length * 3);
  vertices.forEach((p, v) => places.set(positions.subarray(p * 3, p * 3 + 3), v * 3));
  return {
    layer: next,
    part: {
      ...{ pointCount: points, vertexCount: vertices.length, positions, normals, vertexPoint: vertices },
      triangles: controlTriangles(next, places).map((v) => vertices[v]),
    },
  };
}

function grown(numbers: Float32Array, points: number): Float32Array {
  const out = new Float32Array(points * 3);
  out.set(numbers);
  return out;
}

/** The shapes with these outlines, in their order. */
function withRelaid(shapes: readonly Shape[], outlines: readonly Outline[]): Shape[] {
  let at = 0;
  const take = (count: number): Outline[] => outlines.slice(at, (at += count));
  return shapes.map((shape) => {
    const own = take(shape.outlines.length);
    const { clip } = shape;
    return {
      ...shape,
      outlines: own,
      ...(clip && { clip: { ...clip, outlines: take(clip.outlines.length) } }),
    };
  });
}

/** Whatever a document says must be about this layer before it is gone by. */
function fits(outlines: readonly Outline[], pointCount: number, changed: LayerOutlines): boolean {
  const { from, points, places } = changed;
  if (from !== pointCount || points < from || points > from + MAX_ADDED_POINTS) return false;
  const isPoint = (p: number): boolean => Number.isInteger(p) && p >= 0 && p < points;
  const hasPlace = (p: number): boolean => p < from || Object.hasOwn(places, p);
  return (
    Object.keys(places).every((point) => isPoint(Number(point))) &&
    Object.entries(changed.outlines).every(([index, { segments, points: along }]) => {
      const outline = outlines[Number(index)] as Outline | undefined;
      return (
        outline !== undefined &&
        /^[LC]+$/.test(segments) &&
        along.length === vertexCountOf({ ...outline, segments }) &&
        along.every((p) => isPoint(p) && hasPlace(p))
      );
    })
  );
}
