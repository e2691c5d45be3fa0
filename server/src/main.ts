import path from 'node:path';
import { pino } from 'pino';
import { createApp } from './app.ts';
import { connect, migrateDatabase } from './db/database.ts';
import { loadSample } from './sample.ts';

/** ms that accepted requests may take to finish once a stop was asked for. */
const GRACE = 8000;

const url = process.env['DATABASE_URL'];
const port = Number(process.env['PORT'] ?? 4117);
// the checkout, from the source and from the built bundle alike
const root = path.resolve(import.meta.dirname, '../..');
const logger = pino({ level: process.env['LOG_LEVEL'] ?? 'info' });

if (url === undefined || url === '') {
  logger.fatal('DATABASE_URL is not set: "npm start" sets it, or give the address of your own PostgreSQL');
  process.exit(1);
}

await migrateDatabase(url, path.join(root, 'server/drizzle'));
const connection = connect(url, (error) => logger.warn({ err: error }, 'lost a database connection'));
logger.info({ sample: await loadSample(connection.db, path.join(root, 'sample')) }, 'sample project');

const app = createApp({ connection, logger, webFolder: path.join(root, 'web/dist') });
const server = app.listen(port, '127.0.0.1', (error?: Error) => {
  if (error) {
    logger.fatal({ err: error }, 'cannot listen');
    process.exit(1);
  }
  logger.info({ port }, 'listening');
  process.send?.({ listening: port });
});

let stopping = false;
function stop(reason: string): void {
  if (stopping) return;
  stopping = true;
  logger.info({ reason }, 'stopping');
  const force = setTimeout(() => process.exit(1), GRACE);
  force.unref();
  server.close(() => {
    void connection.pool.end().finally(() => process.exit(0));
  });
  server.closeIdleConnections();
}
process.on('SIGTERM', () => stop('SIGTERM'));
process.on('SIGINT', () => stop('SIGINT'));
// started by the start command: when that is gone, even killed, so is the reason to run
process.on('disconnect', () => stop('the start command is gone'));
