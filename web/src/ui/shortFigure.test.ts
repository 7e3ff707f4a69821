import { expect, test } from '@jest/globals';
import { shortFigure } from './shortFigure.ts';

test.each([
  [0, '0'],
  [0.0004, 'under 0.001'],
  [0.0234, '0.023'],
  [1.06, '1.1'],
  [27.4, '27'],
  [310.2, '310'],
  [12_345.6, '12,346'],
])('%d is told as %s', (value, words) => expect(shortFigure(value)).toBe(words));
