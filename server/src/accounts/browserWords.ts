const BROWSERS: readonly (readonly [RegExp, string])[] = [
  [/Edg\//, 'Edge'],
  [/OPR\//, 'Opera'],
  [/Firefox\//, 'Firefox'],
  [/Chrom(?:e|ium)\//, 'Chrome'],
  [/Safari\//, 'Safari'],
];
const SYSTEMS: readonly (readonly [RegExp, string])[] = [
  [/Android/, 'Android'],
  [/iPhone|iPad/, 'iOS'],
  [/Windows/, 'Windows'],
  [/Mac OS X/, 'macOS'],
  [/Linux|X11/, 'Linux'],
];

/** A browser as a person knows it, from what it says of itself: enough to tell one's sessions apart. */
export function browserWords(agent: string): string {
  const name = (list: typeof BROWSERS): string | undefined =>
    list.find(([pattern]) => pattern.test(agent))?.[1];
  const [browser, system] = [name(BROWSERS) ?? 'A browser', name(SYSTEMS)];
  return system ? `${browser} on ${system}` : browser;
}
