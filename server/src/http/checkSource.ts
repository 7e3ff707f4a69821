import type { RequestHandler } from 'express';
import type { Config } from '../config.ts';
import { RequestError } from './requestError.ts';

const THIS_MACHINE = /^(localhost|127\.0\.0\.1|\[::1\])(:\d+)?$/;
const SAFE = new Set(['GET', 'HEAD', 'OPTIONS']);

/**
 * Takes only what is sent to this place by name, and lets only its own pages change something: a page elsewhere can reach
 * it neither through a name that points here nor with a form of its own. A program that is no browser says no origin.
 */
export function checkSource({ address }: Pick<Config, 'address'>): RequestHandler {
  return (request, _response, next) => {
    const hosts = request.headersDistinct.host ?? [];
    const host = hosts.length === 1 ? hosts[0].toLowerCase() : '';
    if (!(address ? host === address.host : THIS_MACHINE.test(host)))
      throw new RequestError(
        'request-invalid',
        `This server answers only at ${address ? address.origin : 'localhost'}.`,
      );
    if (!SAFE.has(request.method)) {
      const { origin, 'sec-fetch-site': site } = request.headers;
      const own = address ? address.origin : `http://${host}`;
      if ((origin !== undefined && origin !== own) || !['same-origin', 'none', undefined].includes(site))
        throw new RequestError('not-allowed', 'Only Judoka’s own pages change something here.');
    }
    next();
  };
}
