import { createHash, randomBytes } from 'node:crypto';

/** What opens a door once: 256 bits, fit for an address. */
export const makeToken = (): string => randomBytes(32).toString('base64url');

/** What is kept of one. It is random, so a fast hash without salt does. */
export const hashOf = (token: string): Buffer => createHash('sha256').update(token).digest();
