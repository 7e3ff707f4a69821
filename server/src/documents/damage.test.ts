import { randomUUID } from 'node:crypto';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { encodeWeights, errorAnswer } from '@judoka/contract';
import type { WeightRows } from '@judoka/core/weights';
import { makeFerryKeeper } from '@judoka/demo';
import fc from 'fast-check';
import { giveTo, ServiceClient } from '../../../contract/src/testing/documentService.ts';
import { startTestServer, type Answer, type Client, type TestServer } from '../testServer.ts';

let server: TestServer;
let client: Client;
let service: ServiceClient;
let path: string;
let rows: readonly WeightRows[];

beforeAll(async () => {
  server = await startTestServer();
  client = await server.client();
  const source = await makeFerryKeeper({ size: 'small', faults: true });
  const { json } = await client.post('/api/characters?name=Damage', source);
  const character = json.id as string;
  service = new ServiceClient({ character, jointCount: 60, fetch: client.fetch });
  path = `/api/characters/${character}`;
  rows = (await service.open()).rows;
});
afterAll(() => server.close());

/** Refused in the one shape, for a reason that is the sender's; never as a failure of the server. */
function refused({ status, json }: Answer): void {
  expect(status).toBeGreaterThanOrEqual(400);
  expect(status).toBeLessThan(500);
  const { error } = errorAnswer.parse(json);
  expect(error.message).toMatch(/[.!]$/);
  expect(error.message).not.toMatch(
    /Cannot read|undefined|is not a function|at \w+ \(|syntax error|relation "/,
  );
}

const head = async (): Promise<number> => (await service.open()).head;

const anything = fc.oneof(
  fc.constantFrom<unknown>(null, '', 'x', -1, 0.5, 1e308, true, [], {}, '\0', '\uD800', 'a'.repeat(5000)),
  fc.uuid(),
  fc.integer({ min: -2, max: 70_000 }),
);

describe('edits that are none', () => {
  test('bytes that are no frame', async () => {
    await fc.assert(
      fc.asyncProperty(fc.uint8Array({ maxLength: 200 }), async (bytes) => {
        refused(await client.post(`${path}/edits`, bytes));
      }),
      { numRuns: 40 },
    );
    expect(await head()).toBe(0);
  });

  test('a frame whose header says something else', async () => {
    await fc.assert(
      fc.asyncProperty(anything, anything, async (base, entries) => {
        refused(await client.postFrame(`${path}/edits`, { base, entries }, []));
      }),
      { numRuns: 40 },
    );
    expect(await head()).toBe(0);
  });

  test('an entry with any of its fields another thing', async () => {
    const good = {
      id: randomUUID(),
      kind: 'edit',
      label: 'Give',
      weights: { blob: 0 },
      joints: [],
      values: [],
    };
    const fields = fc.constantFrom('id', 'kind', 'label', 'weights', 'joints', 'values', 'target');
    await fc.assert(
      fc.asyncProperty(fields, anything, async (field, value) => {
        const entry = { ...good, id: randomUUID(), [field]: value };
        const blob = encodeWeights(giveTo(rows[0], 7, 4));
        const before = await head();
        const answer = await client.postFrame(`${path}/edits`, { base: before, entries: [entry] }, [blob]);
        // Some of it is fine: another label, no weights.
        if (answer.status === 200) expect(await head()).toBe(before + 1);
        else {
          refused(answer);
          expect(await head()).toBe(before);
        }
      }),
      { numRuns: 80 },
    );
  });

  test('weights with any byte another one are taken only if they fit the character', async () => {
    await fc.assert(
      fc.asyncProperty(fc.nat(), fc.nat(255), async (at, byte) => {
        const { rows: now, head: before } = await service.open();
        const blob = Uint8Array.from(encodeWeights(giveTo(now[0], 9, 6)));
        blob[at % blob.length] = byte;
        const entry = { id: randomUUID(), kind: 'edit', label: 'Give', weights: { blob: 0 } };
        const answer = await client.postFrame(`${path}/edits`, { base: before, entries: [entry] }, [blob]);
        const after = await service.open();
        if (answer.status !== 200) {
          refused(answer);
          expect(after.head).toBe(before);
        }
        after.rows.forEach(({ values, joints }) => {
          expect(values.every((value) => value >= 0 && value <= 1)).toBe(true);
          expect(joints.every((joint) => joint < 60)).toBe(true);
        });
      }),
      { numRuns: 25 },
    );
  });

  test('joints that cannot be: hung on themselves, on nothing, beyond the last', async () => {
    const setup = (parent: number) => ({
      id: randomUUID(),
      name: 'horn',
      parent,
      offset: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1],
      translation: [0, 0, 0],
      rotation: [0, 0, 0, 1],
      scale: [1, 1, 1],
    });
    const before = await head();
    for (const [joint, parent] of [
      [60, 60],
      [60, 4000],
      [4000, 0],
      [60, -7],
    ]) {
      const joints = [{ joint, before: null, after: setup(parent) }];
      const entry = { id: randomUUID(), kind: 'edit', label: 'Add', joints };
      refused(await client.postFrame(`${path}/edits`, { base: before, entries: [entry] }, []));
    }
    const root = {
      id: randomUUID(),
      kind: 'edit',
      label: 'Root out',
      joints: [{ joint: 0, before: null, after: null }],
    };
    refused(await client.postFrame(`${path}/edits`, { base: before, entries: [root] }, []));
    expect(await head()).toBe(before);
  });

  test('an undo of what is not there, or not its turn', async () => {
    const before = await head();
    for (const target of [randomUUID(), 'nothing', undefined]) {
      const entry = { id: randomUUID(), kind: 'undo', label: 'Back', target };
      refused(await client.postFrame(`${path}/edits`, { base: before, entries: [entry] }, []));
    }
    expect(await head()).toBe(before);
  });

  test('the same edit twice in one batch', async () => {
    const before = await head();
    const entry = {
      id: randomUUID(),
      kind: 'edit',
      label: 'Twice',
      values: [{ path: 'locks/5', before: null, after: true }],
    };
    const answer = await client.postFrame(`${path}/edits`, { base: before, entries: [entry, entry] }, []);
    expect(answer.status).toBeLessThan(500);
    expect((await head()) - before).toBeLessThanOrEqual(1);
  });
});

describe('addresses that are none', () => {
  test.each([
    '/api/characters/1',
    '/api/characters/%00',
    '/api/characters/..%2f..%2fetc',
    `/api/characters/${randomUUID()}`,
    `/api/characters/${randomUUID()}/document`,
    `/api/characters/${randomUUID()}/edits?after=0`,
    '/api/nothing',
  ])('%s', async (address) => {
    refused(await client.get(address));
  });

  test('numbers in the address that are none', async () => {
    for (const after of ['-1', 'x', '1.5', '1e99']) refused(await client.get(`${path}/edits?after=${after}`));
  });

  test('attachments that are none', async () => {
    refused(await client.get(`${path}/attachments/${randomUUID()}`));
    refused(await client.get(`${path}/attachments/nothing`));
    refused(await client.put(`${path}/attachments/nothing`, Uint8Array.of(1)));
  });
});

test('after all of that the character still opens, and is exported', async () => {
  const { rows: now } = await service.open();
  expect(now.map(({ pointCount }) => pointCount)).toEqual(rows.map(({ pointCount }) => pointCount));
  expect((await client.get(`${path}/export.glb`)).status).toBe(200);
});
