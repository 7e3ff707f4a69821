import { expect, test } from '@jest/globals';
import type { Request, Response } from 'express';
import { checkSource } from './checkSource.ts';

interface Asked {
  readonly method?: string;
  readonly host?: readonly string[];
  readonly origin?: string;
  readonly site?: string;
}

/** Whether a request passes; why not, where it does not. */
function passes(address: string | undefined, { method = 'POST', host = [], origin, site }: Asked): string {
  const request = {
    method,
    headersDistinct: { host },
    headers: { origin, 'sec-fetch-site': site },
  } as unknown as Request;
  let passed = 'no answer';
  try {
    checkSource({ address: address === undefined ? undefined : new URL(address) })(
      request,
      {} as Response,
      () => (passed = 'passes'),
    );
  } catch (error) {
    return (error as { code: string }).code;
  }
  return passed;
}

const HERE = { host: ['localhost:4600'] };
const PLACE = 'https://judoka.example.org';
const THERE = { host: ['judoka.example.org'] };

test.each<[string, string | undefined, Asked, string]>([
  ['a program on this machine', undefined, HERE, 'passes'],
  ['its own page', undefined, { ...HERE, origin: 'http://localhost:4600', site: 'same-origin' }, 'passes'],
  ['a page on another port', undefined, { ...HERE, origin: 'http://localhost:4601' }, 'not-allowed'],
  ['a page of the same site', undefined, { ...HERE, site: 'same-site' }, 'not-allowed'],
  ['a page without an origin', undefined, { ...HERE, origin: 'null' }, 'not-allowed'],
  ['a page elsewhere that only reads', undefined, { ...HERE, method: 'GET', site: 'cross-site' }, 'passes'],
  ['two names', undefined, { host: ['localhost:4600', 'localhost:4600'] }, 'request-invalid'],
  ['no name', undefined, { host: [] }, 'request-invalid'],
  ['a name that points here', undefined, { host: ['evil.example'] }, 'request-invalid'],
  ['the team’s page', PLACE, { ...THERE, origin: PLACE }, 'passes'],
  ['the team’s page, unsafely', PLACE, { ...THERE, origin: 'http://judoka.example.org' }, 'not-allowed'],
  ['this machine’s name at a team’s server', PLACE, HERE, 'request-invalid'],
])('%s', (_who, address, asked, outcome) => {
  expect(passes(address, asked)).toBe(outcome);
});
