import { openGlb, readCharacter } from '@judoka/core/formats';
import { missed } from '../measure.ts';
import { models } from './models.ts';
import { measureStrays } from './strays.ts';

console.log('Patches of foreign weight, planted at random: found, reported rightly, and removed.');
for (const { name, bytes } of await models(process.argv.slice(2)))
  measureStrays(name, await readCharacter(openGlb(bytes)));
console.log(missed() > 0 ? `\n${missed()} figures missed` : '\nAll figures hold');
