export { angleWords, figureWords, NO_VOLUME_WORDS, strayWords } from './words.ts';
