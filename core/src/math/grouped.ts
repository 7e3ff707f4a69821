/**
 * A whole number with commas at every third figure. The language's own way loads the data of all languages first, which
 * takes the command line longer than reading a file.
 */
export const grouped = (count: number): string => String(count).replace(/\B(?=(\d{3})+(?!\d))/g, ',');
