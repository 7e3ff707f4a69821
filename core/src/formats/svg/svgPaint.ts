import { colord, extend } from 'colord';
import names from 'colord/plugins/names';
import type { Gradient, GradientStop, Paint, Stroke } from '../../drawing/drawing.ts';
import { readLength } from './svgLengths.ts';
import { inverse, meanScale, readTransform, times, type SvgMatrix } from './svgMatrix.ts';
import { styleOf, type StyleSheet, type SvgStyle } from './svgStyle.ts';
import type { SvgElement } from './svgTree.ts';

extend([names]);

/** What paints are looked up in. */
export interface PaintSource {
  readonly byId: ReadonlyMap<string, SvgElement>;
  readonly sheet: StyleSheet;
  /** Says what is left out. */
  leaveOut(what: string): void;
}

/** Where a shape stands: its matrix, and its own box before it, as gradients ask for. */
export interface PaintPlace {
  readonly matrix: SvgMatrix;
  /** left, top, width, height */
  readonly box: readonly [number, number, number, number];
}

const MAX_LINKS = 16;

/** The fill or the stroke of a style; undefined for none. */
export function paintOf(
  style: SvgStyle,
  kind: 'fill' | 'stroke',
  opacity: number,
  place: PaintPlace,
  source: PaintSource,
): Paint | undefined {
  const value = (style[kind] ?? (kind === 'fill' ? 'black' : 'none')).trim();
  const own = shareOf(style[`${kind}-opacity`]) * opacity;
  if (value === 'none' || value === 'transparent') return undefined;
  const link = /^url\(\s*["']?#([^"')]+)["']?\s*\)\s*(.*)$/.exec(value);
  if (!link) return plain(value, own, style);
  const element = source.byId.get(link[1]);
  if (element?.name === 'linearGradient' || element?.name === 'radialGradient')
    return gradientPaint(element, own, place, source);
  if (element) source.leaveOut(`a fill by “${element.name}”`);
  return plain(link[2] || 'grey', own, style);
}

function plain(value: string, opacity: number, style: SvgStyle): Paint | undefined {
  const read = colord(value.toLowerCase() === 'currentcolor' ? (style.color ?? 'black') : value);
  const { a } = read.toRgb();
  const colour = read.isValid() ? read.alpha(1).toHex() : '#808080';
  return { colour, opacity: opacity * (read.isValid() ? a : 1) };
}

function shareOf(text: string | undefined): number {
  const share = readLength(text, 1);
  return share === undefined ? 1 : Math.max(0, Math.min(1, share));
}

export const opacityOf = (style: SvgStyle): number => shareOf(style.opacity);

/** The stroke of a style; its width grows as the matrix does in the mean. */
export function strokeOf(
  style: SvgStyle,
  opacity: number,
  place: PaintPlace,
  source: PaintSource,
): Stroke | undefined {
  const paint = paintOf(style, 'stroke', opacity, place, source);
  const width = (readLength(style['stroke-width'], 100) ?? 1) * meanScale(place.matrix);
  if (!paint || !(width > 0)) return undefined;
  if (style['stroke-dasharray'] && style['stroke-dasharray'] !== 'none') source.leaveOut('dashes of a line');
  const cap = style['stroke-linecap'];
  const join = style['stroke-linejoin'];
  return {
    paint,
    width,
    cap: cap === 'round' || cap === 'square' ? cap : 'butt',
    join: join === 'round' || join === 'bevel' ? join : 'miter',
  };
}

function gradientPaint(
  element: SvgElement,
  opacity: number,
  place: PaintPlace,
  source: PaintSource,
): Paint | undefined {
  const chain = linked(element, source);
  const stops = stopsOf(
    chain.find(({ children }) => children.some(({ name }) => name === 'stop')),
    source,
  );
  if (stops.length === 0) return undefined;
  const colour = meanColour(stops);
  const attribute = (name: string): string | undefined =>
    chain.find(({ attributes }) => attributes[name] !== undefined)?.attributes[name];
  const matrix = gradientMatrix(element.name, attribute, place);
  if (stops.length === 1 || !matrix) {
    const { colour: only, opacity: share } = stops[stops.length - 1];
    return { colour: only, opacity: opacity * share };
  }
  const spread = attribute('spreadMethod');
  const gradient: Gradient = {
    kind: element.name === 'linearGradient' ? 'linear' : 'radial',
    place: matrix,
    spread: spread === 'reflect' || spread === 'repeat' ? spread : 'pad',
    stops,
  };
  return { colour, opacity, gradient };
}

/** A gradient and those it refers to. */
function linked(element: SvgElement, { byId }: PaintSource): SvgElement[] {
  const chain = [element];
  while (chain.length < MAX_LINKS) {
    const next = byId.get((chain[chain.length - 1].attributes.href ?? '').replace(/^#/, ''));
    if (!next || chain.includes(next)) break;
    chain.push(next);
  }
  return chain;
}

function stopsOf(element: SvgElement | undefined, { sheet }: PaintSource): GradientStop[] {
  const stops: GradientStop[] = [];
  for (const child of element?.children ?? []) {
    if (child.name !== 'stop') continue;
    const style = styleOf(child, {}, sheet);
    const paint = plain(style['stop-color'] ?? 'black', shareOf(style['stop-opacity']), style);
    const at = Math.max(
      stops.at(-1)?.at ?? 0,
      Math.max(0, Math.min(1, readLength(child.attributes.offset, 1) ?? 0)),
    );
    if (paint) stops.push({ at, ...paint });
  }
  return stops;
}

function meanColour(stops: readonly GradientStop[]): string {
  const sum = [0, 0, 0];
  for (const { colour } of stops) {
    const { r, g, b } = colord(colour).toRgb();
    [r, g, b].forEach((value, k) => (sum[k] += value / stops.length));
  }
  return colord({ r: sum[0], g: sum[1], b: sum[2] }).toHex();
}

/** Drawing → gradient: through the shape's own matrix back, its box if asked for, and the gradient's own line or circle. */
function gradientMatrix(
  name: string,
  attribute: (name: string) => string | undefined,
  { matrix, box }: PaintPlace,
): SvgMatrix | undefined {
  const isBox = attribute('gradientUnits') !== 'userSpaceOnUse';
  const [left, top, width, height] = box;
  if (isBox && !(width > 0 && height > 0)) return undefined;
  const inBox: SvgMatrix = isBox ? [width, 0, 0, height, left, top] : [1, 0, 0, 1, 0, 0];
  const number = (key: string, otherwise: string): number =>
    readLength(attribute(key) ?? otherwise, 1) ?? Number.NaN;
  let own: SvgMatrix;
  if (name === 'linearGradient') {
    const [x, y] = [number('x1', '0%'), number('y1', '0%')];
    const [dx, dy] = [number('x2', '100%') - x, number('y2', '0%') - y];
    own = [dx, dy, -dy, dx, x, y];
  } else {
    const radius = number('r', '50%');
    own = [radius, 0, 0, radius, number('cx', '50%'), number('cy', '50%')];
  }
  return inverse(times(times(matrix, inBox), times(readTransform(attribute('gradientTransform')), own)));
}
