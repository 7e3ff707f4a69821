export { angleWords, figureWords, NO_VOLUME_WORDS, strayWords, stretchWords } from './words.ts';
