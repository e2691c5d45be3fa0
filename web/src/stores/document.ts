import { temporal } from 'zundo';
import { create } from 'zustand';
import type { Design } from '@yundro/core';

/** The design that is open: what undo remembers is its document alone. */
export interface OpenDocument {
  id: string | undefined;
  projectId: string | undefined;
  document: Design | undefined;
  /** the stored version that the document starts from */
  version: number;
}

const NOTHING: OpenDocument = { id: undefined, projectId: undefined, document: undefined, version: 0 };

/** Why the document is another one than a moment ago. */
export type Cause = 'edit' | 'scrub' | 'opened' | 'theirs';

/**
 * The open document with its history. A change is one entry of the history; a drag is one from where it began to where
 * it ended, also when it is cut short. Knows nothing of saving or solving: they listen.
 */
export function createDocument() {
  const store = create<OpenDocument>()(
    temporal((): OpenDocument => NOTHING, {
      partialize: ({ document }) => ({ document }),
      equality: (a, b) => a.document === b.document,
    }),
  );
  const history = store.temporal;
  const listeners = new Set<(cause: Cause, before: Design | undefined) => void>();
  let scrubbing: { before: Design } | undefined;
  let quiet = false;

  const tell = (cause: Cause, before: Design | undefined): void => {
    for (const listener of listeners) listener(cause, before);
  };
  /** Sets state of which neither history nor listeners hear. */
  const silently = (state: Partial<OpenDocument>): void => {
    quiet = true;
    history.getState().pause();
    store.setState(state);
    history.getState().resume();
    quiet = false;
  };
  store.subscribe((state, before) => {
    if (quiet || state.document === before.document) return;
    tell(scrubbing ? 'scrub' : 'edit', before.document);
  });

  function endScrub(): void {
    if (!scrubbing) return;
    const { before } = scrubbing;
    scrubbing = undefined;
    const { document } = store.getState();
    history.getState().resume();
    if (!document || document === before) {
      tell('edit', before);
      return;
    }
    // back for an instant and unseen, so that history records one step from there to here
    silently({ document: before });
    store.setState({ document });
  }

  return {
    store,
    history,
    /** Hears of every change of the document, and why. */
    listen(listener: (cause: Cause, before: Design | undefined) => void): () => void {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    get scrubbing(): Design | undefined {
      return scrubbing?.before;
    },
    /** Changes the document: one entry of the history. */
    edit(change: (document: Design) => Design): void {
      const { document } = store.getState();
      if (document) store.setState({ document: change(document) });
    },
    beginScrub(): void {
      const { document } = store.getState();
      if (!document || scrubbing) return;
      scrubbing = { before: document };
      history.getState().pause();
      tell('scrub', document);
    },
    endScrub,
    undo(): void {
      endScrub();
      history.getState().undo();
    },
    redo(): void {
      endScrub();
      history.getState().redo();
    },
    /** Opens another document; history begins anew. */
    open(state: OpenDocument): void {
      endScrub();
      const before = store.getState().document;
      silently(state);
      history.getState().clear();
      tell('opened', before);
    },
    /** Takes the state that another window saved; it can be undone. */
    takeTheirs(document: Design, version: number): void {
      endScrub();
      const before = store.getState().document;
      quiet = true;
      store.setState({ document, version });
      quiet = false;
      tell('theirs', before);
    },
    /** The stored version moved on under the document as it stands. */
    startFrom(version: number): void {
      silently({ version });
    },
  };
}

export type DocumentModule = ReturnType<typeof createDocument>;
