import { expect, test } from '@jest/globals';
import { CoreError } from '../../errors.ts';
import { encodeText } from '../text.ts';
import { readXmlTree, type XmlElement } from './xmlTree.ts';

const LIMITS = {
  what: 'file',
  maxBytes: 1e6,
  maxElements: 1000,
  keepsText: (): boolean => true,
  isList: (name: string): boolean => name === 'p',
};
const NUMBERS = Array.from({ length: 300 }, (_, i) => `${i}\n`).join('');
const read = (xml: string): XmlElement => readXmlTree(encodeText(xml), LIMITS);

test('a long list is what it is in the file, and what follows it stands on its own line', () => {
  const { children } = read(`<all>\n<p>${NUMBERS}</p>\n<a/>\n<x:p x:id="two">${NUMBERS}</x:p><b/></all>`);
  const [list, a, second, b] = children;
  expect(list.text).toBe(NUMBERS);
  expect(new TextDecoder().decode(second.bytes)).toBe(NUMBERS);
  expect(second.attributes.id).toBe('two');
  expect([list.line, a.line, second.line, b.line]).toEqual([2, 303, 304, 604]);
});

test('a file that is not well-formed is refused with the line, lists before it or not', () => {
  let refusal: unknown;
  try {
    read(`<all>\n<p>${NUMBERS}</p>\n<a></all>`);
  } catch (error) {
    refusal = error;
  }
  expect(refusal).toBeInstanceOf(CoreError);
  expect((refusal as CoreError).detail.where).toBe('line 303');
});

test.each([
  ['in a comment', `<all><!-- <p>${NUMBERS}</p> --><p>1</p></all>`, '1'],
  ['beside a comment', `<all><p>0 <!-- here -->${NUMBERS}</p></all>`, `0 ${NUMBERS}`],
  ['with entities', `<all><p>&#48; ${NUMBERS}</p></all>`, `0 ${NUMBERS}`],
  ['in a section', `<all><p><![CDATA[${NUMBERS}]]></p></all>`, NUMBERS],
  ['that is no list of numbers', `<all><a>${NUMBERS} &amp; more</a></all>`, `${NUMBERS} & more`],
  ['beside the mark that stands for one', `<all a="\u25c6list"><p>${NUMBERS}</p></all>`, NUMBERS],
])('a long text %s', (_, xml, text) => {
  const { children } = read(xml);
  expect(children.map((child) => child.text)).toEqual([text]);
});

test('bytes of two for each letter', () => {
  const xml = `\ufeff<all><p>${NUMBERS}</p></all>`;
  const bytes = new Uint8Array(Uint16Array.from(xml, (letter) => letter.charCodeAt(0)).buffer);
  expect(readXmlTree(bytes, LIMITS).children[0].text).toBe(NUMBERS);
});
