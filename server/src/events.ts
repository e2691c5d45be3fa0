import pg from 'pg';
import type { Response } from 'express';
import { SAVED_CHANNEL } from './db/queries.ts';

/** Most browsers that one server tells of saves: each has one stream, whatever its windows. */
const MOST_LISTENERS = 500;
const HEARTBEAT = 20_000;
const RETRY = 2000;

/** Tells open pages of saves, whichever server took them: every server hears of them from the database. */
export interface SaveEvents {
  /** keeps a response open and tells it of every save of any design; false when there are too many */
  subscribe(response: Response): boolean;
  close(): Promise<void>;
}

export function listenForSaves(url: string, onError: (error: Error) => void): SaveEvents {
  const listeners = new Set<Response>();
  let client: pg.Client | undefined;
  let closed = false;
  let again: NodeJS.Timeout | undefined;

  const tell = (event: { id?: string; version: number }): void => {
    for (const response of listeners) response.write(`data: ${JSON.stringify(event)}\n\n`);
  };
  const connect = async (): Promise<void> => {
    const next = new pg.Client({ connectionString: url, connectionTimeoutMillis: 4000 });
    const lost = (error?: Error): void => {
      if (error) onError(error);
      if (client === next) client = undefined;
      next.removeAllListeners('end');
      if (closed) return;
      clearTimeout(again);
      again = setTimeout(() => void connect(), RETRY);
      again.unref();
    };
    next.on('error', lost);
    next.on('end', () => lost());
    next.on('notification', ({ payload = '' }) => {
      const [id = '', version] = payload.split(' ');
      tell({ id, version: Number(version) });
    });
    try {
      await next.connect();
      await next.query(`listen ${SAVED_CHANNEL}`);
      client = next;
      // a save may have passed while nobody listened: whoever waits asks once
      tell({ version: 0 });
    } catch (error) {
      await next.end().catch(() => undefined);
      lost(error as Error);
    }
  };
  void connect();

  const beat = setInterval(() => {
    for (const response of listeners) response.write(':\n\n');
  }, HEARTBEAT);
  beat.unref();

  return {
    subscribe(response) {
      if (listeners.size >= MOST_LISTENERS) return false;
      listeners.add(response);
      response.writeHead(200, {
        'Content-Type': 'text/event-stream',
        'Cache-Control': 'no-store',
        Connection: 'keep-alive',
      });
      response.write(`retry: ${RETRY}\n\n`);
      response.on('close', () => listeners.delete(response));
      return true;
    },
    async close() {
      closed = true;
      clearInterval(beat);
      clearTimeout(again);
      for (const response of listeners) response.end();
      await client?.end().catch(() => undefined);
    },
  };
}
