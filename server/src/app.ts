import express, { type Express } from 'express';
import helmet from 'helmet';
import { pinoHttp } from 'pino-http';
import type { Logger } from 'pino';
import { designJsonSchema } from '@yundro/core';
import type { Connection } from './db/database.ts';
import { handleError, notFound, sendErrors } from './errors.ts';
import { designRoutes } from './routes/designs.ts';

export interface AppOptions {
  connection: Connection;
  logger: Logger;
  /** folder of the built page; none in tests of the API */
  webFolder?: string | undefined;
}

/** The whole HTTP surface: headers, limits, API, then the built page for every other path. */
export function createApp({ connection, logger, webFolder }: AppOptions): Express {
  const app = express();
  app.disable('x-powered-by');
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'none'"],
          scriptSrc: ["'self'"],
          workerSrc: ["'self'"],
          connectSrc: ["'self'"],
          fontSrc: ["'self'"],
          imgSrc: ["'self'", 'data:', 'blob:'],
          // the formula typesetter positions its glyphs with inline styles
          styleSrc: ["'self'", "'unsafe-inline'"],
          baseUri: ["'none'"],
          formAction: ["'none'"],
          frameAncestors: ["'none'"],
        },
      },
      // plain HTTP on loopback: there is no secure origin to insist on
      strictTransportSecurity: false,
    }),
  );
  app.use(pinoHttp({ logger, autoLogging: { ignore: (request) => request.url === '/api/health' } }));
  app.use('/api', (_request, response, next) => {
    response.setHeader('Cache-Control', 'no-store');
    next();
  });
  app.use('/api', express.json({ limit: '5mb', strict: true }));

  app.get('/api/health', async (_request, response) => {
    try {
      await connection.pool.query('select 1');
      response.json({ status: 'ok', database: 'ok' });
    } catch {
      sendErrors(
        response,
        503,
        [{ path: 'database', message: 'the database is away', expected: 'a running database' }],
        {
          status: 'degraded',
          database: 'away',
        },
      );
    }
  });
  app.get('/api/schema', (_request, response) => {
    response.json(designJsonSchema());
  });
  app.use('/api', designRoutes(connection.db));
  app.use('/api', (request, response) => {
    notFound(response, request.path, 'there is no such address');
  });

  if (webFolder !== undefined) {
    app.use('/assets', express.static(`${webFolder}/assets`, { immutable: true, maxAge: '1y', fallthrough: false }));
    app.use(express.static(webFolder, { index: false }));
    app.get('/{*splat}', (_request, response) => {
      response.setHeader('Cache-Control', 'no-cache');
      response.sendFile('index.html', { root: webFolder });
    });
  }
  app.use(handleError);
  return app;
}
