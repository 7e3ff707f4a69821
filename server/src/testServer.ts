import { randomUUID } from 'node:crypto';
import type { Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { packFrame, unpackFrame } from '@judoka/contract';
import type { Express } from 'express';
import pg from 'pg';
import { createApp, createServices } from './app.ts';
import { ensureLocalAccount, insertAccount } from './accounts/accounts.queries.ts';
import { makeEntryKey } from './accounts/entryKeys.queries.ts';
import { migrate, openDatabase, type Database } from './database.ts';

/** A server of a test's own, on a database of its own in the cluster that DATABASE_URL names. */
export interface TestServer {
  readonly database: Database;
  readonly databaseUrl: string;
  readonly address: string;
  readonly app: Express;
  /** A client that is signed in as the account of this machine, or as another one. */
  client(account?: string): Promise<Client>;
  /** Makes an account. @returns its id */
  account(name: string): Promise<string>;
  close(): Promise<void>;
}

export interface Answer {
  readonly status: number;
  readonly bytes: Uint8Array;
  // eslint-disable-next-line @typescript-eslint/no-explicit-any -- tests look into answers freely
  readonly json: any;
  readonly headers: Headers;
}

export interface Client {
  readonly cookie: string;
  get(path: string): Promise<Answer>;
  send(method: string, path: string, body: unknown): Promise<Answer>;
  put(path: string, bytes: Uint8Array): Promise<Answer>;
  /** Any request, signed in. */
  readonly fetch: (path: string, init?: RequestInit) => Promise<Response>;
  /** Sends bytes as they are. */
  post(path: string, bytes: Uint8Array, headers?: Record<string, string>): Promise<Answer>;
  postFrame(path: string, header: unknown, blobs: readonly Uint8Array[]): Promise<Answer>;
  frame(path: string): Promise<ReturnType<typeof unpackFrame>>;
}

interface TestServerOptions {
  /** Imports that it does itself, at a time. */
  readonly workers?: number;
  /** An existing database that another test server already has; a new one where it is missing. */
  readonly database?: string;
  /** Fills the new database as an earlier version left it, before it is brought up to date. */
  readonly fill?: (url: string) => Promise<void>;
}

export async function startTestServer({
  database: shared,
  fill,
  workers = 2,
}: TestServerOptions = {}): Promise<TestServer> {
  const admin = process.env.DATABASE_URL;
  if (!admin) throw new Error('DATABASE_URL is not set: run these tests with npm test -- server.');
  const name = `test_${randomUUID().replaceAll('-', '')}`;
  if (!shared) await withAdmin(admin, `create database ${name}`);
  const url = new URL(shared ?? admin);
  if (!shared) url.pathname = `/${name}`;
  await fill?.(url.href);
  await migrate(url.href);
  const database = openDatabase(url.href);
  const config = {
    databaseUrl: url.href,
    port: 0,
    dataFolder: '',
    localAccount: true,
    demo: false,
    address: undefined,
    listen: '127.0.0.1',
    proxies: 0,
    metricsToken: undefined,
    workers,
  };
  const services = await createServices(config, database, workers);
  const app = createApp(database, config, 'a secret for tests', services);
  const server = app.listen(0, '127.0.0.1');
  // A test may compute for longer than a connection is kept open otherwise, and then ask on it.
  server.keepAliveTimeout = 120_000;
  await new Promise((resolve) => server.once('listening', resolve));
  const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  return {
    database,
    databaseUrl: url.href,
    address,
    app,
    client: async (account) => signIn(address, database, account ?? (await ensureLocalAccount(database)).id),
    account: (name) => insertAccount(database, name, null),
    close: async () => {
      await closeServer(server);
      await services.close();
      await database.end();
      if (!shared) await dropDatabase(admin, name);
    },
  };
}

async function closeServer(server: Server): Promise<void> {
  server.closeAllConnections();
  await new Promise((resolve) => server.close(resolve));
}

async function withAdmin(url: string, sql: string): Promise<void> {
  const admin = new pg.Client({ connectionString: url });
  await admin.connect();
  try {
    await admin.query(sql);
  } finally {
    await admin.end();
  }
}

/** PostgreSQL's own process that tidies up a database cannot be made to leave it; it is soon gone by itself. */
const NOT_OURS_TO_END = '42501';

async function dropDatabase(url: string, name: string): Promise<void> {
  for (let tries = 20; ; tries--) {
    try {
      await withAdmin(url, `drop database ${name} with (force)`);
      return;
    } catch (error) {
      if (tries === 0 || (error as { code?: string }).code !== NOT_OURS_TO_END) throw error;
      await new Promise((resolve) => setTimeout(resolve, 250));
    }
  }
}

async function signIn(address: string, database: Database, account: string): Promise<Client> {
  const key = await makeEntryKey(database, account);
  const response = await fetch(`${address}/api/enter`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ key }),
  });
  const cookie = (response.headers.get('set-cookie') ?? '').split(';')[0];
  return clientWith(address, cookie);
}

/** A client with this cookie; an empty one is not signed in. */
export function clientWith(address: string, cookie: string): Client {
  const call = async (
    method: string,
    path: string,
    body?: BodyInit,
    headers: Record<string, string> = {},
  ): Promise<Answer> => {
    const response = await fetch(address + path, { method, body, headers: { cookie, ...headers } });
    const bytes = new Uint8Array(await response.arrayBuffer());
    const isJson = response.headers.get('content-type')?.includes('json');
    return {
      status: response.status,
      bytes,
      json: isJson ? JSON.parse(new TextDecoder().decode(bytes)) : undefined,
      headers: response.headers,
    };
  };
  const post: Client['post'] = (path, bytes, headers = {}) =>
    call('POST', path, bytes as Uint8Array<ArrayBuffer>, {
      'Content-Type': 'application/octet-stream',
      ...headers,
    });
  return {
    cookie,
    get: (path) => call('GET', path),
    put: (path, bytes) =>
      call('PUT', path, bytes as Uint8Array<ArrayBuffer>, { 'Content-Type': 'application/octet-stream' }),
    fetch: (path, init = {}) =>
      fetch(address + path, { ...init, headers: { ...(init.headers as Record<string, string>), cookie } }),
    send: (method, path, body) =>
      call(method, path, JSON.stringify(body), { 'Content-Type': 'application/json' }),
    post,
    postFrame: (path, header, blobs) => post(path, packFrame(header, blobs)),
    frame: async (path) => unpackFrame((await call('GET', path)).bytes),
  };
}
