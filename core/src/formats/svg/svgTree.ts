import { SaxesParser } from 'saxes';
import { CoreError } from '../../errors.ts';
import { decodeText } from '../text.ts';

/** An element of a drawing: its name and attributes without prefixes, its children, and its own text. */
export interface SvgElement {
  readonly name: string;
  readonly attributes: Readonly<Record<string, string | undefined>>;
  readonly children: readonly SvgElement[];
  readonly text: string;
}

interface Open extends SvgElement {
  readonly children: SvgElement[];
  text: string;
}

export const MAX_SVG_BYTES = 50 * 1024 * 1024;
const MAX_ELEMENTS = 200_000;
const MAX_DEPTH = 200;
/** Of text that is kept: style sheets and titles. */
const MAX_TEXT = 1_000_000;

/** Whether a file's first bytes are those of a drawing in XML. */
export function looksLikeSvg(bytes: Uint8Array): boolean {
  const start = decodeText(bytes.subarray(0, 4096)).trimStart();
  return /^<(\?xml|!--|!DOCTYPE\s+svg|([\w-]+:)?svg[\s>])/i.test(start);
}

/**
 * Reads the elements of an SVG file. Nothing in it runs and nothing outside is fetched.
 * @throws CoreError file-too-large, file-invalid with the line, file-unsupported for entities of its own
 */
export function readSvgTree(bytes: Uint8Array): SvgElement {
  if (bytes.length > MAX_SVG_BYTES)
    throw new CoreError(
      'file-too-large',
      `The drawing has ${Math.ceil(bytes.length / 1024 / 1024)} MB; at most 50 MB can be taken.`,
    );
  const parser = new SaxesParser();
  const stack: Open[] = [];
  let root: Open | undefined;
  let count = 0;
  parser.on('doctype', (text) => {
    if (text.includes('<!ENTITY'))
      throw new CoreError(
        'file-unsupported',
        'The drawing declares entities of its own, which are not read. Save it as plain SVG.',
      );
  });
  parser.on('error', ({ message }) => {
    throw new CoreError('file-invalid', `The drawing is not well-formed XML (${message}).`, {
      where: `line ${parser.line}`,
    });
  });
  parser.on('opentag', ({ name, attributes }) => {
    if (++count > MAX_ELEMENTS || stack.length > MAX_DEPTH)
      throw new CoreError(
        'file-too-large',
        `The drawing has more than ${MAX_ELEMENTS} elements, or more than ${MAX_DEPTH} inside one another.`,
      );
    const element: Open = { name: local(name), attributes: localNames(attributes), children: [], text: '' };
    stack.at(-1)?.children.push(element);
    root ??= element;
    stack.push(element);
  });
  parser.on('closetag', () => void stack.pop());
  const addText = (text: string): void => {
    const open = stack.at(-1);
    if (open && (open.name === 'style' || open.name === 'title') && open.text.length < MAX_TEXT)
      open.text += text;
  };
  parser.on('text', addText);
  parser.on('cdata', addText);
  parser.write(decodeText(bytes)).close();
  if (root?.name !== 'svg')
    throw new CoreError('file-invalid', 'This XML file holds no drawing: its root is not “svg”.');
  return root;
}

const local = (name: string): string => name.slice(name.indexOf(':') + 1);

/** A plain name wins over the same one with a prefix. */
function localNames(attributes: Readonly<Record<string, string>>): Record<string, string> {
  const named: Record<string, string> = {};
  for (const [name, value] of Object.entries(attributes)) {
    if (name.startsWith('xmlns')) continue;
    if (!name.includes(':') || !(local(name) in named)) named[local(name)] = value;
  }
  return named;
}
