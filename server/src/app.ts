import compression from 'compression';
import express, { type Express, type Request, type Response } from 'express';
import expressStaticGzip from 'express-static-gzip';
import { rateLimit } from 'express-rate-limit';
import helmet from 'helmet';
import { pinoHttp } from 'pino-http';
import type { Logger } from 'pino';
import { designJsonSchema } from '@yundro/core';
import type { Connection } from './db/database.ts';
import { forLog, handleError, notFound, sendErrors } from './errors.ts';
import type { SaveEvents } from './events.ts';
import {
  guardOrigin,
  oneLargeAtATime,
  requireJson,
  requireShape,
  requireToken,
  shallow,
  takeToken,
  type GuardOptions,
  endSession,
} from './guard.ts';
import { designRoutes } from './routes/designs.ts';
import { projectRoutes } from './routes/projects.ts';
import { shelfImport, shelfRoutes } from './routes/shelf.ts';

export interface AppOptions extends GuardOptions {
  connection: Connection;
  logger: Logger;
  /** where saves are announced; none in tests that do not listen */
  events?: SaveEvents | undefined;
  /** folder of the built page; none in tests of the API */
  webFolder?: string | undefined;
}

function tooMany(_request: unknown, response: Response): void {
  response.setHeader('Retry-After', '5');
  sendErrors(response, 429, [{ path: '', message: 'too many requests', expected: 'fewer, a little later' }]);
}

const LOOPBACK = /^(::1|(::ffff:)?127\.)/u;

/** Whether an answer is compressed on its way: not where no network lies between, and no stream whose events must not wait. */
const isPacked = (request: Request, response: Response): boolean =>
  !LOOPBACK.test(request.socket.remoteAddress ?? '') &&
  !String(response.getHeader('Content-Type')).startsWith('text/event-stream') &&
  compression.filter(request, response);

/** The whole HTTP surface: headers, limits, API, then the built page for every other path. */
export function createApp({ connection, logger, webFolder, events, hosts, token }: AppOptions): Express {
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
  // what goes well needs no line: a log that grows with every request fills a disk
  app.use(
    pinoHttp({
      logger,
      customLogLevel: (_request, response) => (response.statusCode >= 500 ? 'error' : 'silent'),
      serializers: {
        req: ({ method, url }: { method: string; url: string }) => ({ method, url }),
        res: () => undefined,
        err: forLog,
      },
    }),
  );
  const guard = { hosts, token, sessions: connection.db, logger };
  app.use(guardOrigin(guard), takeToken(guard));
  app.use('/api', (_request, response, next) => {
    response.setHeader('Cache-Control', 'no-store');
    next();
  });
  app.use(
    '/api',
    rateLimit({ windowMs: 10_000, limit: 5000, standardHeaders: false, legacyHeaders: false, handler: tooMany }),
  );

  // a database that reads and cannot write is not well: known from the last write that came through or did not
  let writes = true;
  app.use('/api', (request, response, next) => {
    if (request.method !== 'GET' && request.method !== 'HEAD')
      response.once('finish', () => {
        if (response.statusCode === 507) writes = false;
        else if (response.statusCode < 400) writes = true;
      });
    next();
  });
  app.use('/api', compression({ filter: isPacked }));
  app.get('/api/health', async (_request, response) => {
    try {
      await connection.pool.query('select 1');
      if (writes) response.json({ status: 'ok', database: 'ok' });
      else
        sendErrors(
          response,
          503,
          [{ path: 'database', message: 'the database cannot write', expected: 'room on its disk' }],
          { status: 'degraded', database: 'reads only' },
        );
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
  // health says nothing of what is kept: a start command or a watchman may ask without the key
  app.use('/api', requireToken(guard), requireJson, oneLargeAtATime());
  // an import of parts is larger than any other body, and is checked part by part
  app.use('/api', shelfImport(connection.db));
  app.use('/api', express.json({ limit: '5mb', strict: true, verify: shallow }), requireShape);
  app.post('/api/session/end', endSession(guard));
  app.get('/api/schema', (_request, response) => {
    response.json(designJsonSchema());
  });
  app.use('/api', projectRoutes(connection.db), designRoutes(connection.db, events), shelfRoutes(connection.db));
  app.use('/api', (request, response) => {
    notFound(response, request.path, 'there is no such address');
  });

  if (webFolder !== undefined) {
    // the build has each file compressed beside it
    const packed = { enableBrotli: true, orderPreference: ['br', 'gz'], index: false as const };
    app.use(
      '/assets',
      expressStaticGzip(`${webFolder}/assets`, {
        ...packed,
        serveStatic: { immutable: true, maxAge: '1y', fallthrough: false },
      }),
    );
    app.use(expressStaticGzip(webFolder, packed));
    app.all('/{*splat}', (request, response, next) => {
      if (request.method === 'GET' || request.method === 'HEAD') next();
      else
        notFound(response, request.path, 'nothing is kept at this address; the interface for programs is below /api');
    });
    app.get('/{*splat}', (_request, response) => {
      response.setHeader('Cache-Control', 'no-cache');
      response.sendFile('index.html', { root: webFolder });
    });
  }
  app.use(handleError);
  return app;
}
