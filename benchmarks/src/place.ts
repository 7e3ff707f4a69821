import { spawn } from 'node:child_process';
import { once } from 'node:events';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { setTimeout as pause } from 'node:timers/promises';
import { makeEntryKey } from '../../scripts/lib/entryKey.mjs';

export type Ask = (path: string, init?: RequestInit) => Promise<Response>;

/** The server as it is started every day, on the database of the bench. */
export async function startServer(
  databaseUrl: string,
): Promise<{ address: string; end: () => Promise<void> }> {
  const data = mkdtempSync(join(tmpdir(), 'judoka-load-'));
  const env = {
    ...process.env,
    NODE_ENV: 'production',
    DATABASE_URL: databaseUrl,
    PORT: '0',
    JUDOKA_DATA: data,
  };
  const child = spawn(process.execPath, [join(import.meta.dirname, '../../server/dist/main.js')], {
    env: { ...env, JUDOKA_DEMO: '0', JUDOKA_LOCAL_ACCOUNT: '1' },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  let said = '';
  let address: string | undefined;
  child.stdout.on('data', (text: Buffer) => (said += text.toString()));
  while (!(address = /Judoka is at (http:\/\/[^\s/]+)/.exec(said)?.[1])) await pause(50);
  const end = async (): Promise<void> => {
    const gone = once(child, 'exit');
    child.kill('SIGTERM');
    await gone;
    rmSync(data, { recursive: true, force: true });
  };
  return { address, end };
}

export async function comeIn(address: string, databaseUrl: string): Promise<Ask> {
  const response = await fetch(`${address}/api/enter`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ key: await makeEntryKey(databaseUrl) }),
  });
  const cookie = (response.headers.get('set-cookie') ?? '').split(';')[0];
  return (path, init = {}) =>
    fetch(address + path, { ...init, headers: { ...(init.headers as Record<string, string>), cookie } });
}
