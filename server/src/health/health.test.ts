import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { clientWith, startTestServer, type TestServer } from '../testServer.ts';

let server: TestServer;
beforeAll(async () => {
  server = await startTestServer();
});
afterAll(() => server.close());

test('health says that server and database are up, to anybody', async () => {
  const { status, json } = await clientWith(server.address, '').get('/health');
  expect([status, json]).toEqual([200, { server: 'up', database: 'up' }]);
});

test('figures count what was asked, and end as the format says', async () => {
  const nobody = clientWith(server.address, '');
  for (let ask = 0; ask < 3; ask++) await nobody.get('/api/characters');
  await (await server.client()).get('/api/characters');
  const { bytes, headers } = await nobody.get('/metrics');
  const text = new TextDecoder().decode(bytes);
  expect(headers.get('content-type')).toContain('openmetrics-text');
  const figure = (name: string): number =>
    Number(
      text
        .split('\n')
        .find((line) => line.startsWith(name))
        ?.split(' ')
        .at(-1),
    );
  expect(figure('judoka_requests_total{method="GET",status="4xx"}')).toBe(3);
  expect(figure(`judoka_requests_total{method="GET",status="2xx"}`)).toBe(2);
  expect(figure('judoka_answer_seconds_bucket{le="+Inf"}')).toBe(figure('judoka_answer_seconds_count'));
  expect(figure('judoka_database_bytes')).toBeGreaterThan(1e6);
  expect(figure('judoka_jobs{state="waiting"}')).toBe(0);
  expect(text.endsWith('# EOF\n')).toBe(true);
  for (const line of text.trim().split('\n'))
    expect(line).toMatch(/^(# (TYPE \w+ \w+|EOF)|\w+(\{[^}]*\})? [\d.e+-]+)$/);
});

test('when the place was last backed up, and that backups fail, is told', async () => {
  const client = await server.client();
  const ask = async (): Promise<unknown> => (await client.get('/api/place')).json;
  expect(await ask()).toEqual({ backedUpAt: null, failedAt: null });
  const keep = (name: string, at: string): Promise<unknown> =>
    server.database.query('insert into place (name, value) values ($1, $2)', [name, JSON.stringify({ at })]);
  await keep('last-backup', '2026-11-01T04:00:00.000Z');
  await keep('backup-failure', '2026-11-02T04:00:00.000Z');
  expect(await ask()).toEqual({
    backedUpAt: '2026-11-01T04:00:00.000Z',
    failedAt: '2026-11-02T04:00:00.000Z',
  });
  const metrics = new TextDecoder().decode((await client.get('/metrics')).bytes);
  expect(metrics).toMatch(/^judoka_backup_age_seconds \d{5,}/m);
  expect(metrics).toContain('judoka_backup_fails 1');
});
