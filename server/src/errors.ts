import type { ErrorRequestHandler, Response } from 'express';
import { MAXIMUM_DEPTH, type Fault } from '@yundro/core';

/** The one error shape of the API: what is wrong where, and what was expected. */
export interface ErrorBody {
  errors: Fault[];
}

export function sendErrors(response: Response, status: number, errors: readonly Fault[], more: object = {}): void {
  response.status(status).json({ errors, ...more });
}

export function notFound(response: Response, path: string, message: string): void {
  sendErrors(response, 404, [{ path, message, expected: 'an id that exists' }]);
}

/** PostgreSQL and socket codes that mean the database is away for now. Source: PostgreSQL manual, appendix A. */
const AWAY = /^(?:ECONNREFUSED|ECONNRESET|EPIPE|ETIMEDOUT|57P0[1-3]|08\d{3}|53300)$/u;
/** What the driver says, word for word, where it gives no code: an error's text may hold a person's own. */
const AWAY_TEXTS: ReadonlySet<string> = new Set([
  'timeout exceeded when trying to connect',
  'Connection terminated due to connection timeout',
  'Connection terminated unexpectedly',
  'Connection terminated',
  'Client has encountered a connection error and is not queryable',
  'Query read timeout',
]);

interface Chained {
  name?: string;
  code?: string;
  message?: string;
  cause?: unknown;
  errors?: unknown[];
}

/** What PostgreSQL says of a lock that was waited for too long, and of a disk that is full, broken or read only. Source: the same. */
const LOCKED = /^55P03$/u;
const NO_ROOM = /^(?:53100|58030|25006|ENOSPC|EROFS)$/u;

function some(error: unknown, holds: (link: Chained) => boolean, depth = 0): boolean {
  if (typeof error !== 'object' || error === null || depth > 5) return false;
  const { cause, errors } = error as Chained;
  if (holds(error)) return true;
  return some(cause, holds, depth + 1) || (errors ?? []).some((inner) => some(inner, holds, depth + 1));
}
const codeOf = (error: unknown, codes: RegExp): boolean =>
  some(error, ({ code }) => code !== undefined && codes.test(code));
const isAway = (error: unknown): boolean =>
  codeOf(error, AWAY) || some(error, ({ message }) => message !== undefined && AWAY_TEXTS.has(message));

/** What the log keeps of an error: its kind and place, never a query's parameters, which hold whole documents. */
export function forLog(error: unknown): object {
  const kinds: string[] = [];
  let at: unknown = error;
  for (let depth = 0; depth < 5 && typeof at === 'object' && at !== null; depth += 1) {
    const { name = 'Error', code, message = '' } = at as Chained;
    const words = message.startsWith('Failed query') ? 'failed query' : message.slice(0, 160);
    kinds.push(`${name}${code === undefined ? '' : ` ${code}`}: ${words}`);
    at = (at as Chained).cause;
  }
  const stack = error instanceof Error ? error.stack?.split('\n').filter((line) => /^\s+at /u.test(line)) : undefined;
  return { kinds, stack: stack?.slice(0, 8) };
}

/** Turns whatever a route threw into the error shape. Nothing of the machine's inside reaches the answer. */
export const handleError: ErrorRequestHandler = (error: unknown, request, response, next) => {
  if (response.headersSent) {
    next(error);
    return;
  }
  const { type, status } = error as { type?: string; status?: number };
  const writes = request.method !== 'GET' && request.method !== 'HEAD';
  if (type === 'entity.too.large') {
    sendErrors(response, 413, [{ path: '', message: 'the request is over 5 MB', expected: 'at most 5 MB' }]);
  } else if (type === 'too.deep') {
    sendErrors(response, 400, [
      {
        path: '',
        message: `nesting goes deeper than ${MAXIMUM_DEPTH} levels`,
        expected: `at most ${MAXIMUM_DEPTH} levels`,
      },
    ]);
  } else if (type === 'entity.parse.failed') {
    sendErrors(response, 400, [{ path: '', message: 'the request is not JSON', expected: 'one JSON object' }]);
  } else if (status !== undefined && status >= 400 && status < 500) {
    sendErrors(response, status, [
      { path: '', message: 'the request cannot be read', expected: 'a well-formed request' },
    ]);
  } else if (codeOf(error, LOCKED)) {
    response.setHeader('Retry-After', '10');
    sendErrors(response, 503, [
      {
        path: '',
        message: 'another import of the same parts is under way; nothing of this one was kept',
        expected: 'the same again in a moment',
      },
    ]);
  } else if (codeOf(error, NO_ROOM)) {
    request.log?.error({ failure: forLog(error) }, 'the database cannot write');
    sendErrors(response, 507, [
      {
        path: '',
        message: 'the database has no room to write, or its disk can only be read; nothing of this was kept',
        expected: 'room on its disk, then the same again',
      },
    ]);
  } else if (isAway(error)) {
    response.setHeader('Retry-After', '2');
    sendErrors(response, 503, [
      {
        path: '',
        // a connection lost around the end of a transaction leaves open which way it went
        message: writes ? 'the database is away; whether this was kept is not known' : 'the database is away',
        expected: 'try the same again in a moment',
      },
    ]);
  } else {
    request.log?.error({ failure: forLog(error) }, 'request failed');
    sendErrors(response, 500, [{ path: '', message: 'something went wrong here', expected: 'try again' }]);
  }
};
