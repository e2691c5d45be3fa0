import { setImmediate } from 'node:timers/promises';
import express, { Router } from 'express';
import { z } from 'zod';
import { PART_KINDS, readPart, type Fault, type Part } from '@yundro/core';
import type { Database } from '../db/database.ts';
import { allParts, findPart, importParts, savePart, searchParts, shelfMark } from '../db/shelf.ts';
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

/** Parts of one import, and bytes of its body: beyond them it is sent in pieces. */
const MOST_IMPORTED = 50_000;
const IMPORT_LIMIT = '60mb';
const MOST_FAULTS = 50;
/** Parts that are checked before others get their turn. */
const AT_ONCE = 200;

/** The Shelf: searched, read whole, edited by version, imported in one transaction. */
export function shelfRoutes(db: Database): Router {
  const router = Router();
  router.param('id', (_request, response, next, id: string) => {
    if (/^[a-z0-9][a-z0-9.-]{0,79}$/u.test(id)) next();
    else notFound(response, 'id', 'this is not the id of a part');
  });

  /** All of it at once, for the page's workers; not sent again while nothing changed. */
  router.get('/shelf', async (request, response) => {
    const mark = `"${await shelfMark(db)}"`;
    response.setHeader('ETag', mark);
    response.setHeader('Cache-Control', 'no-cache');
    if (request.headers['if-none-match'] === mark) {
      response.status(304).end();
      return;
    }
    response.json({ mark, parts: await allParts(db) });
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

/** Takes many parts in, all or none; every fault is named by the part's place in the list. Its body may be large. */
export function shelfImport(db: Database): Router {
  const router = Router();
  router.post('/shelf/parts', express.json({ limit: IMPORT_LIMIT, strict: true }), async (request, response) => {
    const list = (request.body as { parts?: unknown } | undefined)?.parts;
    if (!Array.isArray(list) || list.length > MOST_IMPORTED) {
      sendErrors(response, 400, [
        {
          path: 'parts',
          message: Array.isArray(list) ? `has ${list.length} parts` : 'is no list',
          expected: `a list of at most ${MOST_IMPORTED} parts`,
        },
      ]);
      return;
    }
    const faults: Fault[] = [];
    const parts: Part[] = [];
    const seen = new Set<string>();
    for (const [at, value] of list.entries()) {
      // others are answered meanwhile
      if (at % AT_ONCE === AT_ONCE - 1) await setImmediate();
      const read = readPart(value);
      if (!read.ok) faults.push(...read.faults.map((fault) => ({ ...fault, path: `parts.${at}.${fault.path}` })));
      else if (seen.has(read.part.id))
        faults.push({
          path: `parts.${at}.id`,
          message: `"${read.part.id}" stands twice`,
          expected: 'an id of its own',
        });
      else {
        seen.add(read.part.id);
        parts.push(read.part);
      }
      if (faults.length >= MOST_FAULTS) break;
    }
    if (faults.length > 0) {
      sendErrors(response, 400, faults.slice(0, MOST_FAULTS));
      return;
    }
    response.json(await importParts(db, parts));
  });
  return router;
}
