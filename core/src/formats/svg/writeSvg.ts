import {
  type Clipping,
  segmentsOf,
  type Drawing,
  type Gradient,
  type Outline,
  type Paint,
  type Picture,
  type Shape,
} from '../../drawing/drawing.ts';
import { LayerMesh } from '../../drawing/layerMesh.ts';
import { inverse, SAME, times, type SvgMatrix } from './svgMatrix.ts';
import { pictureDefinition, pictureTriangles } from './writePicture.ts';

/** A layer of a drawing in some pose. */
export interface PosedLayer {
  /** Uint32Array: vertex of the outlines → point. */
  readonly vertexPoint: Uint32Array;
  /** Float32Array, 3 a point, in the scene: at rest, and as it is to be drawn. */
  readonly rest: Float32Array;
  readonly posed: Float32Array;
}

/** A bent picture is cut into triangles of at least this share of the page's height. */
const PICTURE_TRIANGLE = 1 / 80;
/** A layer whose points all stay within this of one matrix, in units of the page, has moved as one. */
const STIFF = 0.02;
/** Figures behind the point, in units of the page. */
const DIGITS = 3;

/**
 * The drawing in a pose, as an SVG file: its layers from back to front under their names, its outlines where their
 * anchors and handles are. Gradients go along with their layer as a whole.
 *
 * @param layers one a layer of the drawing, or undefined for one that is left out
 * @param order  layers from back to front
 */
export function writeSvg(
  drawing: Drawing,
  layers: readonly (PosedLayer | undefined)[],
  order: readonly number[] = layers.map((_, i) => i),
): string {
  const writer = new SvgWriter(drawing);
  const groups = order.map((i) => {
    const { name, shapes } = drawing.layers[i];
    const layer = layers[i];
    return layer ? writer.layer(name, shapes, layer) : '';
  });
  const [left, top, width, height] = drawing.page;
  const box = [left, top, width, height].map(number).join(' ');
  const defs = writer.defs.length > 0 ? `<defs>\n${writer.defs.join('\n')}\n</defs>\n` : '';
  return `<?xml version="1.0" encoding="UTF-8"?>\n<svg xmlns="http://www.w3.org/2000/svg" viewBox="${box}" width="${number(width)}" height="${number(height)}">\n${defs}${groups.filter(Boolean).join('\n')}\n</svg>\n`;
}

class SvgWriter {
  readonly defs: string[] = [];
  readonly #pictures = new Set<number>();
  readonly #drawing: Drawing;

  constructor(drawing: Drawing) {
    this.#drawing = drawing;
  }

  layer(name: string, shapes: readonly Shape[], layer: PosedLayer): string {
    const moved = this.#movementOf(layer);
    const paths = shapes.flatMap((shape) =>
      shape.fill?.picture
        ? this.#picture(shape, shape.fill, layer, moved)
        : [this.#path(shape, layer, moved)],
    );
    return `<g aria-label="${escaped(name)}">\n${paths.join('\n')}\n</g>`;
  }

  #path({ outlines, fillRule, fill, stroke, clip }: Shape, layer: PosedLayer, moved: SvgMatrix): string {
    const d = this.#outlines(outlines, layer);
    const attributes = [`d="${d}"`, ...this.#paint('fill', fill, moved)];
    if (fillRule === 'evenodd') attributes.push('fill-rule="evenodd"');
    if (stroke) {
      attributes.push(
        ...this.#paint('stroke', stroke.paint, moved),
        `stroke-width="${number(stroke.width)}"`,
      );
      if (stroke.cap !== 'butt') attributes.push(`stroke-linecap="${stroke.cap}"`);
      if (stroke.join !== 'miter') attributes.push(`stroke-linejoin="${stroke.join}"`);
    }
    if (clip) attributes.push(`clip-path="url(#${this.#clip(clip, layer)})"`);
    return `<path ${attributes.join(' ')}/>`;
  }

  /** A picture: as a whole where it has moved as a whole, else triangle by triangle. */
  #picture(shape: Shape, { picture: paint, opacity }: Paint, layer: PosedLayer, moved: SvgMatrix): string[] {
    const { index, place } = paint ?? { index: -1, place: SAME };
    const picture = this.#drawing.pictures?.[index];
    if (!picture) return [];
    const id = this.#pictureId(picture, index);
    const share = opacity < 1 ? ` opacity="${number(opacity)}"` : '';
    if (this.#isStiff(layer, moved)) {
      const { width, height } = picture;
      const atRest = times(inverse(place as unknown as SvgMatrix) ?? SAME, [
        1 / width,
        0,
        0,
        1 / height,
        0,
        0,
      ]);
      return [`<use href="#${id}" transform="${matrixWords(times(moved, atRest))}"${share}/>`];
    }
    const mesh = new LayerMesh(
      { name: '', shapes: [shape] },
      { positions: layer.rest, vertexPoint: layer.vertexPoint, vertexCount: layer.vertexPoint.length },
      this.#drawing,
      this.#drawing.page[3] * this.#drawing.scale * PICTURE_TRIANGLE,
    );
    const laid = new Float32Array(mesh.count * 3);
    mesh.place(layer.posed, laid);
    const places = new Float64Array(mesh.count * 2);
    for (let p = 0; p < mesh.count; p++) places.set(this.#onPage(laid, p), p * 2);
    const triangles = pictureTriangles(mesh, mesh.pieces[0], picture, places);
    const pieces = triangles.map(({ matrix, corners }) => {
      const clip = `clip-${this.defs.length + 1}`;
      const d = `M${corners.map((corner) => corner.map(number).join(' ')).join('L')}Z`;
      this.defs.push(`<clipPath id="${clip}"><path d="${d}"/></clipPath>`);
      return `<use href="#${id}" transform="${matrixWords(matrix)}" clip-path="url(#${clip})"/>`;
    });
    return [`<g${share}>`, ...pieces, '</g>'];
  }

  /** Whether all of a layer has moved by one matrix. */
  #isStiff({ rest, posed }: PosedLayer, [a, b, c, d, e, f]: SvgMatrix): boolean {
    for (let p = 0; p < rest.length / 3; p++) {
      const [x, y] = this.#onPage(rest, p);
      const [u, v] = this.#onPage(posed, p);
      if (Math.hypot(a * x + c * y + e - u, b * x + d * y + f - v) > STIFF) return false;
    }
    return true;
  }

  #pictureId(picture: Picture, index: number): string {
    const id = `picture-${index + 1}`;
    if (!this.#pictures.has(index)) this.defs.push(pictureDefinition(picture, id));
    this.#pictures.add(index);
    return id;
  }

  #clip({ outlines, rule }: Clipping, layer: PosedLayer): string {
    const id = `clip-${this.defs.length + 1}`;
    const how = rule === 'evenodd' ? ' clip-rule="evenodd"' : '';
    this.defs.push(`<clipPath id="${id}"><path d="${this.#outlines(outlines, layer)}"${how}/></clipPath>`);
    return id;
  }

  #outlines(outlines: readonly Outline[], layer: PosedLayer): string {
    return outlines.map((outline) => this.#outline(outline, layer)).join('');
  }

  #outline(outline: Outline, { vertexPoint, posed }: PosedLayer): string {
    const place = (vertex: number): string => this.#onPage(posed, vertexPoint[vertex]).map(number).join(' ');
    const segments = segmentsOf(outline);
    const drawn = segments.map((ends, k) => {
      // The line that closes an outline is drawn by closing it.
      if (outline.closed && ends.length === 2 && k === segments.length - 1) return '';
      return (ends.length === 2 ? 'L' : 'C') + ends.slice(1).map(place).join(' ');
    });
    return `M${place(outline.first)}${drawn.join('')}${outline.closed ? 'Z' : ''}`;
  }

  #paint(kind: 'fill' | 'stroke', paint: Paint | undefined, moved: SvgMatrix): string[] {
    if (!paint) return [`${kind}="none"`];
    const value = paint.gradient ? `url(#${this.#gradient(paint.gradient, moved)})` : paint.colour;
    return [
      `${kind}="${value}"`,
      ...(paint.opacity < 1 ? [`${kind}-opacity="${number(paint.opacity)}"`] : []),
    ];
  }

  #gradient({ kind, place, spread, stops }: Gradient, moved: SvgMatrix): string {
    const id = `gradient-${this.defs.length + 1}`;
    const back = inverse(place as unknown as SvgMatrix) ?? SAME;
    const matrix = times(moved, back)
      .map((value) => Number(value.toPrecision(9)))
      .join(' ');
    const line = kind === 'linear' ? 'x1="0" y1="0" x2="1" y2="0"' : 'cx="0" cy="0" r="1"';
    const offsets = stops.map(
      ({ at, colour, opacity }) =>
        `<stop offset="${number(at)}" stop-color="${colour}"${opacity < 1 ? ` stop-opacity="${number(opacity)}"` : ''}/>`,
    );
    const method = spread === 'pad' ? '' : ` spreadMethod="${spread}"`;
    this.defs.push(
      `<${kind}Gradient id="${id}" gradientUnits="userSpaceOnUse" ${line} gradientTransform="matrix(${matrix})"${method}>${offsets.join('')}</${kind}Gradient>`,
    );
    return id;
  }

  #onPage(positions: Float32Array, point: number): [number, number] {
    const { page, scale } = this.#drawing;
    return [
      positions[point * 3] / scale + page[0] + page[2] / 2,
      page[1] + page[3] - positions[point * 3 + 1] / scale,
    ];
  }

  /** How a layer has moved as a whole: the affine map that fits its points best (least squares), on the page. */
  #movementOf({ rest, posed }: PosedLayer): SvgMatrix {
    const count = rest.length / 3;
    const [meanX, meanY, toX, toY] = [0, 0, 0, 0].map((_, k) => {
      let sum = 0;
      for (let p = 0; p < count; p++) sum += this.#onPage(k < 2 ? rest : posed, p)[k % 2];
      return sum / count;
    });
    let [xx, xy, yy, xu, yu, xv, yv] = [0, 0, 0, 0, 0, 0, 0];
    for (let p = 0; p < count; p++) {
      const [x, y] = this.#onPage(rest, p);
      const [u, v] = this.#onPage(posed, p);
      xx += (x - meanX) ** 2;
      xy += (x - meanX) * (y - meanY);
      yy += (y - meanY) ** 2;
      xu += (x - meanX) * (u - toX);
      yu += (y - meanY) * (u - toX);
      xv += (x - meanX) * (v - toY);
      yv += (y - meanY) * (v - toY);
    }
    const size = xx * yy - xy * xy;
    if (!(size > 1e-9 * xx * yy)) return [1, 0, 0, 1, toX - meanX, toY - meanY];
    const [a, c] = [(yy * xu - xy * yu) / size, (xx * yu - xy * xu) / size];
    const [b, d] = [(yy * xv - xy * yv) / size, (xx * yv - xy * xv) / size];
    return [a, b, c, d, toX - a * meanX - c * meanY, toY - b * meanX - d * meanY];
  }
}

const matrixWords = (matrix: SvgMatrix): string =>
  `matrix(${matrix.map((value) => Number(value.toPrecision(9))).join(' ')})`;

const number = (value: number): string => String(Number(value.toFixed(DIGITS)));

const escaped = (text: string): string =>
  text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/"/g, '&quot;');
