import type { ErrorRequestHandler, Response } from 'express';
import type { Fault } from '@yundro/core';

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

interface Chained {
  code?: string;
  message?: string;
  cause?: unknown;
  errors?: unknown[];
}

function isAway(error: unknown, depth = 0): boolean {
  if (typeof error !== 'object' || error === null || depth > 5) return false;
  const { code, message, cause, errors } = error as Chained;
  if (code !== undefined && AWAY.test(code)) return true;
  if (/timeout|terminated|the database system is/iu.test(message ?? '')) return true;
  return isAway(cause, depth + 1) || (errors ?? []).some((inner) => isAway(inner, depth + 1));
}

/** Turns whatever a route threw into the error shape. Nothing of the machine's inside reaches the answer. */
export const handleError: ErrorRequestHandler = (error: unknown, request, response, next) => {
  if (response.headersSent) {
    next(error);
    return;
  }
  const { type, status } = error as { type?: string; status?: number };
  if (type === 'entity.too.large') {
    sendErrors(response, 413, [{ path: '', message: 'the request is over 5 MB', expected: 'at most 5 MB' }]);
  } else if (type === 'entity.parse.failed') {
    sendErrors(response, 400, [{ path: '', message: 'the request is not JSON', expected: 'one JSON object' }]);
  } else if (status !== undefined && status >= 400 && status < 500) {
    sendErrors(response, status, [
      { path: '', message: 'the request cannot be read', expected: 'a well-formed request' },
    ]);
  } else if (isAway(error)) {
    response.setHeader('Retry-After', '2');
    sendErrors(response, 503, [
      { path: '', message: 'the database is away; nothing was changed', expected: 'try again in a moment' },
    ]);
  } else {
    request.log?.error({ err: error }, 'request failed');
    sendErrors(response, 500, [
      { path: '', message: 'something went wrong here; nothing was changed', expected: 'try again' },
    ]);
  }
};
