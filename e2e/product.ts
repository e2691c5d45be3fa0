import { test as base } from '@playwright/test';
import { fork, type ChildProcess } from 'node:child_process';
import net from 'node:net';
import path from 'node:path';
import pg from 'pg';

const root = path.resolve(import.meta.dirname, '..');
const admin = process.env['TEST_DATABASE_URL'] ?? '';

/** The built server on a database of its own; a test may stop it and start it again. */
export class Product {
  readonly address: string;
  readonly sampleProject: string;
  readonly sampleDesign: string;
  private child: ChildProcess | undefined;
  private readonly database: string;
  private readonly port: number;

  constructor(database: string, port: number) {
    this.database = database;
    this.port = port;
    this.address = `http://127.0.0.1:${port}`;
    this.sampleProject = `${this.address}/projects/0b5e7a1e-0000-4000-8000-000000000001`;
    this.sampleDesign = `${this.address}/designs/0b5e7a1e-0000-4000-8000-000000000011`;
  }

  async start(): Promise<void> {
    const child = fork(path.join(root, 'server/dist/main.js'), [], {
      env: {
        ...process.env,
        DATABASE_URL: admin.replace(/\/[^/]*$/u, `/${this.database}`),
        PORT: String(this.port),
        LOG_LEVEL: 'warn',
      },
    });
    this.child = child;
    await new Promise<void>((resolve, reject) => {
      child.once('message', () => resolve());
      child.once('exit', (status) => reject(new Error(`the server ended with ${status}`)));
    });
  }

  /** Stops it as the start command does, and waits until it is gone. @returns its exit status */
  async stop(): Promise<number | null> {
    const { child } = this;
    if (!child || child.exitCode !== null) return child?.exitCode ?? null;
    return new Promise((resolve) => {
      child.once('exit', (status) => resolve(status));
      child.kill('SIGTERM');
    });
  }
}

async function asAdmin(statement: string): Promise<void> {
  const client = new pg.Client({ connectionString: admin });
  await client.connect();
  await client.query(statement);
  await client.end();
}

async function freePort(): Promise<number> {
  const probe = net.createServer();
  await new Promise<void>((resolve) => probe.listen(0, '127.0.0.1', resolve));
  const { port } = probe.address() as net.AddressInfo;
  await new Promise((resolve) => probe.close(resolve));
  return port;
}

/** A product on a copy of a filled database, for as long as it is used. */
async function serve(filled: string, database: string, use: (product: Product) => Promise<void>): Promise<void> {
  await asAdmin(`create database ${database} template ${filled}`);
  const product = new Product(database, await freePort());
  await product.start();
  await use(product);
  await product.stop();
  await asAdmin(`drop database ${database} with (force)`);
}

export const test = base.extend<{ product: Product }, { filled: string; shown: Product }>({
  // what is met is looked at too: its rows are folded until they are asked for
  page: async ({ page }, use) => {
    await page.addInitScript(() => {
      if (localStorage.getItem('yundro-margins') === null) localStorage.setItem('yundro-margins', 'all');
    });
    await use(page);
  },
  // a database with the sample and the demo shelf, made once and copied for each test
  filled: [
    // Playwright wants the destructuring even where nothing is taken
    // eslint-disable-next-line no-empty-pattern
    async ({}, use, info) => {
      const database = `filled_${info.parallelIndex}_${Date.now()}`;
      await asAdmin(`create database ${database}`);
      const product = new Product(database, await freePort());
      await product.start();
      await product.stop();
      await use(database);
      await asAdmin(`drop database ${database} with (force)`);
    },
    { scope: 'worker' },
  ],
  // one for all tests that only look and change nothing
  shown: [
    async ({ filled }, use, info) => serve(filled, `shown_${info.parallelIndex}_${Date.now()}`, use),
    { scope: 'worker' },
  ],
  product: async ({ filled }, use, info) =>
    serve(filled, `e2e_${info.parallelIndex}_${info.testId.replace(/\W/gu, '').slice(-12)}_${Date.now()}`, use),
});

export { expect } from '@playwright/test';
