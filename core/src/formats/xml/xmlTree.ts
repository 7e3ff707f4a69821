import { SaxesParser } from 'saxes';
import { CoreError } from '../../errors.ts';
import { decodeAnyText } from '../text.ts';

/** An element: its name and attributes without prefixes, its children, and its own text as far as it is kept. */
export interface XmlElement {
  readonly name: string;
  readonly attributes: Readonly<Record<string, string | undefined>>;
  readonly children: readonly XmlElement[];
  readonly text: string;
  /** Of the file, from 1. */
  readonly line: number;
}

interface Open extends XmlElement {
  readonly children: Open[];
  text: string;
}

export interface XmlLimits {
  /** What the file is to a person: “drawing”. */
  readonly what: string;
  readonly maxBytes: number;
  readonly maxElements: number;
  readonly keepsText: (name: string) => boolean;
}

const MAX_DEPTH = 200;
/** Of a text that is kept, in letters. */
const MAX_TEXT = 1_000_000;

/**
 * Reads the elements of an XML file. Nothing in it runs and nothing outside is fetched. Long lists of numbers go around the
 * parser, which looks at every letter.
 *
 * @throws CoreError file-too-large, file-invalid with the line, file-unsupported for entities of its own
 */
export function readXmlTree(bytes: Uint8Array, limits: XmlLimits): XmlElement {
  const { what, maxBytes, maxElements, keepsText } = limits;
  if (bytes.length > maxBytes) {
    const [has, most] = [bytes.length, maxBytes].map((size) => Math.ceil(size / 1024 / 1024));
    throw new CoreError('file-too-large', `The ${what} has ${has} MB; at most ${most} MB can be taken.`);
  }
  const { text, lists } = takeOutLists(decodeAnyText(bytes));
  const parser = new SaxesParser();
  const stack: Open[] = [];
  let root: Open | undefined;
  let count = 0;
  parser.on('doctype', (declared) => {
    if (declared.includes('<!ENTITY'))
      throw new CoreError(
        'file-unsupported',
        `The ${what} declares entities of its own, which are not read. Save it without them.`,
      );
  });
  parser.on('error', ({ message }) => {
    throw new CoreError('file-invalid', `The ${what} is not well-formed XML (${message}).`, {
      where: `line ${parser.line}`,
    });
  });
  parser.on('opentag', ({ name, attributes }) => {
    if (++count > maxElements || stack.length > MAX_DEPTH)
      throw new CoreError(
        'file-too-large',
        `The ${what} has more than ${maxElements} elements, or more than ${MAX_DEPTH} inside one another.`,
      );
    const own = { name: localName(name), attributes: localNames(attributes), line: parser.line };
    const element: Open = { ...own, children: [], text: '' };
    stack.at(-1)?.children.push(element);
    root ??= element;
    stack.push(element);
  });
  parser.on('closetag', () => void stack.pop());
  const addText = (piece: string): void => {
    const open = stack.at(-1);
    if (!open || !keepsText(open.name)) return;
    const list = lists.length > 0 ? listNamed(piece, lists) : undefined;
    if (list !== undefined) open.text += list;
    else if (open.text.length < MAX_TEXT) open.text += piece;
  };
  parser.on('text', addText);
  parser.on('cdata', addText);
  parser.write(text).close();
  if (!root)
    throw new CoreError('file-invalid', `The ${what} is empty: there is no element in it.`, {
      where: 'line 1',
    });
  return root;
}

/** A text between two tags that is longer than this goes around the parser. */
const MIN_LIST = 400;
const LIST_MARK = '\u25c6list ';

/** Long texts, which are lists of numbers nearly always, taken out; a mark with its number, and the list's own line ends, stand in its place. */
function takeOutLists(text: string): { text: string; lists: string[] } {
  const lists: string[] = [];
  const kept: string[] = [];
  let done = 0;
  for (let open = text.includes(LIST_MARK) ? -1 : text.indexOf('>'); open >= 0;) {
    const close = text.indexOf('<', open);
    if (close < 0) break;
    if (close - open > MIN_LIST) {
      const list = text.slice(open + 1, close);
      if (isPlainText(list)) {
        kept.push(text.slice(done, open + 1), LIST_MARK, String(lists.length), '\n'.repeat(countLines(list)));
        lists.push(list);
        done = close;
      }
    }
    open = text.indexOf('>', close);
  }
  if (lists.length === 0) return { text, lists };
  kept.push(text.slice(done));
  return { text: kept.join(''), lists };
}

/** Whether what stands between two signs is nothing but an element's text: no attribute, no entity, no end of a section. */
const isPlainText = (piece: string): boolean => ['&', '"', "'", '>'].every((sign) => !piece.includes(sign));

function countLines(piece: string): number {
  let count = 0;
  for (let at = piece.indexOf('\n'); at >= 0; at = piece.indexOf('\n', at + 1)) count++;
  return count;
}

function listNamed(text: string, lists: readonly string[]): string | undefined {
  if (!text.startsWith(LIST_MARK)) return undefined;
  return lists[Number.parseInt(text.slice(LIST_MARK.length), 10)];
}

const localName = (name: string): string => name.slice(name.indexOf(':') + 1);

/** A plain name wins over the same one with a prefix. */
function localNames(attributes: Readonly<Record<string, string>>): Record<string, string> {
  const named: Record<string, string> = {};
  for (const [name, value] of Object.entries(attributes)) {
    if (name.startsWith('xmlns')) continue;
    if (!name.includes(':') || !(localName(name) in named)) named[localName(name)] = value;
  }
  return named;
}
