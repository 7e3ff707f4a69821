import { spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { dirname, isAbsolute, join } from 'node:path';
import { processesIn, until } from '../lib/processes.mjs';
import { ROOT } from '../lib/run.mjs';

/** A new folder for a place, in which PostgreSQL's user may look around. */
export function makeFolder(): string {
  const folder = mkdtempSync(join(tmpdir(), 'judoka-place-'));
  chmodSync(folder, 0o755);
  return join(folder, 'data');
}

/** Removes a place with its database, wherever that lies; nothing of it may run any more. */
export function removePlace(data: string): void {
  const cluster = clusterOf(data);
  if (cluster?.startsWith('/var/lib/judoka/')) rmSync(dirname(cluster), { recursive: true, force: true });
  rmSync(dirname(data), { recursive: true, force: true });
}

export function clusterOf(data: string): string | undefined {
  const file = join(data, 'place.json');
  if (!existsSync(file)) return undefined;
  const { cluster } = JSON.parse(readFileSync(file, 'utf8')) as { cluster: string };
  return isAbsolute(cluster) ? cluster : join(data, cluster);
}

/** How many processes of PostgreSQL work in a place. */
export const databasesIn = (data: string): number => processesIn(clusterOf(data) ?? '').length;

export async function freeNumber(): Promise<number> {
  const server = createServer().listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
  const { port } = server.address() as AddressInfo;
  await new Promise((resolve) => server.close(resolve));
  return port;
}

interface StartOptions {
  readonly port?: number;
  readonly env?: Readonly<Record<string, string>>;
  /** Run as another user. */
  readonly uid?: number;
}

/** One `npm start`, and what it says. */
export class Start {
  readonly child: ChildProcess;
  readonly ended: Promise<number | null>;
  output = '';

  constructor(data: string, { port = 0, env = {}, uid }: StartOptions = {}) {
    this.child = spawn(process.execPath, [join(ROOT, 'scripts/start.mjs')], {
      cwd: '/',
      stdio: ['ignore', 'pipe', 'pipe'],
      env: {
        PATH: process.env.PATH,
        JUDOKA_DATA: data,
        JUDOKA_DEMO: '0',
        JUDOKA_BACKUP: 'off',
        ...(port > 0 ? { PORT: String(port) } : {}),
        ...env,
      },
      ...(uid === undefined ? {} : { uid, gid: uid }),
    });
    for (const stream of [this.child.stdout, this.child.stderr])
      stream?.on('data', (text: Buffer) => (this.output += text.toString()));
    this.ended = new Promise((resolve) => this.child.once('exit', resolve));
  }

  /** Waits until it has said something. */
  async says(words: RegExp, patienceMs = 90_000): Promise<string> {
    const isOver = (): boolean => this.child.exitCode !== null || this.child.signalCode !== null;
    await until(() => words.test(this.output) || isOver(), patienceMs);
    const found = words.exec(this.output);
    if (!found) throw new Error(`It did not say ${words.source}, but:\n${this.output}`);
    return found.at(1) ?? found[0];
  }

  /** Waits for its address. */
  readonly address = (): Promise<string> => this.says(/Judoka is at ([^\s/]+\/\/[^\s/]+)/);

  /** Ends it by a signal; its exit code. */
  async end(signal: NodeJS.Signals = 'SIGTERM'): Promise<number | null> {
    this.child.kill(signal);
    return this.ended;
  }
}
