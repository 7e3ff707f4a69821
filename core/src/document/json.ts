/** Plain data, as it is sent and stored. */
export type Json =
  null | boolean | number | string | readonly Json[] | { readonly [key: string]: Json | undefined };

/** Whether two pieces of plain data say the same; the order of an object's keys does not matter. */
export function sameJson(a: Json | undefined, b: Json | undefined): boolean {
  if (a === b) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  if (Array.isArray(a) || Array.isArray(b)) {
    if (!Array.isArray(a) || !Array.isArray(b) || a.length !== b.length) return false;
    return a.every((item: Json, i) => sameJson(item, b[i] as Json));
  }
  const [left, right] = [a, b] as Record<string, Json | undefined>[];
  const keys = Object.keys(left).filter((key) => left[key] !== undefined);
  if (keys.length !== Object.keys(right).filter((key) => right[key] !== undefined).length) return false;
  return keys.every((key) => sameJson(left[key], right[key]));
}
