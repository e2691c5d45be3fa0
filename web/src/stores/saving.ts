import { create } from 'zustand';
import type { Design } from '@yundro/core';
import { ApiError, type ReadableDesign } from '../api/client.ts';
import type { DocumentModule } from './document.ts';
import type { Draft } from './drafts.ts';

export type SaveState =
  | { kind: 'saved'; at: number; elsewhere?: boolean }
  | { kind: 'unsaved' }
  | { kind: 'saving' }
  | { kind: 'away'; message: string; /** whether this browser keeps it meanwhile */ drafted: boolean }
  | { kind: 'refused'; message: string }
  | { kind: 'conflict'; theirs: ReadableDesign };

/** What saving needs of the world. */
export interface SavingWorld {
  load(id: string): Promise<ReadableDesign>;
  save(id: string, version: number, document: Design, key: string): Promise<ReadableDesign>;
  drafts: { read(id: string): Draft | undefined; write(id: string, draft: Draft): boolean; clear(id: string): void };
  newKey(): string;
  now(): number;
}

export const SAVE_DELAY = 500;
export const RETRY_DELAY = 2500;

const alike = (a: Design, b: Design): boolean => JSON.stringify(a) === JSON.stringify(b);

/**
 * Opens designs and keeps them: every change is kept in the browser at once and on the server a moment later. A save is
 * tried until the server has it, under one key, so that one sent twice is one. What another window saved is taken where
 * this one holds nothing of its own; else the person is asked, and neither is lost.
 */
export function createSaving(documents: DocumentModule, world: SavingWorld) {
  const store = create<{ save: SaveState }>()(() => ({ save: { kind: 'saved', at: 0 } }));
  let keptAt = 0;
  /** whether the browser keeps what the server has not yet */
  let drafted = true;
  const draft = (id: string, kept: Draft): void => {
    drafted = world.drafts.write(id, kept);
    const { save } = store.getState();
    if (save.kind === 'away' && save.drafted !== drafted) store.setState({ save: { ...save, drafted } });
  };
  const say = (save: SaveState): void => {
    if (save.kind === 'saved') keptAt = save.at;
    store.setState({ save });
  };
  let timer: ReturnType<typeof setTimeout> | undefined;
  let opening = 0;
  let sending: Promise<void> | undefined;
  /** the state that the server is known to hold */
  let kept: Design | undefined;
  /** the save under way or to be tried again: one document from one version has one key */
  let attempt: { document: Design; version: number; key: string } | undefined;

  const isOpen = (id: string): boolean => documents.store.getState().id === id;
  const unsaved = (): boolean => {
    const { document } = documents.store.getState();
    return document !== undefined && document !== kept;
  };

  function schedule(delay: number): void {
    clearTimeout(timer);
    timer = setTimeout(() => void saveNow(), delay);
  }

  documents.listen((cause) => {
    if (cause === 'opened' || cause === 'theirs') return;
    const { id, document, version } = documents.store.getState();
    if (id === undefined || !document) return;
    if (!unsaved()) {
      // undone back to what the server holds: nothing is left to send
      if (!sending && store.getState().save.kind !== 'conflict') {
        clearTimeout(timer);
        attempt = undefined;
        world.drafts.clear(id);
        say({ kind: 'saved', at: keptAt });
      }
      return;
    }
    // kept here from the first moment, also while a value is dragged and while a question is open
    draft(id, { document, version });
    const { kind } = store.getState().save;
    if (kind === 'conflict') return;
    if (kind !== 'away') say({ kind: 'unsaved' });
    // a drag is sent where it ends
    if (cause === 'edit') schedule(SAVE_DELAY);
  });

  /** Another state stands on the server: it is taken, or asked about, or is the same. */
  function meet(theirs: ReadableDesign): void {
    const { id, document } = documents.store.getState();
    if (id === undefined || !document) return;
    if (alike(document, theirs.document)) {
      documents.startFrom(theirs.version);
      kept = document;
      attempt = undefined;
      world.drafts.clear(id);
      say({ kind: 'saved', at: Date.parse(theirs.updatedAt) });
    } else if (unsaved()) {
      clearTimeout(timer);
      say({ kind: 'conflict', theirs });
    } else {
      kept = theirs.document;
      documents.takeTheirs(theirs.document, theirs.version);
      say({ kind: 'saved', at: Date.parse(theirs.updatedAt), elsewhere: true });
    }
  }

  async function send(): Promise<void> {
    const { id, document, version } = documents.store.getState();
    if (id === undefined || !document || !unsaved()) return;
    if (kept && !attempt && alike(document, kept)) {
      // an entry that says what stands already makes no revision
      kept = document;
      world.drafts.clear(id);
      say({ kind: 'saved', at: keptAt });
      return;
    }
    if (attempt?.document !== document || attempt.version !== version)
      attempt = { document, version, key: world.newKey() };
    const { key } = attempt;
    if (store.getState().save.kind !== 'away') say({ kind: 'saving' });
    try {
      const stored = await world.save(id, version, document, key);
      if (!isOpen(id)) {
        // left meanwhile: what the browser kept for it is kept by the server now
        if (world.drafts.read(id)?.version === version) world.drafts.clear(id);
        return;
      }
      kept = document;
      attempt = undefined;
      documents.startFrom(stored.version);
      if (unsaved()) {
        draft(id, { document: documents.store.getState().document!, version: stored.version });
        say({ kind: 'unsaved' });
        if (!documents.scrubbing) schedule(0);
      } else {
        world.drafts.clear(id);
        say({ kind: 'saved', at: world.now() });
      }
    } catch (error) {
      if (!isOpen(id)) return; // its draft is kept, and is taken up when it is opened again
      if (error instanceof ApiError && error.current) meet(error.current);
      else if (error instanceof ApiError && !error.away) say({ kind: 'refused', message: error.message });
      else {
        say({ kind: 'away', message: error instanceof Error ? error.message : 'the server does not answer', drafted });
        schedule(RETRY_DELAY);
      }
    }
  }

  /** Sends what is not kept yet; one save at a time. */
  async function saveNow(): Promise<void> {
    clearTimeout(timer);
    if (store.getState().save.kind === 'conflict' || documents.scrubbing) return;
    if (sending) {
      await sending;
      if (unsaved() && store.getState().save.kind === 'unsaved') schedule(0);
      return;
    }
    sending = send();
    await sending;
    sending = undefined;
  }

  return {
    store,
    saveNow,
    /** Opens a design: the server's, with what this browser still holds of it because a save had not gone through. */
    async open(id: string): Promise<void> {
      opening += 1;
      const mine = opening;
      // what is open now is sent, not dropped; should that fail, its draft stays
      documents.endScrub();
      const leaving = documents.store.getState().id !== id && unsaved() ? saveNow() : undefined;
      const stored = await world.load(id);
      if (mine !== opening) return; // another one was asked for meanwhile
      clearTimeout(timer);
      await leaving;
      if (mine !== opening) return;
      const left = world.drafts.read(id);
      kept = stored.document;
      attempt = undefined;
      const open = { id, projectId: stored.projectId };
      say({ kind: 'saved', at: Date.parse(stored.updatedAt) });
      documents.open({ ...open, document: stored.document, version: stored.version });
      if (!left || alike(left.document, stored.document)) {
        world.drafts.clear(id);
      } else if (left.version === stored.version) {
        documents.edit(() => left.document);
      } else {
        // made from an older version than the one that stands: both are kept until the person has chosen
        documents.open({ ...open, document: left.document, version: left.version });
        say({ kind: 'conflict', theirs: stored });
      }
    },
    /** Another window may have saved: looks, and shows what stands there. */
    async look(version = Infinity): Promise<void> {
      const { id, version: ours } = documents.store.getState();
      const { kind } = store.getState().save;
      if (id === undefined || version <= ours || kind === 'conflict' || sending) return;
      try {
        const stored = await world.load(id);
        if (isOpen(id) && stored.version > documents.store.getState().version && !sending) meet(stored);
      } catch {
        // it is asked again at the next occasion
      }
    },
    /** Answers a conflict: keep mine (saved over theirs, which stays among the revisions) or take theirs. */
    resolve(choice: 'mine' | 'theirs'): void {
      const { save } = store.getState();
      const { id } = documents.store.getState();
      if (save.kind !== 'conflict' || id === undefined) return;
      const { theirs } = save;
      attempt = undefined;
      if (choice === 'mine') {
        documents.startFrom(theirs.version);
        kept = theirs.document;
        const { document } = documents.store.getState();
        if (document) draft(id, { document, version: theirs.version });
        say({ kind: 'unsaved' });
        void saveNow();
      } else {
        world.drafts.clear(id);
        kept = theirs.document;
        documents.takeTheirs(theirs.document, theirs.version);
        say({ kind: 'saved', at: Date.parse(theirs.updatedAt) });
      }
    },
    /** Whether leaving now would lose something: the server has it not, and either refuses it or this browser does not keep it. */
    atRisk: (): boolean => unsaved() && (!drafted || store.getState().save.kind === 'refused'),
  };
}

export type SavingModule = ReturnType<typeof createSaving>;
