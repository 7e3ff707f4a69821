import { randomUUID } from 'node:crypto';
import { openGlb, readCharacter } from '@judoka/core/formats';
import type { Change } from '@judoka/core/weights';
import { makeFerryKeeper } from '@judoka/demo';
import { makeEntryKey } from '../lib/entryKey.mjs';
import { openPlace } from '../lib/openPlace.mjs';
import { giveTo, ServiceClient } from '../../contract/src/testing/documentService.ts';

let source: Promise<Uint8Array> | undefined;
const keeper = (): Promise<Uint8Array> => (source ??= makeFerryKeeper({ size: 'small', faults: true }));

type Fetch = (path: string, init?: RequestInit) => Promise<Response>;

/** Comes in at a place that runs; what asks it from then on. */
export async function signIn(address: string, data: string): Promise<Fetch> {
  const { url } = await openPlace(data);
  const response = await fetch(`${address}/api/enter`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ key: await makeEntryKey(url) }),
  });
  const answer = await response.text();
  if (!response.ok) throw new Error(`Nobody is let in: ${response.status} ${answer}`);
  const cookie = (response.headers.get('set-cookie') ?? '').split(';')[0];
  return (path, init = {}) =>
    fetch(address + path, { ...init, headers: { ...(init.headers as Record<string, string>), cookie } });
}

export async function shelfOf(ask: Fetch): Promise<{ id: string; name: string }[]> {
  const response = await ask('/api/characters');
  const answer = (await response.json()) as { characters?: { id: string; name: string }[] };
  if (!answer.characters) throw new Error(`The shelf answers ${response.status}: ${JSON.stringify(answer)}`);
  return answer.characters;
}

/** Brings a character in; again under the same id it comes once. @returns what opens and changes it */
export async function bringIn(ask: Fetch, name: string, id: string = randomUUID()): Promise<Painter> {
  const response = await ask(`/api/characters?id=${id}&name=${encodeURIComponent(name)}`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/octet-stream' },
    body: (await keeper()) as Uint8Array<ArrayBuffer>,
  });
  const answer = await response.text();
  if (!response.ok) throw new Error(`“${name}” did not come in: ${response.status} ${answer}`);
  return painterOf(ask, id);
}

export async function painterOf(ask: Fetch, character: string): Promise<Painter> {
  const { skeleton } = await readCharacter(openGlb(await keeper()));
  return new Painter(new ServiceClient({ character, jointCount: skeleton.joints.length, fetch: ask }));
}

/** Somebody who gives point after point wholly to a joint. */
export class Painter {
  readonly service: ServiceClient;
  #head = -1;

  constructor(service: ServiceClient) {
    this.service = service;
  }

  /** One stroke more; whether it was said to be saved. */
  async stroke(): Promise<boolean> {
    const { rows, head } = await this.service.open();
    this.#head = head;
    const weights: Change = giveTo(rows[0], head + 1, 2 + (head % 5));
    const { status } = await this.service.send(head, {
      id: randomUUID(),
      label: `Stroke ${head + 1}`,
      weights,
    });
    return status === 200;
  }

  get head(): number {
    return this.#head;
  }
}
