/** A moment as a person says it: the day, and the minute. */
export const momentWords = (moment: string | number): string =>
  new Date(moment).toLocaleString(undefined, {
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
  });
