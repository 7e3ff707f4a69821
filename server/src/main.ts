import type { AddressInfo } from 'node:net';
import { ensureLocalAccount } from './accounts/accounts.queries.ts';
import { dropStaleArrivals } from './characterFile/arriving.queries.ts';
import { createApp, createServices } from './app.ts';
import { ConfigError, readConfig } from './config.ts';
import { makeEntryKey } from './accounts/entryKeys.queries.ts';
import { migrate, openDatabase, type Database } from './database.ts';
import { dropStalePieces } from './documents/edits.queries.ts';
import { closeServer } from './http/closeServer.ts';
import { loadDemo } from './demo.ts';
import { cookieSecret } from './secret.ts';

/** The exit code that says: starting it again would not help (EX_CONFIG of sysexits.h). */
const CANNOT_GO_ON = 78;

async function serve(): Promise<void> {
  const config = readConfig(process.env);
  await migrate(config.databaseUrl);
  const database = openDatabase(config.databaseUrl);
  const services = await createServices(config, database, config.workers);
  await dropStalePieces(database);
  await dropStaleArrivals(database);
  const account = await ensureLocalAccount(database);
  if (config.demo) await loadDemo(database, services.jobs, account.id);
  const secret = await cookieSecret(database, config.dataFolder);
  const server = createApp(database, config, secret, services).listen(config.port, config.listen);
  server.on('error', fail);
  server.on('listening', () => {
    const { port } = server.address() as AddressInfo;
    const address = config.address?.origin ?? `http://localhost:${port}`;
    void tellAddress(database, address, config.localAccount ? account.id : undefined).catch(fail);
  });
  let isEnding = false;
  for (const signal of ['SIGINT', 'SIGTERM'] as const)
    process.on(signal, () => {
      if (isEnding) return;
      isEnding = true;
      void closeServer(server, services.events).then(async () => {
        await services.close();
        await database.end();
        process.exit(0);
      }, fail);
      setTimeout(() => process.exit(0), 5000).unref();
    });
}

/** Says where the page is: with a key that is used once, for the person at this machine. */
async function tellAddress(database: Database, address: string, account: string | undefined): Promise<void> {
  const key = account === undefined ? undefined : await makeEntryKey(database, account);
  console.log(`Judoka is at ${address}${key === undefined ? '' : `/enter#${key}`}`);
  process.send?.('ready');
}

function fail(error: unknown): void {
  console.error(error instanceof ConfigError ? error.message : error);
  process.exit(error instanceof ConfigError ? CANNOT_GO_ON : 1);
}

// A signal before the server is up ends it as well.
await serve().catch(fail);
