import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import path from 'node:path';
import pg from 'pg';
import { pino } from 'pino';
import request from 'supertest';
import type { Express } from 'express';
import { demoShelf, type Part } from '@yundro/core';
import { createApp } from '../src/app.ts';
import { connect, migrateDatabase, type Connection } from '../src/db/database.ts';
import { loadDemoShelf } from '../src/db/shelf.ts';

const root = path.resolve(import.meta.dirname, '../..');
const admin = process.env['TEST_DATABASE_URL'] ?? '';
const name = `shelf_${process.pid}_${Date.now()}`;
const demo = demoShelf().parts;
const first = demo[0]!;
let connection: Connection;
let app: Express;

async function asAdmin(statement: string): Promise<void> {
  const client = new pg.Client({ connectionString: admin });
  await client.connect();
  await client.query(statement);
  await client.end();
}

beforeAll(async () => {
  await asAdmin(`create database ${name}`);
  const url = admin.replace(/\/[^/]*$/u, `/${name}`);
  await migrateDatabase(url, path.join(root, 'server/drizzle'));
  connection = connect(url, () => undefined);
  app = createApp({ connection, logger: pino({ level: 'silent' }) });
  expect(await loadDemoShelf(connection.db)).toBe('loaded');
}, 60_000);

afterAll(async () => {
  await connection.pool.end();
  await asAdmin(`drop database ${name} with (force)`);
});

const wire = (id: string, more: object = {}): Part => ({ kind: 'wire', id, name: id, diameter: 1e-3, ...more });

test('the demo parts are put in once, come back as they are, and are not sent again while nothing changed', async () => {
  expect(await loadDemoShelf(connection.db)).toBe('present');
  const whole = await request(app).get('/api/shelf').expect(200);
  const { parts } = whole.body as { parts: Part[] };
  expect(new Map(parts.map((part) => [part.id, part]))).toEqual(new Map(demo.map((part) => [part.id, part])));
  const mark = whole.headers['etag'] as string;
  await request(app).get('/api/shelf').set('If-None-Match', mark).expect(304);
});

test('a table of one kind holds its plain values and no curve, and the count of every kind', async () => {
  const answer = await request(app).get('/api/shelf/table?kind=mosfet').expect(200);
  const { counts, keys, rows } = answer.body as { counts: Record<string, number>; keys: string[]; rows: unknown[][] };
  const mosfets = demo.filter(({ kind }) => kind === 'mosfet');
  expect(counts['mosfet']).toBe(mosfets.length);
  expect(counts['inductor']).toBe(demo.filter(({ kind }) => kind === 'inductor').length);
  expect(keys).not.toContain('onResistanceCurve');
  const at = (key: string): number => keys.indexOf(key);
  expect(new Map(rows.map((row) => [row[at('id')], row[at('onResistance')]]))).toEqual(
    new Map(mosfets.map((part) => [part.id, (part as { onResistance?: number }).onResistance ?? null])),
  );
  await request(app)
    .get('/api/shelf/table?kind=mosfet')
    .set('If-None-Match', answer.headers['etag'] as string)
    .expect(304);
  await request(app).get('/api/shelf/table?kind=valve').expect(400);
});

describe('editing', () => {
  test('counts the version up, keeps the former state, and refuses one that was read before', async () => {
    const changed = { ...first, cost: 9.5, note: 'dearer now' };
    const saved = await request(app)
      .put(`/api/shelf/parts/${first.id}`)
      .send({ version: 1, part: changed })
      .expect(200);
    expect(saved.body).toMatchObject({ version: 2, part: { cost: 9.5 } });
    const stale = await request(app).put(`/api/shelf/parts/${first.id}`).send({ version: 1, part: first }).expect(409);
    expect(stale.body).toMatchObject({ errors: [{ path: 'version' }], current: { version: 2, part: { cost: 9.5 } } });
    const found = await request(app).get(`/api/shelf/parts/${first.id}`).expect(200);
    expect((found.body as { versions: { version: number }[] }).versions.map(({ version }) => version)).toEqual([2, 1]);
  });
  test('three writers at once: one is first, two are told so', async () => {
    const answers = await Promise.all(
      [1, 2, 3].map((cost) =>
        request(app)
          .put(`/api/shelf/parts/${demo[1]!.id}`)
          .send({ version: 1, part: { ...demo[1], cost } }),
      ),
    );
    expect(answers.map(({ status }) => status).sort()).toEqual([200, 409, 409]);
  });
  test.each<[object, string, string]>([
    [{ ...first, gateResistance: -4 }, first.id, 'gateResistance'],
    [{ ...first, id: 'another' }, first.id, 'id'],
    [{ kind: 'valve' }, first.id, 'kind'],
  ])('what does not fit is named by its key: %#', async (part, id, place) => {
    const answer = await request(app).put(`/api/shelf/parts/${id}`).send({ version: 2, part }).expect(400);
    expect(answer.body).toMatchObject({ errors: [{ path: place }] });
  });
  test.each(['/api/shelf/parts/%00', '/api/shelf/parts/a%20b'])('%s is no part', async (address) => {
    await request(app).get(address).expect(404);
  });
  test('a part that is not there is not made by an edit', async () => {
    await request(app)
      .put('/api/shelf/parts/none')
      .send({ version: 1, part: wire('none') })
      .expect(404);
  });
});

/** An import of any size: one part a line. */
const sent = (list: readonly object[]) =>
  request(app)
    .post('/api/shelf/parts')
    .set('Content-Type', 'application/x-ndjson')
    .send(list.map((part) => JSON.stringify(part)).join('\n'));

describe('importing', () => {
  test('adds, changes and leaves alone, in one transaction; each change is a version', async () => {
    const list = [wire('new-1'), wire('new-2'), { ...demo[2], cost: 77 }, demo[3]];
    const answer = await request(app).post('/api/shelf/parts').send({ parts: list }).expect(200);
    expect(answer.body).toEqual({ added: 2, changed: 1, same: 1 });
    const found = await request(app).get(`/api/shelf/parts/${demo[2]!.id}`).expect(200);
    expect(found.body).toMatchObject({ version: 2, part: { cost: 77 } });
  });
  test.each(['a list', 'lines'])('one bad part in %s and none is taken in; it is named by its place', async (as) => {
    const list = [wire('good'), wire('bad', { diameter: 0 }), wire('good')];
    const posted = as === 'lines' ? sent(list) : request(app).post('/api/shelf/parts').send({ parts: list });
    const answer = await posted.expect(400);
    expect((answer.body as { errors: { path: string }[] }).errors.map((error) => error.path)).toEqual([
      'parts.1.diameter',
      'parts.2.id',
    ]);
    await request(app).get('/api/shelf/parts/good').expect(404);
  });
  test('a line that is none, a tower of brackets and too large a body are told, and hold nobody up', async () => {
    const broken = await request(app)
      .post('/api/shelf/parts')
      .set('Content-Type', 'application/x-ndjson')
      .send(
        `${JSON.stringify(wire('whole'))}\n{"id": \n${'['.repeat(4_000_000)}\n${JSON.stringify(wire('nul', { name: 'a\0' }))}`,
      )
      .expect(400);
    expect((broken.body as { errors: { path: string }[] }).errors.map((error) => error.path)).toEqual([
      'parts.1',
      'parts.2',
      'parts.3.name',
    ]);
    expect(broken.body).toMatchObject({
      errors: [{}, { message: expect.stringMatching(/deeper than 64/u) as unknown }, {}],
    });
    const tower = await request(app)
      .post('/api/projects')
      .set('Content-Type', 'application/json')
      .send('['.repeat(4_900_000))
      .expect(400);
    expect(tower.body).toMatchObject({ errors: [{ message: expect.stringMatching(/deeper than 64/u) as unknown }] });
    const large = await request(app)
      .post('/api/shelf/parts')
      .set('Content-Type', 'application/x-ndjson')
      .send('x'.repeat(60_000_001))
      .expect(413);
    expect(large.body).toMatchObject({ errors: [{ message: expect.stringMatching(/60 MB/u) as unknown }] });
  });
  test('another import of the same parts is waited for, and told of where it takes too long', async () => {
    await sent([wire('held')]).expect(200);
    const other = new pg.Client({ connectionString: admin.replace(/\/[^/]*$/u, `/${name}`) });
    await other.connect();
    await other.query(`begin; update parts set version = version where id = 'held'`);
    const answer = await sent([wire('held', { cost: 1 })]).expect(503);
    expect(answer.body).toMatchObject({ errors: [{ message: expect.stringMatching(/another import/u) as unknown }] });
    await other.query('rollback');
    await other.end();
    expect((await sent([wire('held', { cost: 1 })]).expect(200)).body).toEqual({ added: 0, changed: 1, same: 0 });
  }, 30_000);
  test('a database that cannot write is told as such, by health too, until it can', async () => {
    await connection.pool.query(
      `create function no_room() returns trigger language plpgsql as $$ begin raise exception 'full' using errcode = '53100'; end $$;
       create trigger no_room before insert on parts execute function no_room()`,
    );
    const full = await sent([wire('roomless')]).expect(507);
    expect(full.body).toMatchObject({ errors: [{ message: expect.stringMatching(/no room/u) as unknown }] });
    await request(app).get('/api/health').expect(503);
    await connection.pool.query('drop trigger no_room on parts; drop function no_room');
    await sent([wire('roomless')]).expect(200);
    await request(app).get('/api/health').expect(200);
  });
  test('cut in the middle, the shelf is as it was', async () => {
    await connection.pool.query(`alter table part_versions add constraint cut check (part_id <> 'cut-2500')`);
    const list = Array.from({ length: 3000 }, (_, i) => wire(`cut-${i}`));
    await sent(list).expect(500);
    const left = await request(app).get('/api/shelf/parts?words=cut-1').expect(200);
    expect(left.body).toMatchObject({ total: 0 });
    await connection.pool.query('alter table part_versions drop constraint cut');
  });
});

describe('searching among 20,000 parts', () => {
  beforeAll(async () => {
    const many = Array.from({ length: 20_000 }, (_, i) => wire(`many-${i}`, { retired: i % 100 === 0 }));
    expect((await sent(many).expect(200)).body).toEqual({ added: 20_000, changed: 0, same: 0 });
    await connection.pool.query('analyze parts');
  }, 60_000);

  test('by kind, words and state, a page at a time', async () => {
    // pages tile the whole, and a page beyond the last still tells how many there are
    const mosfets = demo.filter(({ kind }) => kind === 'mosfet').length;
    const ids: string[] = [];
    for (let offset = 0; offset <= mosfets + 40; offset += 40) {
      const answer = await request(app).get(`/api/shelf/parts?kind=mosfet&limit=40&offset=${offset}`).expect(200);
      const page = answer.body as { total: number; parts: { part: Part }[] };
      expect(page.total).toBe(mosfets);
      ids.push(...page.parts.map(({ part }) => part.id));
    }
    expect([ids.length, new Set(ids).size]).toEqual([mosfets, mosfets]);
    expect((await request(app).get('/api/shelf/parts?words=nosuchword').expect(200)).body).toEqual({
      total: 0,
      parts: [],
    });
    const fets = await request(app).get('/api/shelf/parts?kind=mosfet&limit=10&offset=10').expect(200);
    expect(fets.body).toMatchObject({ total: demo.filter(({ kind }) => kind === 'mosfet').length });
    expect((fets.body as { parts: unknown[] }).parts).toHaveLength(10);
    const words = await request(app).get('/api/shelf/parts?words=gallium+nitride&limit=500').expect(200);
    expect((words.body as { total: number }).total).toBe(
      demo.filter((part) => part.name.includes('gallium nitride')).length,
    );
    const retired = await request(app).get('/api/shelf/parts?retired=true&kind=wire').expect(200);
    expect(retired.body).toMatchObject({ total: 200 });
    await request(app).get('/api/shelf/parts?words=%00').expect(400);
    const wrong = await request(app).get('/api/shelf/parts?kind=valve&limit=0').expect(400);
    expect((wrong.body as { errors: { path: string }[] }).errors.map((error) => error.path)).toEqual(['kind', 'limit']);
  });

  test('a shelf too large to hand over gives what a design’s places may take, with what it names', async () => {
    const bare = await request(app).get('/api/shelf/near').expect(200);
    expect(bare.body).toMatchObject({ whole: false, parts: [] });
    const asked = {
      classes: [
        { kind: 'wire', within: [{ key: 'length', least: 2, most: 3 }], orders: [{ cost: 1 }, { cost: -1 }], most: 3 },
      ],
      ids: ['many-7'],
    };
    const lengths = [0, 1, 2, 3, 4, 5, 6, 7, 8, 9].map((k) =>
      wire(`long-${k}`, { length: 2.5, cost: k < 5 ? 1e-6 * (k + 1) : 1e3 * k }),
    );
    await sent(lengths).expect(200);
    const near = (wanted: unknown) =>
      request(app).get(`/api/shelf/near?for=${encodeURIComponent(JSON.stringify(wanted))}`);
    const answer = await near(asked).expect(200);
    const { parts } = answer.body as { parts: Part[] };
    const ids = parts.map(({ id }) => id);
    for (const id of ['many-7', 'long-0', 'long-1', 'long-2', 'long-7', 'long-8', 'long-9']) expect(ids).toContain(id);
    expect(ids).not.toContain('long-4');
    // kinds that are few come whole; of those without a length, which may be as long, no more than each order takes
    expect(parts.filter(({ kind }) => kind === 'mosfet')).toHaveLength(
      demo.filter(({ kind }) => kind === 'mosfet').length,
    );
    expect(parts.filter(({ kind }) => kind === 'wire').length).toBeLessThan(12);
    // another state of the shelf is read anew
    await sent([wire('long-4', { length: 2.5, cost: 1e-7 })]).expect(200);
    const next = (await near(asked).expect(200)).body as { parts: Part[] };
    expect(next.parts.map(({ id }) => id)).toContain('long-4');
    await near({ ...asked, classes: [{ ...asked.classes[0], orders: [{ secret: 1 }] }] }).expect(400);
    await request(app).get('/api/shelf/near?for=%7B').expect(400);
  });

  test('the database finds them by its indexes', async () => {
    const plan = async (query: string): Promise<string> =>
      JSON.stringify((await connection.pool.query(`explain (format json) ${query}`)).rows);
    expect(await plan(`select * from parts where kind = 'mosfet' order by id limit 100`)).toMatch(/parts_kind/u);
    expect(await plan(`select * from parts where words @@ plainto_tsquery('simple', 'gallium')`)).toMatch(
      /parts_words/u,
    );
  });
});
