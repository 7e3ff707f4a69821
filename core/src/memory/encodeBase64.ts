const ALPHABET = 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/';

/** Bytes as a base64 text; core has neither the DOM's nor Node's own way of writing one. */
export function encodeBase64(bytes: Uint8Array): string {
  const pieces: string[] = [];
  for (let at = 0; at < bytes.length; at += 3) {
    const held = Math.min(3, bytes.length - at);
    const second = held > 1 ? bytes[at + 1] : 0;
    const bits = (bytes[at] << 16) | (second << 8) | (held > 2 ? bytes[at + 2] : 0);
    for (let k = 0; k < 4; k++) pieces.push(k <= held ? ALPHABET[(bits >> (18 - 6 * k)) & 63] : '=');
  }
  return pieces.join('');
}
