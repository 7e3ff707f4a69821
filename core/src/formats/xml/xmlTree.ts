import { SaxesParser } from 'saxes';
import { CoreError } from '../../errors.ts';
import { asUtf8, decodeText, encodeText } from '../text.ts';

/** An element: its name and attributes without prefixes, its children, and its own text as far as it is kept. */
export interface XmlElement {
  readonly name: string;
  readonly attributes: Readonly<Record<string, string | undefined>>;
  readonly children: readonly XmlElement[];
  readonly text: string;
  /** The text in UTF-8: a long list as it lies in the file. */
  readonly bytes: Uint8Array;
  /** Of the file, from 1. */
  readonly line: number;
}

/** A line of what the parser saw, and the lists before it, whose lines it did not see: they are counted when asked for. */
interface Place {
  readonly line: number;
  readonly lists: readonly Uint8Array[];
  readonly listCount: number;
}

const lineOf = ({ line, lists, listCount }: Place): number =>
  lists.slice(0, listCount).reduce((sum, list) => sum + countLines(list), line);

class Open implements XmlElement {
  readonly children: Open[] = [];
  readonly name: string;
  readonly attributes: Readonly<Record<string, string | undefined>>;
  readonly #place: Place;
  #written = '';
  #list: Uint8Array | undefined;

  constructor(name: string, attributes: Readonly<Record<string, string>>, place: Place) {
    this.name = name;
    this.attributes = attributes;
    this.#place = place;
  }

  get line(): number {
    return lineOf(this.#place);
  }

  get text(): string {
    return this.#list ? decodeText(this.#list) : this.#written;
  }

  get bytes(): Uint8Array {
    return this.#list ?? encodeText(this.#written);
  }

  add(piece: string): void {
    if (this.text.length < MAX_TEXT) this.#setText(this.text + piece);
  }

  addList(list: Uint8Array): void {
    if (this.#list === undefined && this.#written === '') this.#list = list;
    else this.#setText(this.text + decodeText(list));
  }

  #setText(text: string): void {
    this.#written = text;
    this.#list = undefined;
  }
}

export interface XmlLimits {
  /** What the file is to a person: “drawing”. */
  readonly what: string;
  readonly maxBytes: number;
  readonly maxElements: number;
  readonly keepsText: (name: string) => boolean;
  /** Which elements hold numbers alone, by name. */
  readonly isList?: (name: string) => boolean;
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
  const { what, maxBytes, maxElements, keepsText, isList = () => false } = limits;
  if (bytes.length > maxBytes) {
    const [has, most] = [bytes.length, maxBytes].map((size) => Math.ceil(size / 1024 / 1024));
    throw new CoreError('file-too-large', `The ${what} has ${has} MB; at most ${most} MB can be taken.`);
  }
  const { text, lists } = takeOutLists(asUtf8(bytes), isList);
  const parser = new SaxesParser();
  const stack: Open[] = [];
  let root: Open | undefined;
  let count = 0;
  let listCount = 0;
  const place = (): Place => ({ line: parser.line, lists, listCount });
  parser.on('doctype', (declared) => {
    if (declared.includes('<!ENTITY'))
      throw new CoreError(
        'file-unsupported',
        `The ${what} declares entities of its own, which are not read. Save it without them.`,
      );
  });
  parser.on('error', ({ message }) => {
    throw new CoreError('file-invalid', `The ${what} is not well-formed XML (${message}).`, {
      where: `line ${lineOf(place())}`,
    });
  });
  parser.on('opentag', ({ name, attributes }) => {
    if (++count > maxElements || stack.length > MAX_DEPTH)
      throw new CoreError(
        'file-too-large',
        `The ${what} has more than ${maxElements} elements, or more than ${MAX_DEPTH} inside one another.`,
      );
    const element = new Open(localName(name), localNames(attributes), place());
    stack.at(-1)?.children.push(element);
    root ??= element;
    stack.push(element);
  });
  parser.on('closetag', () => void stack.pop());
  const addText = (piece: string): void => {
    const open = stack.at(-1);
    const list = piece.startsWith(LIST_MARK) ? lists.at(listCount++) : undefined;
    if (!open || !keepsText(open.name)) return;
    if (list) open.addList(list);
    else open.add(piece);
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

/** A list that is longer than this, in bytes, goes around the parser. */
const MIN_LIST = 400;
const LIST_MARK = '\u25c6list';
const [OPENS, CLOSES, LINE_END] = [60, 62, 10];
/** A list that begins so may be the end of an attribute. */
const NO_LIST = /[&"'>]/;

/**
 * Long lists of numbers taken out as they lie in the file; a mark stands in the place of each.
 */
function takeOutLists(
  bytes: Uint8Array,
  isList: (name: string) => boolean,
): { text: string; lists: Uint8Array[] } {
  const lists: Uint8Array[] = [];
  const kept: string[] = [];
  let done = 0;
  for (let open = bytes.indexOf(CLOSES); open >= 0;) {
    const close = bytes.indexOf(OPENS, open);
    if (close < 0) break;
    if (close - open > MIN_LIST && isList(tagBefore(bytes, open))) {
      const list = bytes.subarray(open + 1, close);
      if (!NO_LIST.test(decodeText(list.subarray(0, MIN_LIST)))) {
        kept.push(decodeText(bytes.subarray(done, open + 1)));
        kept.push(LIST_MARK);
        lists.push(list);
        done = close;
      }
    }
    open = bytes.indexOf(CLOSES, close);
  }
  kept.push(decodeText(bytes.subarray(done)));
  // A file that has the mark itself is read as it stands.
  if (kept.some((piece) => piece !== LIST_MARK && piece.includes(LIST_MARK)))
    return { text: decodeText(bytes), lists: [] };
  return { text: kept.join(''), lists };
}

/** The name of the tag that ends at a place. */
function tagBefore(bytes: Uint8Array, end: number): string {
  const tag = decodeText(bytes.subarray(bytes.lastIndexOf(OPENS, end) + 1, end));
  return localName(/^[^\s/]*/.exec(tag)?.[0] ?? '');
}

function countLines(list: Uint8Array): number {
  let count = 0;
  for (let at = list.indexOf(LINE_END); at >= 0; at = list.indexOf(LINE_END, at + 1)) count++;
  return count;
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
