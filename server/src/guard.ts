import { timingSafeEqual } from 'node:crypto';
import type { RequestHandler, Response } from 'express';
import { structureFault, type Fault } from '@yundro/core';
import { sendErrors } from './errors.ts';

/** Names under which this server may be addressed: loopback's, and those it was told of. */
const LOOPBACK = ['127.0.0.1', 'localhost', '[::1]'];

export interface GuardOptions {
  /** further host names, for a server that stands behind a name of its own */
  hosts?: readonly string[] | undefined;
  /** what a client must show; anyone may come when absent */
  token?: string | undefined;
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

function shown(cookies: string | undefined, authorization: string | undefined): string | undefined {
  const bearer = /^Bearer (\S+)$/u.exec(authorization ?? '')?.[1];
  if (bearer !== undefined) return bearer;
  const own = (cookies ?? '').split(/;\s*/u).find((cookie) => cookie.startsWith(`${COOKIE}=`));
  return own?.slice(COOKIE.length + 1);
}

/** Takes the token from the address that the start command prints, and turns it into a cookie of this site alone. */
export function takeToken({ token }: GuardOptions): RequestHandler {
  return (request, response, next) => {
    const given = request.query['token'];
    if (token === undefined || request.method !== 'GET' || typeof given !== 'string') {
      next();
      return;
    }
    if (same(given, token))
      response.cookie(COOKIE, token, { httpOnly: true, sameSite: 'strict', path: '/', maxAge: 400 * 86_400_000 });
    response.redirect(303, request.path);
  };
}

/** Lets only those in who show the token, by cookie or as a bearer. */
export function requireToken({ token }: GuardOptions): RequestHandler {
  return (request, response, next) => {
    const given = shown(request.headers.cookie, request.headers.authorization);
    if (token === undefined || (given !== undefined && same(given, token))) {
      next();
      return;
    }
    refuse(
      response,
      401,
      '',
      'this browser has not shown the key of this Yundro',
      'the address that the start command printed, with its key',
    );
  };
}

/** Writes carry JSON and say so: a form or plain text, which another site could send, is refused. */
export const requireJson: RequestHandler = (request, response, next) => {
  const empty = request.headers['content-length'] === undefined || request.headers['content-length'] === '0';
  const chunked = request.headers['transfer-encoding'] !== undefined;
  if (WRITES.has(request.method) && (!empty || chunked) && !request.is('application/json')) {
    refuse(response, 415, 'Content-Type', 'this is not JSON', 'application/json');
    return;
  }
  next();
};

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
