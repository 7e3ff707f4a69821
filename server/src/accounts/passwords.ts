import { hash, verify } from '@node-rs/argon2';

/** argon2id as OWASP's password storage advice has it: 19 MB, two passes. */
const COST = { memoryCost: 19_456, timeCost: 2, parallelism: 1 };

export const hashPassword = (password: string): Promise<string> => hash(password.normalize('NFKC'), COST);

let nobodys: Promise<string> | undefined;

/** Whether it is the password; for nobody at all it takes as long, so that names cannot be found out by the clock. */
export async function isPassword(stored: string | null | undefined, password: string): Promise<boolean> {
  nobodys ??= hashPassword('nobody has this one');
  const fits = await verify(stored ?? (await nobodys), password.normalize('NFKC'));
  return fits && typeof stored === 'string';
}
