import { Router } from 'express';
import { z } from 'zod';
import { readDesign, type Design } from '@yundro/core';
import type { Response } from 'express';
import type { Database } from '../db/database.ts';
import {
  createDesign,
  createProject,
  findDesign,
  findProject,
  findRevision,
  listProjects,
  listRevisions,
  saveDesign,
} from '../db/queries.ts';
import { notFound, sendErrors } from '../errors.ts';

const uuid = z.uuid();
const projectBody = z.object({
  name: z
    .string({ error: 'expected text' })
    .trim()
    .min(1, { error: 'expected a name' })
    .max(200, { error: 'expected at most 200 characters' }),
  description: z
    .string({ error: 'expected text' })
    .max(2000, { error: 'expected at most 2000 characters' })
    .default(''),
});
const versionOf = z
  .int()
  .min(1)
  .max(2 ** 31 - 1);

/** Projects, designs and their revisions. Every body passes the core's schema on the way in and on the way out. */
export function designRoutes(db: Database): Router {
  const router = Router();

  // an id that cannot exist is answered before any query sees it
  router.param('id', (_request, response, next, id: string) => {
    if (uuid.safeParse(id).success) next();
    else notFound(response, 'id', 'this is not an id');
  });

  router.get('/projects', async (_request, response) => {
    response.json({ projects: await listProjects(db) });
  });

  router.post('/projects', async (request, response) => {
    const body = projectBody.safeParse(request.body);
    if (!body.success) {
      sendErrors(
        response,
        400,
        body.error.issues.map((issue) => ({
          path: issue.path.join('.'),
          message: 'does not fit',
          expected: issue.message.replace(/^expected /u, ''),
        })),
      );
      return;
    }
    const project = await createProject(db, body.data);
    response.status(201).json(project);
  });

  router.get('/projects/:id', async (request, response) => {
    const project = await findProject(db, request.params.id);
    if (project) response.json(project);
    else notFound(response, 'id', 'there is no such project');
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
    const version = versionOf.safeParse((request.body as { version?: unknown } | undefined)?.version);
    if (!version.success) {
      sendErrors(response, 400, [
        { path: 'version', message: 'is missing or no version', expected: 'the version this change starts from' },
      ]);
      return;
    }
    const document = documentOf(request.body, response);
    if (!document) return;
    const outcome = await saveDesign(db, request.params.id, version.data, document);
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

  router.get('/designs/:id/revisions', async (request, response) => {
    response.json({ revisions: await listRevisions(db, request.params.id) });
  });

  router.get('/designs/:id/revisions/:version', async (request, response) => {
    const version = versionOf.safeParse(Number(request.params.version));
    const revision = version.success ? await findRevision(db, request.params.id, version.data) : undefined;
    if (revision) response.json(revision);
    else notFound(response, 'version', 'there is no such revision');
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
