import { createInterface } from 'node:readline';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { setImmediate } from 'node:timers/promises';
import { Router, type Request, type Response } from 'express';
import { z } from 'zod';
import {
  CLASS_KEYS,
  columnsOf,
  MAXIMUM_DEPTH,
  nestedDeeper,
  PART_KINDS,
  readPart,
  type Fault,
  type Part,
} from '@yundro/core';
import type { Database } from '../db/database.ts';
import {
  allParts,
  AT_A_TIME,
  countParts,
  findPart,
  importParts,
  nearestParts,
  partRows,
  savePart,
  searchParts,
  shelfMark,
  warmClasses,
} from '../db/shelf.ts';
import { notFound, sendErrors } from '../errors.ts';

const whole = (least: number, most: number, otherwise: number) =>
  z.coerce.number().int().min(least).max(most).default(otherwise);
/** A character that no database keeps. */
const UNFIT = /\0|\p{Surrogate}/u;
const search = z.object({
  kind: z.enum(PART_KINDS).optional(),
  words: z
    .string()
    .max(200)
    .refine((text) => !UNFIT.test(text))
    .optional(),
  retired: z.enum(['true', 'false']).optional(),
  limit: whole(1, 1000, 100),
  offset: whole(0, 1_000_000, 0),
});
const version = z.object({ version: z.int().min(1), part: z.unknown() });

const key = z.enum(CLASS_KEYS);
const nearest = z.object({
  classes: z
    .array(
      z.object({
        kind: z.enum(PART_KINDS),
        within: z.array(z.object({ key, least: z.number().optional(), most: z.number().optional() })).max(8),
        orders: z.array(z.partialRecord(key, z.number())).max(8),
        most: z.int().min(1).max(200),
      }),
    )
    .max(80),
  ids: z.array(z.string().max(80)).max(200),
});
const near = z.object({
  for: z
    .string()
    .max(15_000)
    .transform((text, context) => {
      try {
        return JSON.parse(text) as unknown;
      } catch {
        context.addIssue('is no JSON text');
        return z.NEVER;
      }
    })
    .pipe(nearest)
    .optional(),
});

/** Parts of one import, and bytes of its body: beyond them it is sent in pieces. */
const MOST_IMPORTED = 50_000;
const MOST_BYTES = 60_000_000;
const MOST_FAULTS = 50;
/** Parts that are checked before others get their turn. */
const AT_ONCE = 200;

/** The Shelf: searched, read whole, edited by version, imported in one transaction. */
export function shelfRoutes(db: Database): Router {
  const router = Router();
  router.use(shelfList(db));
  router.param('id', (_request, response, next, id: string) => {
    if (/^[a-z0-9][a-z0-9.-]{0,79}$/u.test(id)) next();
    else notFound(response, 'id', 'this is not the id of a part');
  });

  /** All of it at once, for a file that holds curves too; not sent again while nothing changed. */
  router.get('/shelf', async (request, response) => {
    const mark = `"${await shelfMark(db)}"`;
    response.setHeader('ETag', mark);
    response.setHeader('Cache-Control', 'no-cache');
    if (request.headers['if-none-match'] === mark) {
      response.status(304).end();
      return;
    }
    await sendList(response, { mark }, 'parts', allParts(db));
  });

  /**
   * What a page's workers choose from: the whole of a shelf that is handed over at once, else those that are asked for,
   * by the classes of a design's places.
   */
  router.get('/shelf/near', async (request, response) => {
    const asked = near.safeParse(request.query);
    if (!asked.success) {
      sendErrors(response, 400, [
        { path: 'for', message: 'does not fit', expected: 'the classes of parts that are asked for, as JSON' },
      ]);
      return;
    }
    const { for: wanted } = asked.data;
    const mark = await shelfMark(db);
    const tag = `"${mark}"`;
    response.setHeader('ETag', tag);
    response.setHeader('Cache-Control', 'no-cache');
    if (request.headers['if-none-match'] === tag) {
      response.status(304).end();
      return;
    }
    const count = Number(mark.split('-')[0]);
    if (count <= AT_A_TIME) await sendList(response, { mark, whole: true, count }, 'parts', allParts(db));
    else if (wanted === undefined) response.json({ mark, whole: false, count, parts: [] });
    else await sendList(response, { mark, whole: false, count }, 'parts', await nearestParts(db, mark, wanted));
  });

  /** What a table of one kind shows and is searched by: rows of plain values, and how many parts of each kind there are. */
  router.get('/shelf/table', async (request, response) => {
    const kind = PART_KINDS.find((one) => one === request.query['kind']);
    if (!kind) {
      sendErrors(response, 400, [
        { path: 'kind', message: 'is no kind of part', expected: `one of ${PART_KINDS.join(', ')}` },
      ]);
      return;
    }
    const mark = `"${kind}-${await shelfMark(db)}"`;
    response.setHeader('ETag', mark);
    response.setHeader('Cache-Control', 'no-cache');
    if (request.headers['if-none-match'] === mark) {
      response.status(304).end();
      return;
    }
    const keys = columnsOf(kind).flatMap(({ key, meta }) => (meta?.kind === 'curve' ? [] : [key]));
    await sendList(response, { kind, counts: await countParts(db), keys }, 'rows', partRows(db, kind, keys));
  });

  router.get('/shelf/parts', async (request, response) => {
    const asked = search.safeParse(request.query);
    if (!asked.success) {
      sendErrors(
        response,
        400,
        asked.error.issues.map((issue) => ({
          path: issue.path.join('.'),
          message: 'does not fit',
          expected: issue.path[0] === 'kind' ? `one of ${PART_KINDS.join(', ')}` : 'a value in range',
        })),
      );
      return;
    }
    const { retired, ...rest } = asked.data;
    response.json(await searchParts(db, { ...rest, retired: retired === undefined ? undefined : retired === 'true' }));
  });

  router.get('/shelf/parts/:id', async (request, response) => {
    const found = await findPart(db, request.params.id);
    if (found) response.json(found);
    else notFound(response, 'id', 'there is no such part');
  });

  router.put('/shelf/parts/:id', async (request, response) => {
    const body = version.safeParse(request.body);
    if (!body.success) {
      sendErrors(response, 400, [
        { path: 'version', message: 'does not fit', expected: 'the version that was read, and the part' },
      ]);
      return;
    }
    const read = readPart(body.data.part);
    if (!read.ok) {
      sendErrors(response, 400, read.faults);
      return;
    }
    if (read.part.id !== request.params.id) {
      sendErrors(response, 400, [
        { path: 'id', message: `found "${read.part.id}"`, expected: `"${request.params.id}", as in the address` },
      ]);
      return;
    }
    const outcome = await savePart(db, read.part, body.data.version);
    if (outcome.kind === 'saved') response.json(outcome.stored);
    else if (outcome.kind === 'missing') notFound(response, 'id', 'there is no such part');
    else
      sendErrors(
        response,
        409,
        [
          {
            path: 'version',
            message: 'the part was changed meanwhile',
            expected: `version ${outcome.current.version}`,
          },
        ],
        { current: outcome.current },
      );
  });
  return router;
}

/** Sends an object whose last field is a long list, piece by piece as the reader takes it; one who leaves ends the reading. */
async function sendList(response: Response, head: object, field: string, pieces: AsyncIterable<string>): Promise<void> {
  async function* text(): AsyncGenerator<string> {
    yield `${JSON.stringify(head).slice(0, -1)},"${field}":`;
    yield* pieces;
    yield '}';
  }
  try {
    await pipeline(Readable.from(text()), response.type('json'));
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'ERR_STREAM_PREMATURE_CLOSE') throw error;
  }
}

/** One part a line, and the list that a small import sends. */
const LINES = 'application/x-ndjson';

/** What an import sends, part by part as it comes in, each with the place that its faults name. */
async function* partsOf(request: Request): AsyncGenerator<{ at: number; value: unknown } | { fault: Fault }> {
  let at = 0;
  for await (const line of createInterface({ input: request })) {
    if (line.trim() === '') continue;
    const path = `parts.${at}`;
    if (nestedDeeper(Buffer.from(line), MAXIMUM_DEPTH))
      yield { fault: { path, message: `nesting goes deeper than ${MAXIMUM_DEPTH} levels`, expected: 'a part' } };
    else
      try {
        yield { at, value: JSON.parse(line) as unknown };
      } catch {
        yield { fault: { path, message: 'is no JSON text', expected: 'one part a line, as an object' } };
      }
    at += 1;
  }
}

/**
 * Takes many parts in, all or none; every fault is named by the part's place in the list. A large body is one part a line:
 * it is read as it comes, so that nobody waits for it and no more of it is kept than its parts.
 */
export function shelfImport(db: Database): Router {
  const router = Router();
  router.post('/shelf/parts', async (request, response, next) => {
    if (!request.is(LINES)) {
      next();
      return;
    }
    const length = Number(request.headers['content-length'] ?? Infinity);
    if (!(length <= MOST_BYTES)) {
      sendErrors(response, 413, [
        { path: '', message: 'the import is over 60 MB, or does not say its length', expected: 'at most 60 MB' },
      ]);
      return;
    }
    await takeIn(db, partsOf(request), response);
  });
  return router;
}

/** The same as one JSON list, within the size of any request. */
function shelfList(db: Database): Router {
  const router = Router();
  router.post('/shelf/parts', async (request, response) => {
    const list = (request.body as { parts?: unknown } | undefined)?.parts;
    if (!Array.isArray(list)) {
      sendErrors(response, 400, [{ path: 'parts', message: 'is no list', expected: 'a list of parts' }]);
      return;
    }
    await takeIn(
      db,
      list.map((value: unknown, at) => ({ at, value })),
      response,
    );
  });
  return router;
}

async function takeIn(
  db: Database,
  given: AsyncIterable<{ at: number; value: unknown } | { fault: Fault }> | Iterable<{ at: number; value: unknown }>,
  response: Response,
): Promise<void> {
  const faults: Fault[] = [];
  const parts: Part[] = [];
  const seen = new Set<string>();
  let count = 0;
  for await (const one of given) {
    count += 1;
    // others are answered meanwhile
    if (count % AT_ONCE === 0) await setImmediate();
    if ('fault' in one) faults.push(one.fault);
    else {
      const read = readPart(one.value);
      const at = `parts.${one.at}`;
      if (!read.ok) faults.push(...read.faults.map((fault) => ({ ...fault, path: `${at}.${fault.path}` })));
      else if (seen.has(read.part.id))
        faults.push({ path: `${at}.id`, message: `"${read.part.id}" stands twice`, expected: 'an id of its own' });
      else {
        seen.add(read.part.id);
        parts.push(read.part);
      }
    }
    if (count > MOST_IMPORTED)
      faults.unshift({
        path: 'parts',
        message: `has more than ${MOST_IMPORTED} parts`,
        expected: `a list of at most ${MOST_IMPORTED} parts`,
      });
    if (faults.length >= MOST_FAULTS || count > MOST_IMPORTED) break;
  }
  if (faults.length > 0) sendErrors(response, 400, faults.slice(0, MOST_FAULTS));
  else {
    response.json(await importParts(db, parts));
    // whoever opens a design next finds them read; one that fails is read when it is asked for
    void warmClasses(db).catch(() => undefined);
  }
}
