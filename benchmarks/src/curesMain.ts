import { benchCures } from './cures.ts';

await benchCures();
