import pg from 'pg';
import type { Response } from 'express';
import { SAVED_CHANNEL } from './db/queries.ts';

/** Most windows that one server tells of saves. */
const MOST_LISTENERS = 500;
const HEARTBEAT = 20_000;
const RETRY = 2000;

/** Tells open pages of saves, whichever server took them: every server hears of them from the database. */
export interface SaveEvents {
  /** keeps a response open and tells it of every save of a design; false when there are too many */
  subscribe(designId: string, response: Response): boolean;
  close(): Promise<void>;
}

export function listenForSaves(url: string, onError: (error: Error) => void): SaveEvents {
  const listeners = new Map<string, Set<Response>>();
  let client: pg.Client | undefined;
  let closed = false;
  let again: NodeJS.Timeout | undefined;

  const tell = (designId: string, event: object): void => {
    for (const response of listeners.get(designId) ?? []) response.write(`data: ${JSON.stringify(event)}\n\n`);
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
      tell(id, { version: Number(version) });
    });
    try {
      await next.connect();
      await next.query(`listen ${SAVED_CHANNEL}`);
      client = next;
      // a save may have passed while nobody listened: whoever waits asks once
      for (const id of listeners.keys()) tell(id, { version: 0 });
    } catch (error) {
      await next.end().catch(() => undefined);
      lost(error as Error);
    }
  };
  void connect();

  const beat = setInterval(() => {
    for (const all of listeners.values()) for (const response of all) response.write(':\n\n');
  }, HEARTBEAT);
  beat.unref();

  return {
    subscribe(designId, response) {
      const count = [...listeners.values()].reduce((sum, all) => sum + all.size, 0);
      if (count >= MOST_LISTENERS) return false;
      const all = listeners.get(designId) ?? new Set<Response>();
      listeners.set(designId, all.add(response));
      response.writeHead(200, {
        'Content-Type': 'text/event-stream',
        'Cache-Control': 'no-store',
        Connection: 'keep-alive',
      });
      response.write(`retry: ${RETRY}\n\n`);
      response.on('close', () => {
        all.delete(response);
        if (all.size === 0) listeners.delete(designId);
      });
      return true;
    },
    async close() {
      closed = true;
      clearInterval(beat);
      clearTimeout(again);
      for (const all of listeners.values()) for (const response of all) response.end();
      await client?.end().catch(() => undefined);
    },
  };
}
