import { counted } from '../../document/finding.ts';
import {
  type FillRule,
  vertexCountOf,
  type Drawing,
  type Layer,
  type Outline,
  type Picture,
  type Shape,
} from '../../drawing/drawing.ts';
import { CoreError } from '../../errors.ts';
import { readLength } from './svgLengths.ts';
import { inverse, readTransform, SAME, times, type SvgMatrix } from './svgMatrix.ts';
import { outlinesOf, type ReadOutlines, SHAPES } from './svgOutlines.ts';
import { readPicture, type ReadPicture } from './svgPicture.ts';
import { opacityOf, paintOf, strokeOf, type PaintSource } from './svgPaint.ts';
import { StyleSheet, styleOf, type SvgStyle } from './svgStyle.ts';
import { readSvgTree, type SvgElement } from './svgTree.ts';

/** A drawing as it was read: its layers, and where their vertices are. */
export interface ReadDrawing {
  readonly drawing: Drawing;
  /** One a layer: Float32Array, 3 a vertex, in scene units, y up; z is the layer's place in the pile. */
  readonly positions: readonly Float32Array[];
  readonly notes: readonly string[];
}

const MAX_POINTS = 100_000;
const MAX_LAYERS = 1000;
/** Pixels of all pictures. */
const MAX_ALL_PIXELS = 64_000_000;
/** How tall a drawing stands in the scene. */
const SCENE_HEIGHT = 2;
/** Layers lie this share of the height apart: near enough that nobody sees it, far enough to be told apart in drawing. */
const LAYER_STEP = 2e-4;
const MAX_USES = 32;

/**
 * Reads an SVG drawing (SVG 1.1 and what drawing programs write): its named groups become layers, its shapes outlines of
 * lines and cubic curves, with all transforms carried out.
 *
 * @throws CoreError file-invalid, file-too-large, file-unsupported; file-no-mesh where it draws nothing
 */
export function readSvg(bytes: Uint8Array): ReadDrawing {
  const root = readSvgTree(bytes);
  return new SvgReader(root).read();
}

/** A shape with its vertices, in units of the drawing. */
interface Drawn {
  readonly shape: Shape;
  readonly places: readonly number[];
}

interface Surroundings {
  readonly matrix: SvgMatrix;
  readonly style: SvgStyle;
  readonly opacity: number;
  readonly uses: readonly SvgElement[];
  readonly clip?: Clip;
}

/** What clips, on the page. */
interface Clip {
  readonly outlines: readonly Outline[];
  readonly places: readonly number[];
  readonly rule: FillRule;
}

interface Pile {
  readonly name: string;
  readonly shapes: Drawn[];
}

class SvgReader implements PaintSource {
  readonly byId = new Map<string, SvgElement>();
  readonly sheet: StyleSheet;
  readonly #root: SvgElement;
  readonly #page: readonly [number, number, number, number];
  readonly #leftOut = new Map<string, number>();
  readonly #piles: Pile[] = [];
  /** With what they were referred to by. */
  readonly #pictures: (readonly [string, ReadPicture])[] = [];
  #points = 0;
  #hidden = 0;

  constructor(root: SvgElement) {
    this.#root = root;
    const sheets: string[] = [];
    const gather = (element: SvgElement): void => {
      const { id } = element.attributes;
      if (id && !this.byId.has(id)) this.byId.set(id, element);
      if (element.name === 'style') sheets.push(element.text);
      for (const child of element.children) gather(child);
    };
    gather(root);
    this.sheet = new StyleSheet(sheets);
    this.#page = pageOf(root);
  }

  leaveOut(what: string): void {
    this.#leftOut.set(what, (this.#leftOut.get(what) ?? 0) + 1);
  }

  read(): ReadDrawing {
    const outer: Surroundings = { matrix: SAME, style: {}, opacity: 1, uses: [] };
    this.#layers(this.#root, outer, 'drawing');
    const piles = this.#piles.filter(({ shapes }) => shapes.length > 0);
    if (piles.length === 0)
      throw new CoreError(
        'file-no-mesh',
        'The drawing has no shape that is filled or stroked, so there is nothing to bend.',
      );
    if (piles.length > MAX_LAYERS)
      throw new CoreError(
        'file-too-large',
        `The drawing has ${piles.length} layers; at most ${MAX_LAYERS} can be taken.`,
      );
    return this.#laid(piles);
  }

  /** Goes down to the groups that are layers. */
  #layers(element: SvgElement, outer: Surroundings, name: string): void {
    const inner = this.#enter(element, outer);
    if (!inner) return;
    let loose: Pile | undefined;
    for (const child of element.children) {
      if (child.name === 'g' || child.name === 'svg' || child.name === 'a') {
        loose = undefined;
        if (isGroupOfLayers(child)) this.#layers(child, inner, nameOf(child) ?? name);
        else this.#layer(child, inner, nameOf(child) ?? name);
      } else if (SHAPES.has(child.name) || child.name === 'use' || child.name === 'image') {
        const own = nameOf(child);
        if (own !== undefined || !loose) loose = this.#pile(own ?? name);
        this.#draw(child, inner, loose.shapes);
        if (own !== undefined) loose = undefined;
      } else this.#draw(child, inner, []);
    }
  }

  #layer(element: SvgElement, outer: Surroundings, name: string): void {
    this.#draw(element, outer, this.#pile(name).shapes);
  }

  #pile(name: string): Pile {
    const pile: Pile = { name, shapes: [] };
    this.#piles.push(pile);
    return pile;
  }

  /** What holds inside an element; undefined where it is not drawn. */
  #enter(element: SvgElement, outer: Surroundings): Surroundings | undefined {
    const style = styleOf(element, outer.style, this.sheet);
    if (style.display === 'none' || style.visibility === 'hidden' || style.visibility === 'collapse') {
      this.#hidden++;
      return undefined;
    }
    for (const [property, what] of [
      ['mask', 'a mask'],
      ['filter', 'a filter'],
    ])
      if (style[property] && style[property] !== 'none') this.leaveOut(what);
    // The page's own units are those of its viewBox: the root moves nothing.
    const own = element === this.#root ? SAME : readTransform(element.attributes.transform);
    const inner = {
      ...outer,
      style,
      matrix: times(outer.matrix, own),
      opacity: outer.opacity * opacityOf(style),
    };
    const clip = this.#clipOf(style['clip-path'], inner);
    if (clip && outer.clip) this.leaveOut('a clip path around another one');
    return clip ? { ...inner, clip } : inner;
  }

  /** The outlines of a clip path, in the units of what it clips. */
  #clipOf(value: string | undefined, { matrix, style }: Surroundings): Clip | undefined {
    if (!value || value === 'none') return undefined;
    const id = /^url\(\s*["']?#([^"')]+)["']?\s*\)/.exec(value)?.[1];
    const element = id === undefined ? undefined : this.byId.get(id);
    const { clipPathUnits, transform } = element?.attributes ?? {};
    if (element?.name !== 'clipPath' || clipPathUnits === 'objectBoundingBox') {
      this.leaveOut('a clip path');
      return undefined;
    }
    const outlines: Outline[] = [];
    const places: number[] = [];
    let rule: FillRule = 'nonzero';
    for (const child of element.children) {
      if (!SHAPES.has(child.name)) {
        if (!UNSEEN.has(child.name)) this.leaveOut('a part of a clip path');
        continue;
      }
      const own = styleOf(child, style, this.sheet);
      if (own['clip-rule'] === 'evenodd') rule = 'evenodd';
      const step = times(readTransform(transform), readTransform(child.attributes.transform));
      const read = this.#outlines(child);
      const first = places.length / 2;
      for (const outline of read.outlines) outlines.push({ ...outline, first: outline.first + first });
      for (const value of moved(read.places, times(matrix, step))) places.push(value);
    }
    return { outlines, places, rule };
  }

  #outlines(element: SvgElement): ReadOutlines {
    const [, , width, height] = this.#page;
    const read = outlinesOf(element, { width, height });
    if (read.broken) this.leaveOut('the end of a path that cannot be read');
    this.#count(read.places.length / 2);
    return read;
  }

  #draw(element: SvgElement, outer: Surroundings, shapes: Drawn[]): void {
    if (UNSEEN.has(element.name)) return;
    const what = LEFT_OUT[element.name];
    if (what !== undefined) {
      this.leaveOut(what);
      return;
    }
    const inner = this.#enter(element, outer);
    if (!inner) return;
    if (SHAPES.has(element.name)) this.#drawShape(element, inner, shapes);
    else if (element.name === 'use') this.#drawUse(element, inner, shapes);
    else if (element.name === 'image') this.#drawPicture(element, inner, shapes);
    else if (GROUPS.has(element.name)) for (const child of element.children) this.#draw(child, inner, shapes);
  }

  #drawUse(element: SvgElement, inner: Surroundings, shapes: Drawn[]): void {
    const { href = '', x, y } = element.attributes;
    const target = href.startsWith('#') ? this.byId.get(href.slice(1)) : undefined;
    if (!target) {
      this.leaveOut(
        href.startsWith('#') || href === '' ? 'a reference to nothing' : 'a reference to another file',
      );
      return;
    }
    if (inner.uses.includes(target) || inner.uses.length >= MAX_USES) {
      this.leaveOut('a reference that leads back to itself');
      return;
    }
    const [, , width, height] = this.#page;
    const moved: SvgMatrix = [1, 0, 0, 1, readLength(x, width) ?? 0, readLength(y, height) ?? 0];
    let matrix = times(inner.matrix, moved);
    if (target.name === 'symbol' || target.name === 'svg') matrix = times(matrix, boxMatrix(target, element));
    const within = { ...inner, matrix, uses: [...inner.uses, target] };
    if (target.name === 'symbol') {
      const own = this.#enter(target, within);
      if (own) for (const child of target.children) this.#draw(child, own, shapes);
    } else this.#draw(target, within, shapes);
  }

  #drawPicture(element: SvgElement, { matrix, opacity, clip }: Surroundings, shapes: Drawn[]): void {
    const { href = '', x, y, width, height, preserveAspectRatio } = element.attributes;
    const read = this.#pictureOf(href);
    if (typeof read === 'string') {
      this.leaveOut(read);
      return;
    }
    const { picture } = read.found;
    const [, , pageWidth, pageHeight] = this.#page;
    const [w, h] = [
      readLength(width, pageWidth) ?? picture.width,
      readLength(height, pageHeight) ?? picture.height,
    ];
    if (!(w > 0 && h > 0)) return;
    if (clip) this.leaveOut('the clipping of a picture');
    const own = pictureMatrix(picture, w, h, preserveAspectRatio?.trim() === 'none');
    const placed = times(
      matrix,
      times([1, 0, 0, 1, readLength(x, pageWidth) ?? 0, readLength(y, pageHeight) ?? 0], own),
    );
    const back = inverse(placed);
    if (!back) return;
    const places = moved(read.found.rings.flat(2), placed);
    this.#count(places.length / 2);
    let first = 0;
    const outlines = read.found.rings.map(({ length }): Outline => {
      const outline = { first, segments: 'L'.repeat(length), closed: true };
      first += length;
      return outline;
    });
    const place = times([1 / picture.width, 0, 0, 1 / picture.height, 0, 0], back);
    const fill = { colour: read.found.colour, opacity, picture: { index: read.index, place } };
    shapes.push({ shape: { outlines, fillRule: 'evenodd', fill }, places });
  }

  /** A picture that is shown twice is kept once. */
  #pictureOf(href: string): { readonly found: ReadPicture; readonly index: number } | string {
    const known = this.#pictures.findIndex(([from]) => from === href);
    if (known >= 0) return { found: this.#pictures[known][1], index: known };
    const held = this.#pictures.reduce((sum, [, { picture }]) => sum + picture.width * picture.height, 0);
    const found = readPicture(href, MAX_ALL_PIXELS - held);
    if (typeof found === 'string') return found;
    return { found, index: this.#pictures.push([href, found]) - 1 };
  }

  #count(points: number): void {
    this.#points += points;
    if (this.#points > MAX_POINTS)
      throw new CoreError(
        'file-too-large',
        `The drawing has more than ${MAX_POINTS} points. Simplify its paths, or leave the background out.`,
      );
  }

  #drawShape(element: SvgElement, { matrix, style, opacity, clip }: Surroundings, shapes: Drawn[]): void {
    const { outlines, places } = this.#outlines(element);
    if (outlines.length === 0) return;
    if (!places.every(Number.isFinite)) {
      this.leaveOut('a path with places that are no numbers');
      return;
    }
    const place = { matrix, box: boxOf(places) };
    const fill = paintOf(style, 'fill', opacity, place, this);
    const stroke = strokeOf(style, opacity, place, this);
    if (!fill && !stroke) return;
    const fillRule = style['fill-rule'] === 'evenodd' ? 'evenodd' : 'nonzero';
    const shape = { outlines, fillRule, ...(fill && { fill }), ...(stroke && { stroke }) } as const;
    const own = moved(places, matrix);
    if (!clip) shapes.push({ shape, places: own });
    else {
      if (stroke) this.leaveOut('the clipping of a line');
      shapes.push({ shape: { ...shape, clip }, places: [...own, ...clip.places] });
    }
  }

  /** Puts the layers' vertices one behind another, into the scene. */
  #laid(piles: readonly Pile[]): ReadDrawing {
    const page = this.#pageFor(piles);
    const scale = SCENE_HEIGHT / page[3];
    const names = new Set<string>();
    const positions: Float32Array[] = [];
    const layers = piles.map(({ name, shapes }, pile): Layer => {
      const places = shapes.flatMap((each) => [...each.places]);
      const laid = new Float32Array((places.length / 2) * 3);
      for (let v = 0; v < places.length / 2; v++) {
        laid[v * 3] = (places[v * 2] - page[0] - page[2] / 2) * scale;
        laid[v * 3 + 1] = (page[1] + page[3] - places[v * 2 + 1]) * scale;
        laid[v * 3 + 2] = pile * LAYER_STEP * SCENE_HEIGHT;
      }
      positions.push(laid);
      let first = 0;
      return {
        name: freeName(names, name),
        shapes: shapes.map(({ shape }) => {
          const lay = (outline: Outline): Outline => {
            const own = { ...outline, first };
            first += vertexCountOf(outline);
            return own;
          };
          const outlines = shape.outlines.map(lay);
          const { clip } = shape;
          return clip
            ? { ...shape, outlines, clip: { rule: clip.rule, outlines: clip.outlines.map(lay) } }
            : { ...shape, outlines };
        }),
      };
    });
    const pictures = this.#pictures.map(([, { picture }]) => picture);
    const drawing = { page, scale, layers, ...(pictures.length > 0 && { pictures }) };
    return { drawing, positions, notes: this.#notes() };
  }

  /** The page; where the file names none, what is drawn. */
  #pageFor(piles: readonly Pile[]): readonly [number, number, number, number] {
    if (this.#page[2] > 0 && this.#page[3] > 0) return this.#page;
    const box = boxOf(piles.flatMap(({ shapes }) => shapes.flatMap(({ places }) => [...places])));
    const size = Math.max(box[2], box[3]);
    if (!(size > 0)) throw new CoreError('file-no-mesh', 'All that is drawn has no size.');
    return [box[0], box[1], box[2] || size, box[3] || size];
  }

  #notes(): string[] {
    const notes = [...this.#leftOut].map(
      ([what, count]) => `Left out: ${what}${count > 1 ? `, ${count} times` : ''}.`,
    );
    if (this.#hidden > 0) notes.push(`${counted(this.#hidden, 'hidden element')} of the drawing stayed out.`);
    if (this.sheet.skipped.size > 0)
      notes.push(`${counted(this.sheet.skipped.size, 'rule')} of its style sheet could not be read.`);
    return notes;
  }
}

const GROUPS = new Set(['g', 'svg', 'a', 'switch']);
const UNSEEN = new Set([
  'defs',
  'symbol',
  'clipPath',
  'mask',
  'marker',
  'pattern',
  'linearGradient',
  'radialGradient',
  'style',
  'title',
  'desc',
  'metadata',
  'filter',
  'namedview',
  'view',
]);
const LEFT_OUT: Readonly<Partial<Record<string, string>>> = {
  text: 'a text',
  script: 'a script',
  foreignObject: 'an element of another kind',
  animate: 'an animation',
  animateTransform: 'an animation',
  animateMotion: 'an animation',
  set: 'an animation',
};

/** Of a group: whether its own groups are the layers, rather than it. */
function isGroupOfLayers(element: SvgElement): boolean {
  const groups = element.children.filter(({ name }) => name === 'g');
  const named = groups.filter((group) => nameOf(group) !== undefined);
  return (
    (named.length >= 2 ||
      (groups.length === 1 && element.children.every(({ name }) => name === 'g' || UNSEEN.has(name)))) &&
    named.length === groups.length
  );
}

/** Names that programs give by themselves: a word for the kind and a number. */
const GIVEN = /^(g|path|rect|circle|ellipse|line|polygon|polyline|use|svg|group|layer|shape)[-_]?\d+$/i;

/** What a person has called an element: its label, its title, or its id. */
function nameOf({ attributes, children }: SvgElement): string | undefined {
  const title = children.find(({ name }) => name === 'title')?.text;
  for (const name of [attributes.label, attributes['aria-label'], attributes['data-name'], title])
    if (name?.trim()) return name.trim().slice(0, 120);
  const { id } = attributes;
  return id && !GIVEN.test(id) ? id.slice(0, 120) : undefined;
}

function freeName(names: Set<string>, wished: string): string {
  let name = wished;
  for (let n = 2; names.has(name); n++) name = `${wished} ${n}`;
  names.add(name);
  return name;
}

/** Places moved by a matrix. */
function moved(places: readonly number[], [a, b, c, d, e, f]: SvgMatrix): number[] {
  const out: number[] = [];
  for (let k = 0; k < places.length; k += 2)
    out.push(a * places[k] + c * places[k + 1] + e, b * places[k] + d * places[k + 1] + f);
  return out;
}

function boxOf(places: readonly number[]): [number, number, number, number] {
  let [left, top, right, low] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let k = 0; k < places.length; k += 2) {
    left = Math.min(left, places[k]);
    right = Math.max(right, places[k]);
    top = Math.min(top, places[k + 1]);
    low = Math.max(low, places[k + 1]);
  }
  return [left, top, right - left, low - top];
}

const numbersIn = (text: string | undefined): number[] =>
  (text?.match(/[-+]?(\d+\.?\d*|\.\d+)(e[-+]?\d+)?/gi) ?? []).map(Number);

/** The part of the drawing that is seen: its viewBox, or its size; zeros where it names neither. */
function pageOf({ attributes }: SvgElement): readonly [number, number, number, number] {
  const box = numbersIn(attributes.viewBox);
  if (box.length === 4 && box[2] > 0 && box[3] > 0) return [box[0], box[1], box[2], box[3]];
  const width = readLength(attributes.width, 0) ?? 0;
  const height = readLength(attributes.height, 0) ?? 0;
  return width > 0 && height > 0 ? [0, 0, width, height] : [0, 0, 0, 0];
}

/** Pixels → the box that a picture is given: whole and in its middle, unless it is drawn out to fill it. */
function pictureMatrix({ width, height }: Picture, w: number, h: number, isDrawnOut: boolean): SvgMatrix {
  if (isDrawnOut) return [w / width, 0, 0, h / height, 0, 0];
  const scale = Math.min(w / width, h / height);
  return [scale, 0, 0, scale, (w - scale * width) / 2, (h - scale * height) / 2];
}

/** How a symbol lies in the box of its use: whole, in the middle (preserveAspectRatio as it is by itself). */
function boxMatrix(target: SvgElement, use: SvgElement): SvgMatrix {
  const box = numbersIn(target.attributes.viewBox);
  if (box.length !== 4 || !(box[2] > 0 && box[3] > 0)) return SAME;
  const width = readLength(use.attributes.width ?? target.attributes.width, box[2]) ?? box[2];
  const height = readLength(use.attributes.height ?? target.attributes.height, box[3]) ?? box[3];
  const scale = Math.min(width / box[2], height / box[3]);
  return [
    scale,
    0,
    0,
    scale,
    (width - scale * box[2]) / 2 - scale * box[0],
    (height - scale * box[3]) / 2 - scale * box[1],
  ];
}
