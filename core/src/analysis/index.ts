export { angleWords, blemishWords, figureWords, NO_VOLUME_WORDS, strayWords, stretchWords } from './words.ts';
