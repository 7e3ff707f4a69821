const ENTITIES: Readonly<Record<string, string>> = {
  '&': '&amp;',
  '<': '&lt;',
  '>': '&gt;',
  '"': '&quot;',
  "'": '&#39;',
};
/** Text that stays text in a page. */
export const text = (words: string): string => words.replace(/[&<>"']/g, (sign) => ENTITIES[sign]);
