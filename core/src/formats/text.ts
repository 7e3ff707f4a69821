// These two stand in every page, worker and Node, but their types come with the DOM's, which core does without.
declare const TextDecoder: new (label: string) => { decode(bytes: Uint8Array): string };
declare const TextEncoder: new () => { encode(text: string): Uint8Array };

export function decodeText(bytes: Uint8Array): string {
  return new TextDecoder('utf-8').decode(bytes);
}

/** A text whose first bytes may say that it is UTF-16. */
export function decodeAnyText(bytes: Uint8Array): string {
  return decodeWide(bytes) ?? decodeText(bytes);
}

/** The bytes in UTF-8 of a text whose first ones may say that it is UTF-16. */
export function asUtf8(bytes: Uint8Array): Uint8Array {
  const wide = decodeWide(bytes);
  return wide === undefined ? bytes : encodeText(wide);
}

function decodeWide(bytes: Uint8Array): string | undefined {
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return new TextDecoder('utf-16le').decode(bytes);
  if (bytes[0] === 0xfe && bytes[1] === 0xff) {
    const swapped = bytes.slice(0, bytes.length & ~1);
    for (let i = 0; i < swapped.length; i += 2) [swapped[i], swapped[i + 1]] = [swapped[i + 1], swapped[i]];
    return new TextDecoder('utf-16le').decode(swapped);
  }
  return undefined;
}

export function encodeText(text: string): Uint8Array {
  return new TextEncoder().encode(text);
}
