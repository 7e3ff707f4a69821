import { CoreError } from '../../errors.ts';
import { decodeText } from '../text.ts';
import { readXmlTree, type XmlElement } from '../xml/xmlTree.ts';

export type SvgElement = XmlElement;

const LIMITS = {
  what: 'drawing',
  maxBytes: 50 * 1024 * 1024,
  maxElements: 200_000,
  // Style sheets and titles.
  keepsText: (name: string): boolean => name === 'style' || name === 'title',
};

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
  const root = readXmlTree(bytes, LIMITS);
  if (root.name !== 'svg')
    throw new CoreError('file-invalid', 'This XML file holds no drawing: its root is not “svg”.');
  return root;
}
