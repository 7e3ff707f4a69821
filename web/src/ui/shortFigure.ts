/** A figure of two digits, or whole where it has more: never with an exponent. Not below zero. */
export function shortFigure(value: number): string {
  if (value >= 100) return Math.round(value).toLocaleString('en');
  if (value > 0 && value < 0.001) return 'under 0.001';
  return value === 0 ? '0' : value.toPrecision(2);
}
