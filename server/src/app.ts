import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import compression from 'compression';
import compressedStatic from 'express-static-gzip';
import express, { type Express, type RequestHandler } from 'express';
import helmet from 'helmet';
import { needAccount, sessionRoutes, sessions } from './accounts/session.ts';
import { characterFileRoutes } from './characterFile/characterFileRoutes.ts';
import { characterRoutes } from './characters/characterRoutes.ts';
import { documentRoutes } from './documents/documentRoutes.ts';
import { DocumentThreads } from './documents/DocumentThreads.ts';
import { FileJobs } from './jobs/FileJobs.ts';
import { HeadEvents } from './live/HeadEvents.ts';
import type { Config } from './config.ts';
import type { Database } from './database.ts';
import { answerErrors } from './http/answerErrors.ts';
import { RequestError } from './http/requestError.ts';

const PAGE = fileURLToPath(new URL('../../web/dist', import.meta.url));

/** What the server's routes share, and what has to be closed with it. */
export interface Services {
  readonly threads: DocumentThreads;
  readonly jobs: FileJobs;
  readonly events: HeadEvents;
  close(): Promise<void>;
}

export function createServices({ databaseUrl }: Pick<Config, 'databaseUrl'>): Services {
  const [threads, jobs, events] = [
    new DocumentThreads(databaseUrl),
    new FileJobs(),
    new HeadEvents(databaseUrl),
  ];
  return {
    threads,
    jobs,
    events,
    close: async () => {
      await Promise.all([threads.close(), jobs.close(), events.close()]);
    },
  };
}

/** The whole server as one Express application. */
export function createApp(
  database: Database,
  config: Config,
  secret: string,
  { threads, jobs, events }: Services,
): Express {
  const app = express();
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
  if (config.localAccount) app.use(onlyThisMachine);
  app.use(compression());
  app.use(
    '/api',
    sessions(database, secret),
    sessionRoutes(database, config),
    needAccount,
    characterRoutes(database, jobs),
    characterFileRoutes(database, threads, jobs),
    documentRoutes(database, threads, jobs, events),
  );
  app.use('/api', () => {
    throw new RequestError('not-found', 'There is nothing at this address.');
  });
  if (existsSync(PAGE)) {
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

/** A page elsewhere cannot reach a server that signs in by itself through a name that points here. */
const onlyThisMachine: RequestHandler = (request, _response, next) => {
  if (!/^(localhost|127\.0\.0\.1|\[::1\])(:\d+)?$/.test(request.headers.host ?? '')) {
    throw new RequestError('request-invalid', 'This server answers only at localhost.');
  }
  next();
};
