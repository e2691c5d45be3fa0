import { Router, type Response } from 'express';
import { z } from 'zod';
import type { Database } from '../db/database.ts';
import { changeProject, createProject, findProject, lateRails, listProjects, setRemoved } from '../db/queries.ts';
import { notFound, sendErrors } from '../errors.ts';
import { uuid } from './designs.ts';

const NAME = 'text of 1 to 200 characters';
const DESCRIPTION = 'text of at most 2000 characters';
const name = z.string({ error: NAME }).trim().min(1, { error: NAME }).max(200, { error: NAME });
const description = z.string({ error: DESCRIPTION }).max(2000, { error: DESCRIPTION });
const newProject = z.object({ name, description: description.default('') }, { error: 'an object with a name' });
const change = z
  .object({ name: name.optional(), description: description.optional() }, { error: 'an object' })
  .refine((value) => value.name !== undefined || value.description !== undefined, { error: 'a name or a description' });

/** Rails that the first page shows. */
const MOST_RAILS = 24;

/** The body by its schema; answers 400 with every fault when it does not fit. */
function bodyOf<T>(schema: z.ZodType<T>, body: unknown, response: Response): T | undefined {
  const read = schema.safeParse(body ?? {});
  if (read.success) return read.data;
  sendErrors(
    response,
    400,
    read.error.issues.map((issue) => ({
      path: issue.path.join('.'),
      message: 'does not fit',
      expected: issue.message,
    })),
  );
  return undefined;
}

/** Projects: made, renamed, put away and taken back. */
export function projectRoutes(db: Database): Router {
  const router = Router();
  router.param('id', (_request, response, next, id: string) => {
    if (uuid.safeParse(id).success) next();
    else notFound(response, 'id', 'this is not an id');
  });

  router.get('/projects', async (_request, response) => {
    response.json({ projects: await listProjects(db) });
  });
  router.get('/rails', async (_request, response) => {
    response.json({ rails: await lateRails(db, MOST_RAILS) });
  });
  router.post('/projects', async (request, response) => {
    const body = bodyOf(newProject, request.body, response);
    if (body) response.status(201).json(await createProject(db, body));
  });
  router.get('/projects/:id', async (request, response) => {
    const project = await findProject(db, request.params.id);
    if (project) response.json(project);
    else notFound(response, 'id', 'there is no such project');
  });
  router.patch('/projects/:id', async (request, response) => {
    const body = bodyOf(change, request.body, response);
    if (!body) return;
    const values = {
      ...(body.name === undefined ? {} : { name: body.name }),
      ...(body.description === undefined ? {} : { description: body.description }),
    };
    const project = await changeProject(db, request.params.id, values);
    if (project) response.json(project);
    else notFound(response, 'id', 'there is no such project');
  });
  router.delete('/projects/:id', async (request, response) => {
    if (await setRemoved(db, 'project', request.params.id, true)) response.json({ removed: true });
    else notFound(response, 'id', 'there is no such project');
  });
  return router;
}
