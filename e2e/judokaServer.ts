import { spawn, type ChildProcess } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { shelfAnswer } from '@judoka/contract';
import pg from 'pg';
import { makeEntryKey } from '../scripts/lib/entryKey.mjs';

const ROOT = join(import.meta.dirname, '..');
const STARTING_MS = 180_000;

/** The real server as a process of its own, on a database of its own; it can be killed and started again. */
export class JudokaServer {
  readonly #databaseUrl: string;
  readonly #data = mkdtempSync(join(tmpdir(), 'judoka-data-'));
  #process: ChildProcess | undefined;
  #client: pg.Client | undefined;
  readonly port: number;

  private constructor(databaseUrl: string, port: number) {
    this.#databaseUrl = databaseUrl;
    this.port = port;
  }

  get address(): string {
    return `http://localhost:${this.port}`;
  }

  /** An address that lets one browser in, once, as the account of this machine. */
  async entry(): Promise<string> {
    return `${this.address}/enter#${await makeEntryKey(this.#databaseUrl)}`;
  }

  static async create(): Promise<JudokaServer> {
    const admin = process.env.DATABASE_URL;
    if (!admin) throw new Error('DATABASE_URL is not set: run these tests with npm test -- e2e.');
    await makeTemplate(admin);
    const name = `e2e_${randomUUID().replaceAll('-', '')}`;
    await inDatabase(admin, `create database ${name} template ${TEMPLATE}`);
    return JudokaServer.on(databaseUrl(admin, name));
  }

  /** Starts it on a database that is there. */
  static async on(url: string): Promise<JudokaServer> {
    const server = new JudokaServer(url, await freePort());
    await server.start();
    return server;
  }

  /** Until the whole shelf has been looked over: it would be in every copy, beside what is tested. */
  async hasLookedOver(): Promise<void> {
    const entered = await fetch(`${this.address}/api/enter`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ key: await makeEntryKey(this.#databaseUrl) }),
    });
    const cookie = entered.headers.get('set-cookie')?.split(';')[0] ?? '';
    for (const end = Date.now() + STARTING_MS; ; await new Promise((resolve) => setTimeout(resolve, 250))) {
      const answer = await fetch(`${this.address}/api/characters`, { headers: { cookie } });
      const { characters } = shelfAnswer.parse(await answer.json());
      if (characters.every(({ isChecked }) => isChecked)) return;
      if (Date.now() > end) throw new Error('The shelf was not looked over in time.');
    }
  }

  start(): Promise<void> {
    const { NODE_OPTIONS: _, ...env } = process.env;
    const child = spawn(
      process.execPath,
      // As it is started every day; the test script has built it.
      ['--no-warnings', join(ROOT, 'server/dist/main.js')],
      {
        cwd: ROOT,
        env: {
          ...env,
          NODE_ENV: 'production',
          DATABASE_URL: this.#databaseUrl,
          PORT: String(this.port),
          JUDOKA_DATA: this.#data,
          JUDOKA_LOCAL_ACCOUNT: '1',
        },
        stdio: ['ignore', 'pipe', 'inherit'],
      },
    );
    this.#process = child;
    return new Promise((resolve, reject) => {
      const late = setTimeout(() => reject(new Error('The server did not start in time.')), STARTING_MS);
      child.stdout.on('data', (text: Buffer) => {
        if (!text.toString().includes('Judoka is at')) return;
        clearTimeout(late);
        resolve();
      });
      child.once('exit', (code) => reject(new Error(`The server ended with code ${code}.`)));
    });
  }

  /** As a power cut would: no time to finish anything. */
  async kill(): Promise<void> {
    const child = this.#process;
    if (!child || child.exitCode !== null) return;
    const gone = new Promise((resolve) => child.once('exit', resolve));
    child.kill('SIGKILL');
    await gone;
  }

  async close(): Promise<void> {
    await Promise.all([this.kill(), this.#client?.end()]);
    rmSync(this.#data, { recursive: true, force: true });
  }

  /** What the database holds, for checking effects behind the page's back. */
  async query<T extends pg.QueryResultRow>(sql: string, values: unknown[] = []): Promise<T[]> {
    if (!this.#client) {
      this.#client = new pg.Client({ connectionString: this.#databaseUrl });
      await this.#client.connect();
    }
    return (await this.#client.query<T>(sql, values)).rows;
  }
}

/** The database of a place that has just begun, with the demo on its shelf; made once for all test files. */
const TEMPLATE = 'e2e_template';

async function makeTemplate(admin: string): Promise<void> {
  // Whoever comes second waits until it is made.
  const client = new pg.Client({ connectionString: admin });
  await client.connect();
  try {
    await client.query('select pg_advisory_lock(hashtext($1))', [TEMPLATE]);
    await makeTemplateAlone(admin);
  } finally {
    await client.end();
  }
}

async function makeTemplateAlone(admin: string): Promise<void> {
  const { rows } = await inDatabase(admin, 'select 1 from pg_database where datname = $1', [TEMPLATE]);
  if (rows.length > 0) return;
  const making = `${TEMPLATE}_making`;
  await inDatabase(admin, `drop database if exists ${making} with (force)`);
  await inDatabase(admin, `create database ${making}`);
  const server = await JudokaServer.on(databaseUrl(admin, making));
  await server.hasLookedOver();
  await server.close();
  // Nobody may be connected to what is copied.
  await inDatabase(
    admin,
    'select pg_terminate_backend(pid) from pg_stat_activity where datname = $1 and pid <> pg_backend_pid()',
    [making],
  );
  await inDatabase(admin, `alter database ${making} rename to ${TEMPLATE}`);
}

function databaseUrl(admin: string, name: string): string {
  const url = new URL(admin);
  url.pathname = `/${name}`;
  return url.href;
}

async function inDatabase(url: string, sql: string, values: unknown[] = []) {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  try {
    return await client.query(sql, values);
  } finally {
    await client.end();
  }
}

function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const probe = createServer().listen(0, '127.0.0.1', () => {
      const { port } = probe.address() as AddressInfo;
      probe.close(() => resolve(port));
    });
  });
}
