import {
  outlinesOfShape,
  segmentsOf,
  vertexCountOf,
  type Drawing,
  type Layer,
  type Paint,
  type Picture,
  type Shape,
} from '../../drawing/drawing.ts';
import { CoreError } from '../../errors.ts';
import type { GltfContainer } from '../gltf/container.ts';
import type { GltfJson } from '../gltf/gltfJson.ts';

/**
 * How a drawing lies in a glTF file (docs/DECISIONS.md, “Flat characters”): each layer is a mesh whose vertices are the
 * anchors and handles of its outlines, and the root's extras say how they hang together and what they are filled with.
 */
export interface DrawingExtras {
  readonly version: 1;
  readonly drawing: Drawing;
  /** The drawing's pictures: the buffer views that they lie in. */
  readonly pictures?: readonly (Omit<Picture, 'bytes'> & { readonly view: number })[];
  /** The buffer view that the file lies in as it came. */
  readonly source: number;
  /** What was left out when it was read, in sentences. */
  readonly notes: readonly string[];
}

const KEY = 'judokaDrawing';
const MIMES: readonly string[] = ['image/png', 'image/jpeg'];

/** Bytes of pictures lie in views of their own. */
export const asExtras = ({ drawing, ...extras }: DrawingExtras): unknown => {
  const { pictures: _, ...rest } = drawing;
  return { [KEY]: { ...extras, drawing: rest } };
};

/** What the root's extras hold of a drawing; undefined for a file that has none. */
export function drawingExtras(json: GltfJson): DrawingExtras | undefined {
  const { extras } = json;
  if (typeof extras !== 'object' || extras === null || !(KEY in extras)) return undefined;
  return (extras as Record<string, unknown>)[KEY] as DrawingExtras;
}

/** What was left out when the drawing was read. */
export function drawingNotes(json: GltfJson): readonly string[] {
  const notes: unknown = drawingExtras(json)?.notes;
  return Array.isArray(notes) ? notes.filter((note) => typeof note === 'string').slice(0, 100) : [];
}

/**
 * The drawing of a flat character.
 * @throws CoreError file-invalid where it does not fit the meshes
 */
export function readDrawing(
  { json, buffers }: Pick<GltfContainer, 'json' | 'buffers'>,
  parts: readonly { readonly vertexCount: number; readonly source: { readonly mesh: number } }[],
): Drawing | undefined {
  const extras = drawingExtras(json);
  if (extras === undefined) return undefined;
  const fail = (why: string): CoreError =>
    new CoreError('file-invalid', `The drawing in this file is damaged: ${why}.`, { where: `extras.${KEY}` });
  // The file may be anybody's: whatever its extras are, only what fits is gone by.
  try {
    const { drawing: held, pictures = [] } = extras;
    const drawing: Drawing = {
      ...held,
      ...(pictures.length > 0 && {
        pictures: pictures.map(({ view, mime, width, height }) => {
          const { buffer, byteOffset = 0, byteLength } = (json.bufferViews ?? [])[view];
          const bytes = buffers[buffer].subarray(byteOffset, byteOffset + byteLength);
          if (!MIMES.includes(mime) || !(width > 0 && height > 0)) throw fail('a picture has no size');
          return { mime, width, height, bytes };
        }),
      }),
    };
    if (drawing.layers.length !== parts.length) throw fail('its layers are not its meshes');
    const isPage = drawing.page.every(Number.isFinite) && drawing.page[3] > 0;
    if (!isPage || !(drawing.scale > 0)) throw fail('its page has no size');
    drawing.layers.forEach((layer, i) => {
      if (parts[i].source.mesh !== i || !fits(layer, parts[i].vertexCount, pictures.length))
        throw fail(`layer ${i + 1} names points that are not there`);
    });
    return drawing;
  } catch (error) {
    if (error instanceof CoreError) throw error;
    throw fail('it is not one');
  }
}

const isColour = (colour: unknown, opacity: unknown): boolean =>
  typeof colour === 'string' && /^#[0-9a-f]{6}$/i.test(colour) && Number.isFinite(opacity);

function isPaint({ colour, opacity, gradient, picture }: Paint, pictureCount: number): boolean {
  if (!isColour(colour, opacity)) return false;
  if (picture && !(Number.isInteger(picture.index) && picture.index >= 0 && picture.index < pictureCount))
    return false;
  if (picture && !(picture.place.length === 6 && picture.place.every(Number.isFinite))) return false;
  return (
    gradient === undefined ||
    (gradient.place.length === 6 &&
      gradient.place.every(Number.isFinite) &&
      gradient.stops.length > 0 &&
      gradient.stops.every((stop) => Number.isFinite(stop.at) && isColour(stop.colour, stop.opacity)))
  );
}

function fits({ shapes }: Layer, vertexCount: number, pictureCount: number): boolean {
  return shapes.every((shape: Shape) => {
    const { fill, stroke } = shape;
    if (stroke && !(stroke.width > 0 && Number.isFinite(stroke.width))) return false;
    const paints = [fill, stroke?.paint].filter((paint) => paint !== undefined);
    return (
      paints.every((paint) => isPaint(paint, pictureCount)) &&
      outlinesOfShape(shape).every(
        (outline) =>
          /^[LC]+$/.test(outline.segments) &&
          outline.first >= 0 &&
          Number.isInteger(outline.first) &&
          outline.first + vertexCountOf(outline) <= vertexCount &&
          segmentsOf(outline).length > 0,
      )
    );
  });
}
