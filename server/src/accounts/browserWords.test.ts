import { expect, test } from '@jest/globals';
import { browserWords } from './browserWords.ts';

test.each([
  ['Mozilla/5.0 (X11; Linux x86_64; rv:143.0) Gecko/20100101 Firefox/143.0', 'Firefox on Linux'],
  ['Mozilla/5.0 (Windows NT 10.0; Win64; x64) Chrome/140.0 Safari/537.36 Edg/140.0', 'Edge on Windows'],
  ['Mozilla/5.0 (Macintosh; Intel Mac OS X 10_15_7) Version/18.0 Safari/605.1.15', 'Safari on macOS'],
  ['Mozilla/5.0 (Linux; Android 15) Chrome/140.0 Mobile Safari/537.36', 'Chrome on Android'],
  ['Mozilla/5.0 (iPad; CPU OS 18_0 like Mac OS X) Version/18.0 Safari/604.1', 'Safari on iOS'],
  ['curl/8.5', 'A browser'],
  ['', 'A browser'],
])('%s is %s', (agent, words) => {
  expect(browserWords(agent)).toBe(words);
});
