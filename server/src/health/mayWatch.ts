import { timingSafeEqual } from 'node:crypto';
import type { RequestHandler } from 'express';
import { hashOf } from '../accounts/tokens.ts';
import type { Config } from '../config.ts';
import { RequestError } from '../http/requestError.ts';

const LOOPBACK = new Set(['127.0.0.1', '::1', '::ffff:127.0.0.1']);

/** Figures are for this machine, or for whoever has the token of the setting JUDOKA_METRICS_TOKEN. */
export function mayWatch({
  metricsToken,
  address,
}: Pick<Config, 'metricsToken' | 'address'>): RequestHandler {
  return (request, _response, next) => {
    const given = /^Bearer (.+)$/.exec(request.headers.authorization ?? '')?.[1];
    const isKnown =
      metricsToken === undefined
        ? address === undefined && LOOPBACK.has(request.socket.remoteAddress ?? '')
        : given !== undefined && timingSafeEqual(hashOf(given), hashOf(metricsToken));
    if (!isKnown) throw new RequestError('not-signed-in', 'These figures need the token of this place.');
    next();
  };
}
