/** An element as text: attributes that are undefined are left out, and what is in it comes as it is. */
export function element(
  name: string,
  attributes: Readonly<Record<string, string | number | undefined>>,
  ...inside: readonly (string | readonly string[])[]
): string {
  const own = Object.entries(attributes).flatMap(([key, value]) =>
    value === undefined ? [] : [` ${key}="${escaped(String(value))}"`],
  );
  const body = inside.flat().join('');
  return body === '' ? `<${name}${own.join('')}/>\n` : `<${name}${own.join('')}>${lined(body)}</${name}>\n`;
}

/** Elements stand on lines of their own. */
const lined = (body: string): string => (body.startsWith('<') ? `\n${body}` : body);

const ENTITIES: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' };

/** A text as it may stand in an element or an attribute; what XML 1.0 knows no letter for is left out. */
export function escaped(text: string): string {
  return text
    .replace(/[^\t\n\r\u0020-\ud7ff\ue000-\ufffd\u{10000}-\u{10ffff}]/gu, '')
    .replace(/[&<>"]/g, (letter) => ENTITIES[letter]);
}

/** Gives out names that are ids in XML, each once. */
export class XmlIds {
  readonly #taken = new Set<string>();

  id(name: string): string {
    const plain = name.replace(/[^\p{L}\p{N}_.-]/gu, '_').replace(/^(?=[^\p{L}_])/u, '_') || '_';
    let free = plain;
    for (let i = 2; this.#taken.has(free); i++) free = `${plain}-${i}`;
    this.#taken.add(free);
    return free;
  }
}
