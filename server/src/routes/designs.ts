import { Router } from 'express';
import { z } from 'zod';
import { readDesign, type Design } from '@yundro/core';
import type { Response } from 'express';
import type { Database } from '../db/database.ts';
import {
  createDesign,
  findDesign,
  findRevision,
  forgetRemoved,
  labelRevision,
  listRemoved,
  listRevisions,
  saveDesign,
  setRemoved,
} from '../db/queries.ts';
import { notFound, sendErrors } from '../errors.ts';
import type { SaveEvents } from '../events.ts';

const NEWEST = 2 ** 31 - 1;
export const uuid = z.uuid();
const versionOf = z.int().min(1).max(NEWEST);
const labelOf = z.string().trim().min(1).max(120).nullable();

/** Designs and their revisions. Every body passes the core's schema on the way in and on the way out. */
export function designRoutes(db: Database, events: SaveEvents | undefined): Router {
  const router = Router();

  // an id that cannot exist is answered before any query sees it
  router.param('id', (_request, response, next, id: string) => {
    if (uuid.safeParse(id).success) next();
    else notFound(response, 'id', 'this is not an id');
  });

  router.post('/projects/:id/designs', async (request, response) => {
    const document = documentOf(request.body, response);
    if (!document) return;
    const design = await createDesign(db, request.params.id, document);
    if (design) response.status(201).json(design);
    else notFound(response, 'id', 'there is no such project');
  });

  router.get('/designs/:id', async (request, response) => {
    const design = await findDesign(db, request.params.id);
    if (design) response.json(design);
    else notFound(response, 'id', 'there is no such design');
  });

  router.put('/designs/:id', async (request, response) => {
    const body = (request.body ?? {}) as { version?: unknown; save?: unknown };
    const version = versionOf.safeParse(body.version);
    if (!version.success) {
      sendErrors(response, 400, [
        { path: 'version', message: 'is missing or no version', expected: 'the version this change starts from' },
      ]);
      return;
    }
    const key = uuid.optional().safeParse(body.save);
    if (!key.success) {
      sendErrors(response, 400, [{ path: 'save', message: 'is no key', expected: 'a UUID of this save, or nothing' }]);
      return;
    }
    const document = documentOf(request.body, response);
    if (!document) return;
    const outcome = await saveDesign(db, request.params.id, version.data, document, key.data);
    if (outcome.kind === 'saved') response.json(outcome.design);
    else if (outcome.kind === 'missing') notFound(response, 'id', 'there is no such design');
    else {
      sendErrors(
        response,
        409,
        [
          {
            path: 'version',
            message: `the design was saved elsewhere as version ${outcome.current.version}`,
            expected: 'a change that starts from that version',
          },
        ],
        { current: outcome.current },
      );
    }
  });

  router.delete('/designs/:id', async (request, response) => {
    if (await setRemoved(db, 'design', request.params.id, true)) response.json({ removed: true });
    else notFound(response, 'id', 'there is no such design');
  });

  router.get('/events', (_request, response) => {
    if (!events?.subscribe(response))
      sendErrors(response, 503, [{ path: '', message: 'too many browsers listen', expected: 'fewer of them' }]);
  });

  router.get('/designs/:id/revisions', async (request, response) => {
    const before = request.query['before'];
    const from = before === undefined ? NEWEST : versionOf.safeParse(Number(before)).data;
    if (from === undefined) {
      sendErrors(response, 400, [{ path: 'before', message: 'is no version', expected: 'a version, or nothing' }]);
      return;
    }
    if (!(await findDesign(db, request.params.id))) {
      notFound(response, 'id', 'there is no such design');
      return;
    }
    response.json(await listRevisions(db, request.params.id, from));
  });

  router.get('/designs/:id/revisions/:version', async (request, response) => {
    const version = versionOf.safeParse(Number(request.params.version));
    const revision = version.success ? await findRevision(db, request.params.id, version.data) : undefined;
    if (revision) response.json(revision);
    else notFound(response, 'version', 'there is no such revision');
  });

  router.patch('/designs/:id/revisions/:version', async (request, response) => {
    const version = versionOf.safeParse(Number(request.params.version));
    const label = labelOf.safeParse((request.body as { label?: unknown } | undefined)?.label);
    if (!label.success) {
      sendErrors(response, 400, [
        { path: 'label', message: 'is no name', expected: 'text of 1 to 120 characters, or null for none' },
      ]);
    } else if (version.success && (await labelRevision(db, request.params.id, version.data, label.data))) {
      response.json({ version: version.data, label: label.data });
    } else notFound(response, 'version', 'there is no such revision');
  });

  router.get('/removed', async (_request, response) => {
    response.json({ removed: await listRemoved(db) });
  });
  router.post('/removed/:id/restore', async (request, response) => {
    const { id } = request.params;
    const back = (await setRemoved(db, 'design', id, false)) || (await setRemoved(db, 'project', id, false));
    if (back) response.json({ restored: true });
    else notFound(response, 'id', 'nothing of that id was removed');
  });
  router.delete('/removed/:id', async (request, response) => {
    if (await forgetRemoved(db, request.params.id)) response.json({ gone: true });
    else notFound(response, 'id', 'nothing of that id was removed');
  });

  return router;
}

/** The design in a request's `document`; answers 400 with every fault, paths below `document`, when it does not fit. */
function documentOf(body: unknown, response: Response): Design | undefined {
  const read = readDesign((body as { document?: unknown } | undefined)?.document);
  if (read.ok) return read.design;
  sendErrors(
    response,
    400,
    read.faults.map((fault) => ({ ...fault, path: fault.path === '' ? 'document' : `document.${fault.path}` })),
  );
  return undefined;
}
