/** A save that some window made; without an id any design may have been saved while nobody listened. */
export interface Saved {
  id?: string;
  version: number;
}

const NAME = 'yundro-saves';

/**
 * Hears of saves. A browser holds one stream to the server whatever its windows, for it has six connections to give: the
 * window that holds the lock has the stream and tells the others, and when it goes another takes over.
 * @returns what ends it
 */
export function hearSaves(heard: (saved: Saved) => void): () => void {
  const channel = new BroadcastChannel(NAME);
  channel.onmessage = ({ data }: MessageEvent<Saved>) => heard(data);
  const ending = new AbortController();
  const { signal } = ending;
  const lead = (): Promise<void> =>
    new Promise((over) => {
      const source = new EventSource('/api/events');
      const tell = (saved: Saved): void => {
        channel.postMessage(saved);
        heard(saved);
      };
      // what was saved before the stream stood was told to nobody
      source.onopen = () => tell({ version: 0 });
      source.onmessage = ({ data }: MessageEvent<string>) => tell(JSON.parse(data) as Saved);
      signal.addEventListener('abort', () => {
        source.close();
        over();
      });
    });
  navigator.locks.request(NAME, { signal }, lead).catch(() => undefined);
  return () => {
    ending.abort();
    channel.close();
  };
}
