import { test as base } from '@playwright/test';
import { fork, type ChildProcess } from 'node:child_process';
import path from 'node:path';
import pg from 'pg';

const root = path.resolve(import.meta.dirname, '..');
const admin = process.env['TEST_DATABASE_URL'] ?? '';
const port = Number(process.env['TEST_PORT'] ?? 4417);

/** The built server on a database of its own; a test may stop it and start it again. */
export class Product {
  readonly address = `http://127.0.0.1:${port}`;
  readonly sampleProject = `${this.address}/projects/0b5e7a1e-0000-4000-8000-000000000001`;
  readonly sampleDesign = `${this.address}/designs/0b5e7a1e-0000-4000-8000-000000000011`;
  private child: ChildProcess | undefined;
  private readonly database: string;

  constructor(database: string) {
    this.database = database;
  }

  async start(): Promise<void> {
    const child = fork(path.join(root, 'server/dist/main.js'), [], {
      env: {
        ...process.env,
        DATABASE_URL: admin.replace(/\/[^/]*$/u, `/${this.database}`),
        PORT: String(port),
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

export const test = base.extend<{ product: Product }>({
  // Playwright wants the destructuring even where nothing is taken
  // eslint-disable-next-line no-empty-pattern
  product: async ({}, use, info) => {
    const database = `e2e_${process.pid}_${info.testId.replace(/\W/gu, '').slice(-12)}_${Date.now()}`;
    await asAdmin(`create database ${database}`);
    const product = new Product(database);
    await product.start();
    await use(product);
    await product.stop();
    await asAdmin(`drop database ${database} with (force)`);
  },
});

export { expect } from '@playwright/test';
