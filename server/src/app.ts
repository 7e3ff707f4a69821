import { createHash } from 'node:crypto';
import { once } from 'node:events';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import compression from 'compression';
import compressedStatic from 'express-static-gzip';
import express, { type Express } from 'express';
import helmet from 'helmet';
import { accountRoutes, entryRoutes } from './accounts/accountRoutes.ts';
import { needAccount, sessions } from './accounts/session.ts';
import { characterFileRoutes } from './characterFile/characterFileRoutes.ts';
import { jobRoutes } from './jobs/jobRoutes.ts';
import { JobWorker } from './jobs/JobWorker.ts';
import { JobQueue } from './jobs/JobQueue.ts';
import { CardChecks } from './characters/CardChecks.ts';
import { characterRoutes } from './characters/characterRoutes.ts';
import { deliveryRoutes } from './deliveries/deliveryRoutes.ts';
import { documentRoutes } from './documents/documentRoutes.ts';
import { DocumentThreads } from './documents/DocumentThreads.ts';
import { FileThreads } from './files/FileThreads.ts';
import { LiveEvents } from './live/LiveEvents.ts';
import { elsewhereRoutes } from './live/elsewhereRoutes.ts';
import { liveRoutes } from './live/liveRoutes.ts';
import { commentRoutes } from './comments/commentRoutes.ts';
import type { Config } from './config.ts';
import type { Database } from './database.ts';
import { healthRoutes, Metrics, placeRoutes } from './health/healthRoutes.ts';
import { mayWatch } from './health/mayWatch.ts';
import { answerErrors } from './http/answerErrors.ts';
import { checkSource } from './http/checkSource.ts';
import { RequestError } from './http/requestError.ts';
import { shelfRoutes } from './people/shelfRoutes.ts';

const PAGE = fileURLToPath(new URL('../../web/dist', import.meta.url));

/** Answers under another port of this machine as well, for as long as the server runs. */
async function listenOn(app: Express, port: number): Promise<void> {
  const server = app.listen(port, '127.0.0.1').unref();
  // It is for a visit, and does not keep the process from ending.
  server.keepAliveTimeout = 500;
  await once(server, 'listening').catch((error: unknown) => {
    if ((error as { code?: unknown }).code !== 'EADDRINUSE') throw error;
    // It may be anybody's: no browser is sent there with a key.
    throw new RequestError(
      'not-allowed',
      `Another program answers at port ${port} now. End it, and open the character there once more.`,
    );
  });
}

/** Which page this server gives: another one after an upgrade. */
function versionOf(page: string): string {
  const index = join(page, 'index.html');
  return existsSync(index) ? createHash('sha256').update(readFileSync(index)).digest('hex').slice(0, 12) : '';
}

/** What the server's routes share, and what has to be closed with it. */
export interface Services {
  readonly threads: DocumentThreads;
  readonly jobs: FileThreads;
  readonly events: LiveEvents;
  readonly queue: JobQueue;
  readonly checks: CardChecks;
  close(): Promise<void>;
}

/** @param workers imports that this server does at a time; others may be done by workers elsewhere */
export async function createServices(
  { databaseUrl }: Pick<Config, 'databaseUrl'>,
  database: Database,
  workers: number,
): Promise<Services> {
  const threads = new DocumentThreads(databaseUrl);
  const jobs = new FileThreads();
  const events = new LiveEvents(databaseUrl);
  const queue = new JobQueue(databaseUrl, database);
  const worker = new JobWorker(database, jobs, threads, queue);
  const checks = new CardChecks(database, threads);
  await queue.open();
  await worker.start(workers);
  return {
    ...{ threads, jobs, events, queue, checks },
    close: async () => {
      await Promise.all([worker.close(), checks.close(), queue.close()]);
      await Promise.all([threads.close(), jobs.close(), events.close()]);
    },
  };
}

/** The whole server as one Express application. */
export function createApp(
  database: Database,
  config: Config,
  secret: string,
  { threads, jobs, events, queue, checks }: Services,
): Express {
  const app = express();
  const listenAlso = config.address ? undefined : (port: number) => listenOn(app, port);
  app.disable('x-powered-by');
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          'default-src': ["'none'"],
          // WebAssembly is compiled from bytes that the page itself carries.
          'script-src': ["'self'", "'wasm-unsafe-eval'"],
          // Mantine sets style attributes; no style sheet comes from elsewhere.
          'style-src': ["'self'", "'unsafe-inline'"],
          'img-src': ["'self'", 'data:', 'blob:'],
          'font-src': ["'self'"],
          'connect-src': ["'self'"],
          'worker-src': ["'self'", 'blob:'],
          'base-uri': ["'none'"],
          'form-action': ["'none'"],
          'frame-ancestors': ["'none'"],
        },
      },
      crossOriginEmbedderPolicy: { policy: 'require-corp' },
      strictTransportSecurity: false,
    }),
  );
  app.set('trust proxy', config.proxies);
  app.use(checkSource(config));
  const metrics = new Metrics();
  app.use(metrics.watch);
  app.use(compression());
  app.use(healthRoutes(database, metrics, mayWatch(config)));
  app.use(
    '/api',
    sessions(database, secret, config),
    entryRoutes(database),
    accountRoutes(database),
    needAccount,
    placeRoutes(database),
    shelfRoutes(database),
    characterRoutes(database, checks),
    jobRoutes(database, queue, events),
    characterFileRoutes(database, threads, jobs),
    documentRoutes(database, threads, jobs),
    deliveryRoutes(database, threads, jobs),
    liveRoutes(database, events, versionOf(PAGE)),
    commentRoutes(database),
    elsewhereRoutes(database, listenAlso),
  );
  app.use('/api', () => {
    throw new RequestError('not-found', 'There is nothing at this address.');
  });
  if (existsSync(PAGE)) {
    // The page's own script decides what is kept; it must not be kept itself.
    app.get('/shell.js', (_request, response, next) => {
      response.set('Cache-Control', 'no-cache');
      next();
    });
    app.use(
      '/assets',
      compressedStatic(join(PAGE, 'assets'), {
        enableBrotli: true,
        orderPreference: ['br'],
        serveStatic: { immutable: true, maxAge: '1y', fallthrough: false },
      }),
    );
    app.use(express.static(PAGE, { index: false }));
    app.get('/{*path}', (_request, response) => response.sendFile(join(PAGE, 'index.html')));
  }
  app.use(answerErrors);
  return app;
}
