import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import path from 'node:path';
import net from 'node:net';
import pg from 'pg';
import { pino } from 'pino';
import request from 'supertest';
import type { Express } from 'express';
import { readDesignText, type Design } from '@yundro/core';
import { readFileSync } from 'node:fs';
import { createApp } from '../src/app.ts';
import { connect, migrateDatabase, type Connection } from '../src/db/database.ts';
import { loadSample } from '../src/sample.ts';

const root = path.resolve(import.meta.dirname, '../..');
const admin = process.env['TEST_DATABASE_URL'] ?? '';
const name = `api_${process.pid}_${Date.now()}`;
const url = admin.replace(/\/[^/]*$/u, `/${name}`);
const logger = pino({ level: 'silent' });
const sampleId = '0b5e7a1e-0000-4000-8000-000000000001';
const designId = '0b5e7a1e-0000-4000-8000-000000000011';
let connection: Connection;
let app: Express;

async function asAdmin(statement: string): Promise<void> {
  const client = new pg.Client({ connectionString: admin });
  await client.connect();
  await client.query(statement);
  await client.end();
}

function sample(): Design {
  const read = readDesignText(readFileSync(path.join(root, 'sample/logic-rail.yundro.json'), 'utf8'));
  if (!read.ok) throw new Error('sample');
  return read.design;
}

beforeAll(async () => {
  await asAdmin(`create database ${name}`);
  await migrateDatabase(url, path.join(root, 'server/drizzle'));
  connection = connect(url, () => undefined);
  app = createApp({ connection, logger });
  expect(await loadSample(connection.db, path.join(root, 'sample'))).toBe('loaded');
}, 60_000);

afterAll(async () => {
  await connection.pool.end();
  await asAdmin(`drop database ${name} with (force)`);
});

test('health tests the database; the page’s headers are set', async () => {
  const answer = await request(app).get('/api/health').expect(200);
  expect(answer.body).toEqual({ status: 'ok', database: 'ok' });
  expect(answer.headers['content-security-policy']).toMatch(/default-src 'none'/u);
  expect(answer.headers['x-content-type-options']).toBe('nosniff');
  expect(answer.headers['x-powered-by']).toBeUndefined();
});

test('the sample is loaded once and never over someone’s data', async () => {
  await connection.pool.query(`update projects set name = 'Mine' where id = $1`, [sampleId]);
  expect(await loadSample(connection.db, path.join(root, 'sample'))).toBe('present');
  const body: unknown = (await request(app).get(`/api/projects/${sampleId}`).expect(200)).body;
  expect(body).toMatchObject({ name: 'Mine' });
  const { designs } = body as { designs: { id: string; version: number }[] };
  expect(designs.map(({ version }) => version)).toEqual([1, 1, 1, 1, 1, 1]);
  expect(designs.map(({ id }) => id)).toContain(designId);
});

describe('saving', () => {
  test('a save counts the version up and keeps a revision; a stale one gets 409 with the newer document', async () => {
    const document = { ...sample(), name: 'First' };
    const first = await request(app).put(`/api/designs/${designId}`).send({ version: 1, document }).expect(200);
    expect(first.body).toMatchObject({ version: 2, document: { name: 'First' } });
    // the rails of all projects, the one changed last first
    const { rails } = (await request(app).get('/api/rails').expect(200)).body as {
      rails: { id: string; name: string; projectName: string }[];
    };
    expect(rails).toHaveLength(6);
    expect(rails[0]).toMatchObject({ id: designId, name: 'First', projectName: 'Mine' });
    const stale = await request(app)
      .put(`/api/designs/${designId}`)
      .send({ version: 1, document: sample() })
      .expect(409);
    expect(stale.body).toMatchObject({
      errors: [{ path: 'version' }],
      current: { version: 2, document: { name: 'First' } },
    });
    const body: unknown = (await request(app).get(`/api/designs/${designId}/revisions`).expect(200)).body;
    expect((body as { revisions: { version: number }[] }).revisions.map((r) => r.version)).toEqual([2, 1]);
    const old = await request(app).get(`/api/designs/${designId}/revisions/1`).expect(200);
    expect(old.body).toMatchObject({ document: { name: 'Logic rail' } });
  });

  test('of two writers at once exactly one wins', async () => {
    const body: unknown = (await request(app).get(`/api/designs/${designId}`)).body;
    const { version } = body as { version: number };
    const write = (who: string) =>
      request(app)
        .put(`/api/designs/${designId}`)
        .send({ version, document: { ...sample(), name: who } });
    const statuses = (await Promise.all([write('a'), write('b'), write('c')])).map((r) => r.status).sort();
    expect(statuses).toEqual([200, 409, 409]);
  });

  test('revisions cannot be changed or removed', async () => {
    await expect(connection.pool.query('delete from revisions')).rejects.toThrow(/append-only/u);
    await expect(connection.pool.query('update revisions set version = 99')).rejects.toThrow(/append-only/u);
  });

  test('projects and designs are made', async () => {
    const made = await request(app).post('/api/projects').send({ name: ' Hut ' }).expect(201);
    const { id } = made.body as { id: string };
    const design = await request(app).post(`/api/projects/${id}/designs`).send({ document: sample() }).expect(201);
    expect(design.body).toMatchObject({ version: 1, projectId: id });
    const body: unknown = (await request(app).get('/api/projects').expect(200)).body;
    expect(body).toMatchObject({
      projects: expect.arrayContaining([expect.objectContaining({ name: 'Hut', designCount: 1 })]) as unknown,
    });
  });
});

describe('bad input', () => {
  const absent = '0b5e7a1e-0000-4000-8000-00000000dead';
  const routes: [string, string][] = [
    ['post', '/api/projects'],
    ['post', `/api/projects/${sampleId}/designs`],
    ['put', `/api/designs/${designId}`],
  ];
  const send = (method: string, address: string) =>
    method === 'post' ? request(app).post(address) : request(app).put(address);

  test.each(routes)('malformed, oversized and hostile bodies to %s %s', async (method, address) => {
    const bodies: [string, number][] = [
      ['{"name":', 400],
      ['[]', 400],
      ['"x"', 400],
      ['null', 400],
      [`{"version":1,"document":${'{"a":'.repeat(5000)}1${'}'.repeat(5000)}}`, 400],
      ['{"version":1,"document":{"format":"yundro-design","version":1,"__proto__":{"admin":true}}}', 400],
      ['{"version":1,"document":{"format":"yundro-design","version":7}}', 400],
      [`{"name":"${'x'.repeat(5_300_000)}"}`, 413],
    ];
    for (const [body, status] of bodies) {
      const answer = await send(method, address).set('Content-Type', 'application/json').send(body);
      expect([body.slice(0, 60), answer.status]).toEqual([body.slice(0, 60), status]);
      const { errors } = answer.body as { errors: { path: string; message: string; expected: string }[] };
      for (const error of errors) expect(Object.keys(error).sort()).toEqual(['expected', 'message', 'path']);
      expect(errors.length).toBeGreaterThan(0);
    }
  });

  test('a wrong value is named by its path below the document', async () => {
    const document = { ...sample(), decisions: { switchingFrequency: -3 } };
    const body: unknown = (
      await request(app).put(`/api/designs/${designId}`).send({ version: 1, document }).expect(400)
    ).body;
    expect(body).toEqual({
      errors: [{ path: 'document.decisions.switchingFrequency', message: 'found -3', expected: 'a number above 0' }],
    });
  });

  test.each([
    ['/api/projects/not-an-id', 404],
    ["/api/designs/1';drop table designs;--", 404],
    [`/api/designs/${absent}`, 404],
    [`/api/designs/${designId}/revisions/99999999999`, 404],
    [`/api/designs/${designId}/revisions/x`, 404],
    ['/api/nothing', 404],
    ['/api/designs/%E0%A4%A', 400],
  ])('GET %s answers %d in the one error shape', async (address, status) => {
    const body: unknown = (await request(app).get(address).expect(status)).body;
    expect((body as { errors: unknown[] }).errors).toHaveLength(1);
  });
});

test('a database that goes away is said to be, and comes back by itself', async () => {
  // a relay in front of the real database stands for its going and coming
  const target = new URL(url);
  const sockets = new Set<net.Socket>();
  const relay = (port: number): Promise<net.Server> =>
    new Promise((resolve) => {
      const server = net.createServer((socket) => {
        const up = net.connect(Number(target.port), target.hostname);
        for (const [a, b] of [
          [socket, up],
          [up, socket],
        ] as const) {
          sockets.add(a);
          a.on('error', () => b.destroy());
          a.on('close', () => b.destroy());
          a.pipe(b);
        }
      });
      server.listen(port, '127.0.0.1', () => resolve(server));
    });
  const first = await relay(0);
  const { port } = first.address() as net.AddressInfo;
  const through = new URL(url);
  through.port = String(port);
  const shaky = connect(through.href, () => undefined);
  const shakyApp = createApp({ connection: shaky, logger });
  await request(shakyApp).get(`/api/designs/${designId}`).expect(200);
  for (const socket of sockets) socket.destroy();
  await new Promise((resolve) => first.close(resolve));
  expect((await request(shakyApp).get('/api/health')).status).toBe(503);
  const away = await request(shakyApp)
    .put(`/api/designs/${designId}`)
    .send({ version: 1, document: sample() })
    .expect(503);
  expect(away.body).toMatchObject({
    errors: [{ message: expect.stringMatching(/database is away; whether this was kept is not known/u) as unknown }],
  });
  const second = await relay(port);
  await request(shakyApp).get(`/api/designs/${designId}`).expect(200);
  await shaky.pool.end();
  for (const socket of sockets) socket.destroy();
  await new Promise((resolve) => second.close(resolve));
}, 30_000);
