/** A length in millimetres, metres being the scene's unit; longer ones in metres. */
export function lengthWords(length: number): string {
  const mm = length * 1000;
  if (mm === 0) return '0 mm';
  if (mm >= 1000) return `${Number(length.toPrecision(3))} m`;
  return mm < 0.001 ? 'less than 0.001 mm' : `${Number(mm.toPrecision(2))} mm`;
}

/** A length, and what share of a size it is. */
export function costWords(cost: number, size: number): string {
  if (cost === 0) return 'nothing';
  const share = (100 * cost) / size;
  const words = share < 0.001 ? 'less than 0.001%' : `${Number(share.toPrecision(2))}%`;
  return `${lengthWords(cost)} (${words} of its size)`;
}
