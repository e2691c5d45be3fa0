import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { randomUUID } from 'node:crypto';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import http from 'node:http';
import type { AddressInfo } from 'node:net';
import os from 'node:os';
import path from 'node:path';
import { brotliCompressSync, gzipSync } from 'node:zlib';
import pg from 'pg';
import { pino } from 'pino';
import request from 'supertest';
import type { Express } from 'express';
import { readDesignText, type Design } from '@yundro/core';
import { createApp } from '../src/app.ts';
import { APPLICATION_ROLE, connect, migrateDatabase, type Connection } from '../src/db/database.ts';
import { upkeep } from '../src/db/queries.ts';
import { forLog } from '../src/errors.ts';
import { listenForSaves, type SaveEvents } from '../src/events.ts';

const root = path.resolve(import.meta.dirname, '../..');
const admin = process.env['TEST_DATABASE_URL'] ?? '';
const name = `life_${process.pid}_${Date.now()}`;
const url = admin.replace(/\/[^/]*$/u, `/${name}`);
const logger = pino({ level: 'silent' });
const lost: Error[] = [];
let connection: Connection;
let events: SaveEvents;
let app: Express;

async function asAdmin(statement: string, on = admin): Promise<pg.QueryResult> {
  const client = new pg.Client({ connectionString: on });
  await client.connect();
  try {
    return await client.query(statement);
  } finally {
    await client.end();
  }
}

const document: Design = (() => {
  const read = readDesignText(readFileSync(path.join(root, 'sample/logic-rail.yundro.json'), 'utf8'));
  if (!read.ok) throw new Error('sample');
  return read.design;
})();

async function newRail(): Promise<{ project: string; rail: string }> {
  const project = ((await request(app).post('/api/projects').send({ name: 'Hut' }).expect(201)).body as { id: string })
    .id;
  const made = await request(app).post(`/api/projects/${project}/designs`).send({ document }).expect(201);
  return { project, rail: (made.body as { id: string }).id };
}

const save = (rail: string, version: number, changed: object = {}, key?: string) =>
  request(app)
    .put(`/api/designs/${rail}`)
    .send({ version, document: { ...document, ...changed }, ...(key === undefined ? {} : { save: key }) });

beforeAll(async () => {
  await asAdmin(`create database ${name}`);
  await migrateDatabase(url, path.join(root, 'server/drizzle'));
  connection = connect(url, (error) => lost.push(error));
  events = listenForSaves(url, (error) => lost.push(error));
  app = createApp({ connection, logger, events });
}, 60_000);

afterAll(async () => {
  await events.close();
  await connection.pool.end();
  await asAdmin(`drop database ${name} with (force)`);
});

describe('put away and taken back', () => {
  test('a rail: out of its project, among the removed, back whole with its revisions, and gone for good at wish', async () => {
    const { project, rail } = await newRail();
    await save(rail, 1, { name: 'Second' }).expect(200);
    await request(app).delete(`/api/designs/${rail}`).expect(200);
    await request(app).get(`/api/designs/${rail}`).expect(404);
    await save(rail, 2).expect(404);
    const kept = (await request(app).get(`/api/projects/${project}`).expect(200)).body as { designs: unknown[] };
    expect(kept.designs).toEqual([]);
    const listed = (await request(app).get('/api/removed').expect(200)).body as { removed: { id: string }[] };
    expect(listed.removed).toContainEqual(
      expect.objectContaining({ kind: 'design', id: rail, name: 'Second', project: 'Hut' }),
    );
    await request(app).post(`/api/removed/${rail}/restore`).expect(200);
    expect((await request(app).get(`/api/designs/${rail}`).expect(200)).body).toMatchObject({
      version: 2,
      name: 'Second',
    });
    await request(app).delete(`/api/removed/${rail}`).expect(404);
    await request(app).delete(`/api/designs/${rail}`).expect(200);
    await request(app).delete(`/api/removed/${rail}`).expect(200);
    const rows = await connection.pool.query('select 1 from revisions where design_id = $1', [rail]);
    expect(rows.rowCount).toBe(0);
  });

  test('a project: renamed, put away with its rails, purged thirty days later and no sooner', async () => {
    const { project, rail } = await newRail();
    await request(app).patch(`/api/projects/${project}`).send({ name: 'Tower' }).expect(200);
    await request(app).patch(`/api/projects/${project}`).send({}).expect(400);
    await request(app).delete(`/api/projects/${project}`).expect(200);
    await request(app).get(`/api/projects/${project}`).expect(404);
    const age = (days: number) =>
      connection.pool.query(`update projects set removed_at = now() - $1 * interval '1 day' where id = $2`, [
        days,
        project,
      ]);
    await age(29);
    await upkeep(connection.db);
    await request(app).post(`/api/removed/${project}/restore`).expect(200);
    expect((await request(app).get(`/api/projects/${project}`).expect(200)).body).toMatchObject({
      name: 'Tower',
      designs: [{ id: rail }],
    });
    await request(app).delete(`/api/projects/${project}`).expect(200);
    await age(31);
    expect((await upkeep(connection.db)).purged).toBe(1);
    await request(app).post(`/api/removed/${project}/restore`).expect(404);
  });
});

describe('revisions', () => {
  test('a save sent twice is one save; another from the same version is refused', async () => {
    const { rail } = await newRail();
    const key = randomUUID();
    const first = await save(rail, 1, { name: 'Mine' }, key).expect(200);
    const again = await save(rail, 1, { name: 'Mine' }, key).expect(200);
    expect(again.body).toMatchObject({
      version: (first.body as { version: number }).version,
      document: { name: 'Mine' },
    });
    await save(rail, 1, { name: 'Theirs' }, randomUUID()).expect(409);
    // known for the same also when someone else has saved since
    await save(rail, 2, { name: 'Later' }).expect(200);
    expect((await save(rail, 1, { name: 'Mine' }, key).expect(200)).body).toMatchObject({ version: 2 });
  });

  test('they come in pages, can be named, and belong to a design that exists', async () => {
    const { rail } = await newRail();
    for (let version = 1; version <= 55; version += 1)
      await save(rail, version, { name: `v${version + 1}` }).expect(200);
    type Page = { revisions: { version: number; label: string | null }[]; more: boolean };
    const page = (await request(app).get(`/api/designs/${rail}/revisions`).expect(200)).body as Page;
    expect([page.revisions.length, page.revisions[0]!.version, page.more]).toEqual([50, 56, true]);
    const rest = (await request(app).get(`/api/designs/${rail}/revisions?before=7`).expect(200)).body as Page;
    expect([rest.revisions.map((r) => r.version), rest.more]).toEqual([[6, 5, 4, 3, 2, 1], false]);
    await request(app).patch(`/api/designs/${rail}/revisions/5`).send({ label: 'before the review' }).expect(200);
    await request(app).patch(`/api/designs/${rail}/revisions/5`).send({ label: 5 }).expect(400);
    await request(app).patch(`/api/designs/${rail}/revisions/99`).send({ label: 'x' }).expect(404);
    await request(app).get(`/api/designs/${randomUUID()}/revisions`).expect(404);
    await request(app).get(`/api/designs/${rail}/revisions?before=x`).expect(400);
  });

  test('old autosaves are thinned by the rule; named ones, the first and the newest stay', async () => {
    const { rail } = await newRail();
    for (let version = 1; version < 12; version += 1) await save(rail, version).expect(200);
    await request(app).patch(`/api/designs/${rail}/revisions/4`).send({ label: 'kept' }).expect(200);
    // 1 to 8 within one ten-minute span two hours ago, 9 to 12 now; the guard is lifted for this alone
    await connection.pool.query('alter table revisions disable trigger user');
    await connection.pool.query(
      `update revisions set created_at = date_bin('10 minutes', now() - interval '2 hours', timestamptz '2000-01-01') + version * interval '1 second'
       where design_id = $1 and version <= 8`,
      [rail],
    );
    await connection.pool.query('alter table revisions enable trigger user');
    await upkeep(connection.db);
    const page = (await request(app).get(`/api/designs/${rail}/revisions`)).body as {
      revisions: { version: number }[];
    };
    expect(page.revisions.map(({ version }) => version)).toEqual([12, 11, 10, 9, 8, 4, 1]);
  });

  test('a row that does not fit is shown as such, and its project with it', async () => {
    const { project, rail } = await newRail();
    await connection.pool.query(`update designs set document = jsonb_set(document, '{version}', '7') where id = $1`, [
      rail,
    ]);
    const made = await request(app).post(`/api/projects/${project}/designs`).send({ document }).expect(201);
    const { designs } = (await request(app).get(`/api/projects/${project}`).expect(200)).body as {
      designs: { id: string; unreadable?: { message: string }[]; document?: Design }[];
    };
    expect(designs.map(({ id, document: own }) => [id, own !== undefined])).toEqual([
      [rail, false],
      [(made.body as { id: string }).id, true],
    ]);
    expect(designs[0]!.unreadable![0]!.message).toMatch(/newer release/u);
  });
});

test('other windows hear of a save', async () => {
  const { rail } = await newRail();
  const server = http.createServer(app);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  const heard = await new Promise<string>((resolve, reject) => {
    const client = http.get({ host: '127.0.0.1', port, path: '/api/events' }, (response) => {
      let said = '';
      response.on('data', (chunk: Buffer) => {
        said += chunk.toString();
        const event = /data: (.*)\n/u.exec(said)?.[1];
        if (event === undefined) return;
        client.destroy();
        resolve(event);
      });
      save(rail, 1).then(() => undefined, reject);
    });
    client.on('error', () => undefined);
  }).finally(() => {
    server.closeAllConnections();
    server.close();
  });
  expect(JSON.parse(heard)).toEqual({ id: rail, version: 2 });
});

test('a connection lost inside a transaction ends neither the server nor the next request', async () => {
  const before = lost.length;
  const client = await connection.pool.connect();
  await client.query('begin');
  const { rows } = await client.query<{ pid: number }>('select pg_backend_pid() as pid');
  await asAdmin(`select pg_terminate_backend(${rows[0]!.pid})`);
  // heard of while nothing is asked, where an unheard one ends the process: a query under way would take it instead
  const until = Date.now() + 10_000;
  while (lost.length === before && Date.now() < until) await new Promise((resolve) => setTimeout(resolve, 10));
  expect(lost.length).toBeGreaterThan(before);
  await expect(client.query('select 1')).rejects.toThrow();
  client.release(true);
  await request(app).get('/api/projects').expect(200);
});

describe('the database itself', () => {
  test('a schema of a newer release is refused before anything is written', async () => {
    const other = `newer_${process.pid}_${Date.now()}`;
    await asAdmin(`create database ${other}`);
    const at = admin.replace(/\/[^/]*$/u, `/${other}`);
    await migrateDatabase(at, path.join(root, 'server/drizzle'));
    await asAdmin(`insert into drizzle.__drizzle_migrations (hash, created_at) values ('x', 9999999999999)`, at);
    await expect(migrateDatabase(at, path.join(root, 'server/drizzle'))).rejects.toThrow(/newer release/u);
    await asAdmin(`drop database ${other} with (force)`);
    await expect(migrateDatabase('postgresql://127.0.0.1:9/none', path.join(root, 'server/drizzle'))).rejects.toThrow(
      /cannot be reached/u,
    );
  });

  test('the role that serves may neither empty, alter nor remove what is kept', async () => {
    const { rail } = await newRail();
    const client = await connection.pool.connect();
    await client.query(`set role ${APPLICATION_ROLE}`);
    for (const [statement, why] of [
      ['truncate revisions', /permission denied/u],
      ['delete from revisions', /permission denied/u],
      ['delete from designs', /permission denied/u],
      ['update revisions set version = 1', /permission denied/u],
      ['drop table revisions', /must be owner/u],
    ] as const)
      await expect(client.query(statement)).rejects.toThrow(why);
    await client.query('update revisions set label = $1 where design_id = $2', ['mine', rail]);
    await client.query('reset role');
    client.release();
    await expect(connection.pool.query('truncate revisions')).rejects.toThrow(/append-only/u);
  });
});

describe('what is let in', () => {
  const post = (headers: Record<string, string>) =>
    request(app)
      .post('/api/projects')
      .set(headers)
      .send(JSON.stringify({ name: 'x' }));
  const json = { 'Content-Type': 'application/json' };

  test.each<[string, Record<string, string>, number]>([
    [
      'its own page',
      { ...json, Host: '127.0.0.1:80', Origin: 'http://127.0.0.1:80', 'Sec-Fetch-Site': 'same-origin' },
      201,
    ],
    ['a program', json, 201],
    ['a name that was bent to loopback', { ...json, Host: 'evil.example' }, 403],
    ['a foreign page', { ...json, Origin: 'http://evil.example' }, 403],
    ['a foreign page that hides its name', { ...json, 'Sec-Fetch-Site': 'cross-site' }, 403],
    ['a form', { 'Content-Type': 'text/plain' }, 415],
  ])('%s', async (_, headers, status) => {
    expect((await post(headers)).status).toBe(status);
  });

  test('a foreign name reads nothing either', async () => {
    await request(app).get('/api/projects').set('Host', 'evil.example').expect(403);
  });

  test('with a key: none without it; the printed address begins a session of this port’s own, which can be ended', async () => {
    const locked = createApp({ connection, logger, token: 'secret-key', webFolder: path.join(root, 'web') });
    const server = http.createServer(locked);
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const { port } = server.address() as AddressInfo;
    try {
      await request(server).get('/api/health').expect(200);
      expect((await request(server).get('/api/projects').expect(401)).body).toMatchObject({
        errors: [{ message: expect.stringMatching(/has not shown the key/u) as unknown }],
      });
      await request(server).get('/api/projects').set('Authorization', 'Bearer wrong').expect(401);
      await request(server).get('/api/projects').set('Authorization', 'Bearer secret-key').expect(200);
      const entered = await request(server).get('/?token=secret-key').expect(303);
      expect(entered.headers['location']).toBe('/');
      const cookie = String(entered.headers['set-cookie']);
      expect(cookie).toMatch(new RegExp(`^yundro-${port}=.*HttpOnly; SameSite=Strict`, 'u'));
      // the key itself stands in no cookie, and nothing that the database keeps lets anybody in
      expect(cookie).not.toContain('secret-key');
      const { rows } = await connection.pool.query<{ proof: string }>('select proof from sessions');
      const own = cookie.split(';')[0]!;
      expect(rows.map(({ proof }) => own.includes(proof))).not.toContain(true);
      await request(server).get('/api/projects').set('Cookie', own).expect(200);
      // another Yundro's cookie, on another port, is none of this one's
      await request(server)
        .get('/api/projects')
        .set('Cookie', own.replace(String(port), '1'))
        .expect(401);
      await request(server).post('/api/session/end').set('Cookie', own).send({}).expect(200);
      await request(server).get('/api/projects').set('Cookie', own).expect(401);
      expect((await request(server).get('/?token=wrong').expect(303)).headers['set-cookie']).toBeUndefined();
      // a path that would be another host leads home
      expect((await request(server).get('//evil.example/?token=wrong').expect(303)).headers['location']).toBe(
        '/evil.example/',
      );
    } finally {
      server.close();
    }
  });

  test.each<[string, object, string]>([
    ['NUL in a name', { name: 'a\0b' }, 'name'],
    ['half a surrogate in a name', { name: 'a\ud800' }, 'name'],
    ['NUL in a key', { 'a\0': 1, name: 'x' }, ''],
  ])('%s is refused by its place', async (_, body, at) => {
    const answer = await request(app).post('/api/projects').send(body).expect(400);
    expect(answer.body).toMatchObject({ errors: [{ path: at }] });
  });

  test('text that speaks of a time-out is text, and nothing of a document reaches the log', async () => {
    const { rail } = await newRail();
    await save(rail, 1, { notes: 'timeout terminated \ud83d\ude00' }).expect(200);
    await save(rail, 2, { notes: 'timeout \0' }).expect(400);
    const failure = Object.assign(new Error('Failed query: insert … params: {"notes":"secret"}'), {
      cause: Object.assign(new Error('invalid input'), { code: '22P05' }),
    });
    expect(JSON.stringify(forLog(failure))).not.toContain('secret');
  });

  test.each<[string, () => object]>([
    [
      'hundreds of thousands of keys',
      () => Object.fromEntries(Array.from({ length: 300_000 }, (_, i) => [`k${i}`, 1])),
    ],
    [
      'a list without end',
      () => ({
        ...document,
        brief: { ...document.brief, keepClear: Array.from({ length: 200_000 }, () => ({ min: 1, max: 2 })) },
      }),
    ],
    [
      'many lists',
      () => ({ ...document, more: Array.from({ length: 1000 }, () => Array.from({ length: 100 }, () => 0)) }),
    ],
  ])('%s: refused for its size alone, before a schema tells each of its faults', async (_, make) => {
    const { rail } = await newRail();
    const { body } = (await request(app)
      .put(`/api/designs/${rail}`)
      .send({ version: 1, document: make() })
      .expect(400)) as { body: { errors: { message: string }[] } };
    // how fast that is, check:hostile measures
    expect(body.errors).toHaveLength(1);
    expect(body.errors[0]!.message).toMatch(/^(?:there are more than \d+ values|has \d+ entries)$/u);
  });

  test('the page’s files are handed over compressed as the browser takes them, for a year, and are missed as such', async () => {
    const folder = mkdtempSync(path.join(os.tmpdir(), 'yundro-page-'));
    mkdirSync(path.join(folder, 'assets'));
    const text = 'export const one = 1;'.repeat(100);
    const file = path.join(folder, 'assets', 'a.js');
    writeFileSync(file, text);
    writeFileSync(`${file}.br`, brotliCompressSync(text));
    writeFileSync(`${file}.gz`, gzipSync(text));
    const whole = createApp({ connection, logger, webFolder: folder });
    for (const [accepted, encoding] of [
      ['gzip, deflate, br', 'br'],
      ['gzip', 'gzip'],
      ['identity', undefined],
    ] as const) {
      const { headers, text: body } = await request(whole)
        .get('/assets/a.js')
        .set('Accept-Encoding', accepted)
        .buffer(true)
        .expect(200)
        .expect('Content-Type', /javascript/u)
        .expect('Cache-Control', /max-age=31536000, immutable/u);
      expect(headers['content-encoding']).toBe(encoding);
      if (encoding !== 'br') expect(body).toBe(text);
    }
    await request(whole).get('/assets/b.js').expect(404);
    rmSync(folder, { recursive: true });
  });

  test('writes outside the interface get its one error shape', async () => {
    const whole = createApp({ connection, logger, webFolder: path.join(root, 'web') });
    expect((await request(whole).post('/').send({}).expect(404)).body).toMatchObject({ errors: [{ path: '/' }] });
  });
});
