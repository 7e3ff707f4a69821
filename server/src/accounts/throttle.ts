import { RateLimiterPostgres } from 'rate-limiter-flexible';
import type { Database } from '../database.ts';
import { RequestError } from '../http/requestError.ts';

const MINUTE_S = 60;

/** Counts tries to come in, in the database, so that any number of servers count together. */
export class Throttle {
  readonly #byAddress: RateLimiterPostgres;
  readonly #byAccount: RateLimiterPostgres;

  constructor(database: Database) {
    const limiter = (keyPrefix: string, points: number, duration: number): RateLimiterPostgres =>
      new RateLimiterPostgres({
        storeClient: database,
        storeType: 'pool',
        tableName: 'tries',
        tableCreated: true,
        clearExpiredByTimeout: false,
        keyPrefix,
        points,
        duration,
      });
    this.#byAddress = limiter('address', 60, 10 * MINUTE_S);
    this.#byAccount = limiter('account', 10, 10 * MINUTE_S);
  }

  /**
   * Counts a try from an address, and on an account where one is named.
   * @throws RequestError `too-many-requests` with the seconds to wait
   */
  async count(address: string, account?: string): Promise<void> {
    await take(this.#byAddress, address);
    if (account !== undefined) await take(this.#byAccount, account.toLowerCase());
  }

  /** It was the right one: what was tried on the account before is forgotten. */
  async forgive(address: string, account?: string): Promise<void> {
    await this.#byAddress.reward(address, 1);
    if (account !== undefined) await this.#byAccount.delete(account.toLowerCase());
  }
}

async function take(limiter: RateLimiterPostgres, key: string): Promise<void> {
  try {
    await limiter.consume(key.slice(0, 200));
  } catch (refused) {
    if (refused instanceof Error) throw refused;
    const { msBeforeNext } = refused as { readonly msBeforeNext: number };
    const minutes = Math.max(1, Math.ceil(msBeforeNext / 60_000));
    throw new RequestError(
      'too-many-requests',
      `Too many tries. Wait ${minutes === 1 ? 'a minute' : `${minutes} minutes`} and try again.`,
      { seconds: Math.ceil(msBeforeNext / 1000) },
    );
  }
}
