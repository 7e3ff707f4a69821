/**
 * A flat character's drawing: layers of outlines, from back to front. Each layer is a part of the character, and the
 * anchors and handles of its outlines are the vertices of that part, so that whatever binds, paints and bends points of a
 * surface does so with those of an outline.
 */
export interface Drawing {
  /** The page in the drawing's own units: left, top, width, height. */
  readonly page: readonly [number, number, number, number];
  /** Scene units a unit of the drawing. */
  readonly scale: number;
  readonly layers: readonly Layer[];
  /** Pictures that layers are filled with. */
  readonly pictures?: readonly Picture[];
}

/** A picture as its file has it. */
export interface Picture {
  readonly mime: 'image/png' | 'image/jpeg';
  /** In pixels. */
  readonly width: number;
  readonly height: number;
  readonly bytes: Uint8Array;
}

export interface Layer {
  readonly name: string;
  readonly shapes: readonly Shape[];
}

export type FillRule = 'nonzero' | 'evenodd';

/** Outlines that are filled and stroked together. */
export interface Shape {
  readonly outlines: readonly Outline[];
  readonly fillRule: FillRule;
  readonly fill?: Paint;
  readonly stroke?: Stroke;
  /** What of the fill is seen: within these alone. Their vertices are points of the layer too. */
  readonly clip?: Clipping;
}

export interface Clipping {
  readonly outlines: readonly Outline[];
  readonly rule: FillRule;
}

/** All outlines of a shape, those that clip it behind its own. */
export const outlinesOfShape = ({ outlines, clip }: Shape): readonly Outline[] =>
  clip ? [...outlines, ...clip.outlines] : outlines;

export interface Stroke {
  readonly paint: Paint;
  /** In units of the drawing. */
  readonly width: number;
  readonly cap: 'butt' | 'round' | 'square';
  readonly join: 'miter' | 'round' | 'bevel';
}

export interface Paint {
  /** As #rrggbb; of a gradient or a picture, its colour in the mean. */
  readonly colour: string;
  /** 0..1 */
  readonly opacity: number;
  readonly gradient?: Gradient;
  readonly picture?: PicturePaint;
}

/** A picture that fills a shape. */
export interface PicturePaint {
  /** Among the drawing's pictures. */
  readonly index: number;
  /** Drawing → picture, as a, b, c, d, e, f of SVG's matrices: there its left upper corner is 0, 0 and its right lower 1, 1. */
  readonly place: readonly number[];
}

/** Colours along a line or outward from a centre. */
export interface Gradient {
  readonly kind: 'linear' | 'radial';
  /** Drawing → gradient, as a, b, c, d, e, f of SVG's matrices: there the offset is x, or the distance from the origin. */
  readonly place: readonly number[];
  readonly spread: 'pad' | 'reflect' | 'repeat';
  readonly stops: readonly GradientStop[];
}

export interface GradientStop {
  /** 0..1, rising. */
  readonly at: number;
  readonly colour: string;
  readonly opacity: number;
}

/**
 * A chain of straight lines (`L`, one vertex each: its end) and cubic curves (`C`, three: two handles and its end) from
 * vertex `first` on. The last segment of a closed outline ends at `first` and has no end of its own.
 */
export interface Outline {
  readonly first: number;
  readonly segments: string;
  readonly closed: boolean;
}

/** A segment's vertices: of a line both are ends; of a curve end, handle, handle, end. */
export type SegmentVertices = readonly [number, number] | readonly [number, number, number, number];

/** The segments of an outline, in order. */
export function segmentsOf({ first, segments, closed }: Outline): SegmentVertices[] {
  const found: SegmentVertices[] = [];
  let at = first;
  for (let k = 0; k < segments.length; k++) {
    const isLast = closed && k === segments.length - 1;
    const step = segments[k] === 'C' ? 3 : 1;
    const end = isLast ? first : at + step;
    found.push(step === 3 ? [at, at + 1, at + 2, end] : [at, end]);
    at += step;
  }
  return found;
}

/** How many vertices an outline has. */
export function vertexCountOf({ segments, closed }: Outline): number {
  let count = 1;
  for (const kind of segments) count += kind === 'C' ? 3 : 1;
  return closed ? count - 1 : count;
}

/** Of each vertex of a layer: 0 for an anchor, else the anchor that the handle belongs to plus one. */
export function handleOwners(layer: Layer, vertexCount: number): Uint32Array {
  const owners = new Uint32Array(vertexCount);
  for (const shape of layer.shapes)
    for (const outline of outlinesOfShape(shape))
      for (const vertices of segmentsOf(outline)) {
        if (vertices.length === 2) continue;
        owners[vertices[1]] = vertices[0] + 1;
        owners[vertices[2]] = vertices[3] + 1;
      }
  return owners;
}
