import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ensureLocalAccount } from './accounts/accounts.queries.ts';
import { createApp, createServices } from './app.ts';
import { readConfig } from './config.ts';
import { migrate, openDatabase } from './database.ts';
import { dropStalePieces } from './documents/edits.queries.ts';
import { loadDemo } from './demo.ts';

const config = readConfig(process.env);

/** The secret that signs session cookies, made once a data folder. */
function sessionSecret(): string {
  const file = join(config.dataFolder, 'session-secret');
  if (!existsSync(file)) {
    mkdirSync(config.dataFolder, { recursive: true });
    writeFileSync(file, randomBytes(32).toString('hex'), { mode: 0o600 });
  }
  return readFileSync(file, 'utf8').trim();
}

await migrate(config.databaseUrl);
const database = openDatabase(config.databaseUrl);
const services = createServices(config);
await dropStalePieces(database);
if (config.localAccount && config.demo) {
  const account = await ensureLocalAccount(database);
  await loadDemo(database, services.jobs, account.id);
}
const server = createApp(database, config, sessionSecret(), services).listen(config.port, '127.0.0.1', () => {
  const address = server.address();
  const port = typeof address === 'object' && address ? address.port : config.port;
  console.log(`Judoka is at http://localhost:${port}`);
});

let ending = false;
for (const signal of ['SIGINT', 'SIGTERM'] as const) {
  process.on(signal, () => {
    if (ending) return;
    ending = true;
    // Requests under way are finished; idle connections are let go.
    server.close(
      () =>
        void services
          .close()
          .then(() => database.end())
          .finally(() => process.exit(0)),
    );
    server.closeIdleConnections();
    // Readers' streams never end by themselves.
    void services.events.close().then(() => server.closeAllConnections());
    setTimeout(() => process.exit(0), 5000).unref();
  });
}
