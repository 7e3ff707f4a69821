// The key in the address that is printed: it lets one browser in, once, as the account of this machine.
import { createHash, randomBytes } from 'node:crypto';
import { connect } from './backup.mjs';

/** @returns {Promise<string>} what stands after the `#` of the address */
export async function makeEntryKey(url) {
  const key = randomBytes(32).toString('base64url');
  const client = await connect(url);
  try {
    await client.query(
      `insert into entry_keys (hash, account_id, expires_at)
       select $1, id, now() + interval '1 day' from accounts where is_local`,
      [createHash('sha256').update(key).digest()],
    );
  } finally {
    await client.end();
  }
  return key;
}

/** A line as it may stand in a log: without the key. */
export const withoutKey = (line) => line.replace(/(\/enter#)[\w-]+/g, '$1…');
