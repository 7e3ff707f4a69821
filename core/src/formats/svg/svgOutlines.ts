import { SVGPathData } from 'svg-pathdata';
import type { Outline } from '../../drawing/drawing.ts';
import { readLength } from './svgLengths.ts';
import type { SvgElement } from './svgTree.ts';

/** Outlines of one element, and their vertices: x and y, in units of the drawing. */
export interface ReadOutlines {
  readonly outlines: Outline[];
  readonly places: number[];
  /** Whether the path ended before it could be read to its end. */
  readonly broken: boolean;
}

/** How a circle is made of four curves. */
const ROUND = (4 / 3) * (Math.SQRT2 - 1);
/** Ends that are nearer than this share of the outline's size are one. */
const SAME_PLACE = 1e-6;

export const SHAPES = new Set(['path', 'rect', 'circle', 'ellipse', 'line', 'polyline', 'polygon']);

interface Page {
  readonly width: number;
  readonly height: number;
}

/** The outlines of a shape element, before its transforms; none where it draws nothing. */
export function outlinesOf(element: SvgElement, page: Page): ReadOutlines {
  const { text, broken } = pathOf(element, page);
  const builder = new OutlineBuilder();
  let isBroken = broken;
  if (text !== '') {
    const { commands, ended } = readCommands(text);
    isBroken ||= ended;
    const data = new SVGPathData(commands)
      .toAbs()
      .normalizeHVZ(false, true, true)
      .normalizeST()
      .qtToC()
      .aToC();
    for (const command of data.commands) {
      if (command.type === SVGPathData.MOVE_TO) builder.moveTo(command.x, command.y);
      else if (command.type === SVGPathData.LINE_TO) builder.lineTo(command.x, command.y);
      else if (command.type === SVGPathData.CURVE_TO)
        builder.curveTo(command.x1, command.y1, command.x2, command.y2, command.x, command.y);
      else if (command.type === SVGPathData.CLOSE_PATH) builder.close();
    }
  }
  return { ...builder.done(), broken: isBroken };
}

/** As renderers do, a path with an error is drawn up to it (SVG 1.1, section F.2). */
function readCommands(text: string): { commands: SVGPathData['commands']; ended: boolean } {
  try {
    return { commands: SVGPathData.parse(text), ended: false };
  } catch {
    const commands: SVGPathData['commands'] = [];
    for (const [piece] of text.matchAll(/[a-z][^a-z]*(?:e[-+]?\d[^a-z]*)*/gi)) {
      try {
        commands.push(...SVGPathData.parse(piece));
      } catch {
        break;
      }
    }
    return { commands, ended: true };
  }
}

function pathOf(
  { name, attributes }: SvgElement,
  { width, height }: Page,
): { text: string; broken: boolean } {
  const across = (key: string): number => readLength(attributes[key], width) ?? 0;
  const upright = (key: string): number => readLength(attributes[key], height) ?? 0;
  if (name === 'path') return { text: attributes.d ?? '', broken: false };
  if (name === 'line')
    return { text: `M${across('x1')} ${upright('y1')}L${across('x2')} ${upright('y2')}`, broken: false };
  if (name === 'circle') {
    const radius = readLength(attributes.r, Math.hypot(width, height) / Math.SQRT2) ?? 0;
    return { text: ellipse(across('cx'), upright('cy'), radius, radius), broken: false };
  }
  if (name === 'ellipse')
    return { text: ellipse(across('cx'), upright('cy'), across('rx'), upright('ry')), broken: false };
  if (name === 'rect') {
    const [rx, ry] = [readLength(attributes.rx, width), readLength(attributes.ry, height)];
    return {
      text: rectangle(
        across('x'),
        upright('y'),
        across('width'),
        upright('height'),
        rx ?? ry ?? 0,
        ry ?? rx ?? 0,
      ),
      broken: false,
    };
  }
  const numbers = (attributes.points ?? '').match(/[-+]?(\d+\.?\d*|\.\d+)(e[-+]?\d+)?/gi) ?? [];
  const count = numbers.length - (numbers.length % 2);
  if (count < 4) return { text: '', broken: false };
  const end = name === 'polygon' ? 'Z' : '';
  return { text: `M${numbers.slice(0, count).join(' ')}${end}`, broken: count !== numbers.length };
}

function ellipse(x: number, y: number, rx: number, ry: number): string {
  if (!(rx > 0 && ry > 0)) return '';
  const [kx, ky] = [rx * ROUND, ry * ROUND];
  return `M${x + rx} ${y}C${x + rx} ${y + ky} ${x + kx} ${y + ry} ${x} ${y + ry}C${x - kx} ${y + ry} ${x - rx} ${y + ky} ${x - rx} ${y}C${x - rx} ${y - ky} ${x - kx} ${y - ry} ${x} ${y - ry}C${x + kx} ${y - ry} ${x + rx} ${y - ky} ${x + rx} ${y}Z`;
}

function rectangle(
  x: number,
  y: number,
  width: number,
  height: number,
  roundX: number,
  roundY: number,
): string {
  if (!(width > 0 && height > 0)) return '';
  const rx = Math.min(roundX, width / 2);
  const ry = Math.min(roundY, height / 2);
  if (!(rx > 0 && ry > 0)) return `M${x} ${y}h${width}v${height}h${-width}Z`;
  const [kx, ky] = [rx * (1 - ROUND), ry * (1 - ROUND)];
  const [right, low] = [x + width, y + height];
  return (
    `M${x + rx} ${y}H${right - rx}C${right - kx} ${y} ${right} ${y + ky} ${right} ${y + ry}` +
    `V${low - ry}C${right} ${low - ky} ${right - kx} ${low} ${right - rx} ${low}` +
    `H${x + rx}C${x + kx} ${low} ${x} ${low - ky} ${x} ${low - ry}V${y + ry}C${x} ${y + ky} ${x + kx} ${y} ${x + rx} ${y}Z`
  );
}

/** Lays vertices one after another. */
class OutlineBuilder {
  readonly #outlines: Outline[] = [];
  readonly #places: number[] = [];
  #from = 0;
  #segments = '';

  moveTo(x: number, y: number): void {
    this.#end(false);
    this.#places.push(x, y);
  }

  lineTo(x: number, y: number): void {
    const [lastX, lastY] = this.#places.slice(-2);
    if (lastX === x && lastY === y) return;
    this.#segments += 'L';
    this.#places.push(x, y);
  }

  curveTo(...places: number[]): void {
    this.#segments += 'C';
    this.#places.push(...places);
  }

  /** Where an outline's end already is its beginning, they are one. */
  close(): void {
    if (this.#segments === '') return;
    const [x, y] = this.#places.slice(this.#from, this.#from + 2);
    const [endX, endY] = this.#places.slice(-2);
    const size = this.#size();
    if (Math.hypot(x - endX, y - endY) <= SAME_PLACE * size && this.#segments.length > 1)
      this.#places.length -= 2;
    else this.#segments += 'L';
    this.#end(true);
    // What goes on without a move begins where this one began.
    this.#places.push(x, y);
  }

  done(): { outlines: Outline[]; places: number[] } {
    this.#end(false);
    return { outlines: this.#outlines, places: this.#places };
  }

  #size(): number {
    let size = 0;
    for (let k = this.#from + 2; k < this.#places.length; k += 2)
      size = Math.max(
        size,
        Math.abs(this.#places[k] - this.#places[this.#from]),
        Math.abs(this.#places[k + 1] - this.#places[this.#from + 1]),
      );
    return size;
  }

  #end(closed: boolean): void {
    if (this.#places.length - this.#from === 4 && this.#segments !== '') this.#bow();
    else if (this.#segments !== '')
      this.#outlines.push({ first: this.#from / 2, segments: this.#segments, closed });
    else this.#places.length = this.#from;
    this.#segments = '';
    this.#from = this.#places.length;
  }

  /** A line between two points becomes a curve on itself: there is nothing to take hold of in two points alone. */
  #bow(): void {
    const [x, y, endX, endY] = this.#places.splice(this.#from);
    for (const share of [0, 1 / 3, 2 / 3, 1])
      this.#places.push(x + share * (endX - x), y + share * (endY - y));
    this.#outlines.push({ first: this.#from / 2, segments: 'C', closed: false });
  }
}
