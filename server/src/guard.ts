import { timingSafeEqual } from 'node:crypto';
import type { Request, RequestHandler, Response } from 'express';
import type { Logger } from 'pino';
import { MAXIMUM_DEPTH, nestedDeeper, structureFault, type Fault } from '@yundro/core';
import type { Database } from './db/database.ts';
import { beginSession, endSessions, isSession } from './db/sessions.ts';
import { sendErrors } from './errors.ts';

/** Names under which this server may be addressed: loopback's, and those it was told of. */
const LOOPBACK = ['127.0.0.1', 'localhost', '[::1]'];

export interface GuardOptions {
  /** further host names, for a server that stands behind a name of its own */
  hosts?: readonly string[] | undefined;
  /** what a client must show; anyone may come when absent */
  token?: string | undefined;
  /** where the browsers that have shown it are kept */
  sessions?: Database | undefined;
  /** told of keys that were refused */
  logger?: Logger | undefined;
}

const COOKIE = 'yundro';
const WRITES: ReadonlySet<string> = new Set(['POST', 'PUT', 'PATCH', 'DELETE']);

function refuse(response: Response, status: number, path: string, message: string, expected: string): void {
  sendErrors(response, status, [{ path, message, expected }]);
}

function nameOf(host: string): string {
  return host.replace(/:\d+$/u, '').toLowerCase();
}

/**
 * Only requests that were meant for this server: its own host names (a foreign name that resolves to loopback is not
 * one), and writes from its own pages or from programs, never from another site's page.
 */
export function guardOrigin({ hosts = [] }: GuardOptions): RequestHandler {
  const known = new Set([...LOOPBACK, ...hosts.map((host) => host.toLowerCase())]);
  return (request, response, next) => {
    const host = request.headers.host ?? '';
    if (!known.has(nameOf(host))) {
      refuse(response, 403, 'Host', 'this server does not answer to that name', [...known].join(', '));
      return;
    }
    const { origin } = request.headers;
    const site = request.headers['sec-fetch-site'];
    const foreign =
      (origin !== undefined && origin !== `http://${host}` && origin !== `https://${host}`) ||
      (site !== undefined && site !== 'same-origin' && site !== 'none');
    const navigates = request.headers['sec-fetch-mode'] === 'navigate' && !WRITES.has(request.method);
    if (foreign && !navigates) {
      refuse(response, 403, 'Origin', 'this request comes from another site', 'Yundro’s own pages');
      return;
    }
    next();
  };
}

function same(given: string, token: string): boolean {
  const [a, b] = [Buffer.from(given), Buffer.from(token)];
  return a.length === b.length && timingSafeEqual(a, b);
}

/** s that a browser stays in: a season, after which it shows the key again. */
const STAYS = 90 * 86_400;

/** A cookie goes to every port of its host: each Yundro on a machine has its own name. */
const cookieOf = (request: Request): string => `${COOKIE}-${request.socket.localPort ?? 0}`;

/** The secret of the session that a browser brings along. */
function sessionOf(request: Request): string | undefined {
  const name = `${cookieOf(request)}=`;
  const own = (request.headers.cookie ?? '').split(/;\s*/u).find((cookie) => cookie.startsWith(name));
  return own?.slice(name.length);
}

/** Takes the key from the address that the start command prints, and gives the browser a session of its own for it. */
export function takeToken({ token, sessions, logger }: GuardOptions): RequestHandler {
  return async (request, response, next) => {
    const given = request.query['token'];
    if (token === undefined || request.method !== 'GET' || typeof given !== 'string') {
      next();
      return;
    }
    if (same(given, token) && sessions)
      response.cookie(cookieOf(request), await beginSession(sessions), {
        httpOnly: true,
        sameSite: 'strict',
        path: '/',
        maxAge: STAYS * 1000,
      });
    else logger?.warn({ from: request.ip }, 'a key that is not this Yundro’s was shown');
    // a path of two slashes would be another host
    response.redirect(303, request.path.replace(/^[/\\]+/u, '/'));
  };
}

/** Lets only those in who have a session, or show the key as a bearer. */
export function requireToken({ token, sessions, logger }: GuardOptions): RequestHandler {
  return async (request, response, next) => {
    if (token === undefined) {
      next();
      return;
    }
    const bearer = /^Bearer (\S+)$/u.exec(request.headers.authorization ?? '')?.[1];
    const secret = sessionOf(request);
    if (
      bearer !== undefined
        ? same(bearer, token)
        : secret !== undefined && sessions && (await isSession(sessions, secret))
    ) {
      next();
      return;
    }
    if (bearer !== undefined) logger?.warn({ from: request.ip }, 'a key that is not this Yundro’s was shown');
    refuse(
      response,
      401,
      '',
      'this browser has not shown the key of this Yundro',
      'the address that the start command printed, with its key',
    );
  };
}

/** Logs this browser out, or with `everywhere` every one. */
export function endSession({ sessions }: GuardOptions): RequestHandler {
  return async (request, response) => {
    const everywhere = (request.body as { everywhere?: unknown } | undefined)?.everywhere === true;
    const secret = sessionOf(request);
    if (sessions && (everywhere || secret !== undefined)) await endSessions(sessions, everywhere ? undefined : secret);
    response.clearCookie(cookieOf(request), { path: '/' });
    response.json({ ended: true });
  };
}

/** Writes carry JSON and say so: a form or plain text, which another site could send, is refused. */
export const requireJson: RequestHandler = (request, response, next) => {
  const empty = request.headers['content-length'] === undefined || request.headers['content-length'] === '0';
  const chunked = request.headers['transfer-encoding'] !== undefined;
  if (WRITES.has(request.method) && (!empty || chunked) && !request.is(['application/json', 'application/x-ndjson'])) {
    refuse(response, 415, 'Content-Type', 'this is not JSON', 'application/json');
    return;
  }
  next();
};

/** A body is looked at before it is parsed: a tower of brackets costs a scan, not a minute. */
export function shallow(_request: unknown, _response: unknown, body: Buffer): void {
  // one more than a document has: it comes wrapped
  if (nestedDeeper(body, MAXIMUM_DEPTH + 1))
    throw Object.assign(new Error('too deep'), { status: 400, type: 'too.deep' });
}

/** What no schema and no database should see: too deep, too many, or text that is none. */
export const requireShape: RequestHandler = (request, response, next) => {
  const fault: Fault | undefined = request.body === undefined ? undefined : structureFault(request.body, -1);
  if (fault) sendErrors(response, 400, [fault]);
  else next();
};

/** Bytes from which a body counts as large: such are read one after another, so that none holds up everyone. */
const LARGE = 200_000;
const MOST_WAITING = 16;

/** Large bodies one at a time; beyond a queue of a few, later. */
export function oneLargeAtATime(): RequestHandler {
  const waiting: (() => void)[] = [];
  let busy = false;
  const release = (): void => {
    const next = waiting.shift();
    if (next) setImmediate(next);
    else busy = false;
  };
  return (request, response, next) => {
    const length = Number(request.headers['content-length'] ?? Infinity);
    if (!WRITES.has(request.method) || request.headers['content-type'] === undefined || length < LARGE) {
      next();
      return;
    }
    if (waiting.length >= MOST_WAITING) {
      response.setHeader('Retry-After', '2');
      refuse(response, 429, '', 'too many large requests at once', 'the same again in a moment');
      return;
    }
    response.once('close', release);
    if (busy) waiting.push(next);
    else {
      busy = true;
      next();
    }
  };
}
