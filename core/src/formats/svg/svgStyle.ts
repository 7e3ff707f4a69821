// eslint-disable-next-line @typescript-eslint/triple-slash-reference -- rooms that use core have to find these types too
/// <reference path="./cssTree.d.ts" />
import generate from 'css-tree/generator';
import parse from 'css-tree/parser';
import walk from 'css-tree/walker';
import type { SvgElement } from './svgTree.ts';

/** What an element looks like: presentation properties by name, inherited ones included. */
export type SvgStyle = Readonly<Record<string, string | undefined>>;

/** Properties that an element takes from what it lies in. */
const INHERITED = new Set([
  'color',
  'fill',
  'fill-opacity',
  'fill-rule',
  'stroke',
  'stroke-width',
  'stroke-opacity',
  'stroke-linecap',
  'stroke-linejoin',
  'visibility',
  'clip-rule',
]);
const OWN = new Set([
  'opacity',
  'display',
  'clip-path',
  'mask',
  'filter',
  'stop-color',
  'stop-opacity',
  'stroke-dasharray',
]);

interface Rule {
  readonly selector: string;
  readonly properties: SvgStyle;
}

/** Style sheets of a drawing: simple selectors by element, class and id, as drawing programs write them. */
export class StyleSheet {
  readonly #rules: Rule[] = [];
  /** Selectors that are not read. */
  readonly skipped = new Set<string>();

  constructor(texts: readonly string[]) {
    for (const text of texts)
      walk(parse(text, { onParseError: () => undefined }), {
        visit: 'Rule',
        enter: (rule) => {
          if (rule.prelude.type !== 'SelectorList') return;
          const properties = declarationsOf(generate(rule.block).replace(/^\{|\}$/g, ''));
          for (const selector of generate(rule.prelude).split(',')) {
            if (/^[\w-]*(\.[\w-]+)*(#[\w-]+)?$/.test(selector) || selector === '*')
              this.#rules.push({ selector, properties });
            else this.skipped.add(selector);
          }
        },
      });
  }

  /** What the sheets say of an element: later and more special rules win. */
  of({ name, attributes }: SvgElement): SvgStyle {
    if (this.#rules.length === 0) return {};
    const classes = new Set((attributes.class ?? '').split(/\s+/));
    const fitting = this.#rules.filter(({ selector }) => fits(selector, name, classes, attributes.id));
    fitting.sort((a, b) => weightOf(a.selector) - weightOf(b.selector));
    return Object.assign({}, ...fitting.map(({ properties }) => properties)) as SvgStyle;
  }
}

function fits(selector: string, name: string, classes: ReadonlySet<string>, id: string | undefined): boolean {
  if (selector === '*') return true;
  const tokens = selector.match(/[.#]?[\w-]+/g) ?? [];
  return tokens.every((token) =>
    token.startsWith('.')
      ? classes.has(token.slice(1))
      : token.startsWith('#')
        ? token.slice(1) === id
        : token === name,
  );
}

const weightOf = (selector: string): number =>
  selector.includes('#') ? 100 : (selector.match(/\./g) ?? []).length * 10;

/** `a: b; c: d` as properties. */
export function declarationsOf(text: string): Record<string, string> {
  const found: Record<string, string> = {};
  walk(parse(text, { context: 'declarationList', onParseError: () => undefined }), {
    visit: 'Declaration',
    enter: ({ property, value }) => {
      found[property.toLowerCase()] = generate(value).trim();
    },
  });
  return found;
}

/** An element's own look, within what it lies in. */
export function styleOf(element: SvgElement, outer: SvgStyle, sheet: StyleSheet): SvgStyle {
  const style: Record<string, string | undefined> = {};
  for (const name of INHERITED) if (outer[name] !== undefined) style[name] = outer[name];
  const put = (from: SvgStyle): void => {
    for (const [name, value] of Object.entries(from))
      if ((INHERITED.has(name) || OWN.has(name)) && value !== 'inherit') style[name] = value;
  };
  put(element.attributes);
  put(sheet.of(element));
  if (element.attributes.style) put(declarationsOf(element.attributes.style));
  return style;
}
