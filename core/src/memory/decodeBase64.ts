const ALPHABET = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/';

/** The bytes of a base64 text; core has neither the DOM's nor Node's own way of reading one. */
export function decodeBase64(text: string): Uint8Array {
  const clean = text.replace(/=+$/, '');
  const bytes = new Uint8Array(Math.floor((clean.length * 3) / 4));
  const values = new Uint8Array(128);
  for (let i = 0; i < ALPHABET.length; i++) values[ALPHABET.charCodeAt(i)] = i;
  let bits = 0;
  let held = 0;
  let out = 0;
  for (let i = 0; i < clean.length; i++) {
    bits = (bits << 6) | values[clean.charCodeAt(i)];
    held += 6;
    if (held >= 8) {
      held -= 8;
      bytes[out++] = (bits >> held) & 255;
    }
  }
  return bytes;
}
