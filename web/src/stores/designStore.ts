import type { Corner, Design } from '@yundro/core';
import { api, readable } from '../api/client.ts';
import { backgroundSolver, followingSolver, liveSolver } from '../workers/solver.ts';
import { createDocument } from './document.ts';
import { clearDraft, readDraft, writeDraft } from './drafts.ts';
import { hearSaves } from './saves.ts';
import { createSaving } from './saving.ts';
import { createSolving } from './solving.ts';

/*
 * The open design on this page: its document and history, what is kept of it, and what is solved from it, each a module
 * of its own, put together with the real server and workers.
 */

const documents = createDocument();
// solving hears of a change before saving does: the worker is at it while the draft is written
const solving = createSolving(documents, {
  view: (document, corner, standing) => liveSolver.ask((solver) => solver.view(document, corner, standing)),
  solve: (inForce) => followingSolver.ask((solver) => solver.solve(inForce)),
  tape: (inForce, path) => backgroundSolver.press((solver) => solver.tape(inForce, path)),
});
const saving = createSaving(documents, {
  load: async (id) => readable(await api.design(id)),
  save: async (id, version, document, key) => readable(await api.save(id, version, document, key)),
  drafts: { read: readDraft, write: writeDraft, clear: clearDraft },
  newKey: () => crypto.randomUUID(),
  now: Date.now,
});

export const useDocument = documents.store;
export const useSaving = saving.store;
export const useSolved = solving.store;
export const { followCalmly } = solving;
/** The open design as it would be built: as it is given, until its parts are known. */
export const useBuilt = (): Design | undefined => {
  const document = useDocument((state) => state.document);
  const inForce = useSolved((state) => state.inForce);
  return inForce?.given === document ? inForce?.choice.design : document;
};
export const edit = (change: (document: Design) => Design): void => documents.edit(change);
export const beginScrub = (): void => documents.beginScrub();
export const endScrub = (): void => documents.endScrub();
export const undo = (): void => documents.undo();
export const redo = (): void => documents.redo();
export const openDesign = (id: string): Promise<void> => saving.open(id);
export const saveNow = (): Promise<void> => saving.saveNow();
export const resolveConflict = (choice: 'mine' | 'theirs'): void => saving.resolve(choice);
export const pickCorner = (corner: Corner): void => solving.pickCorner(corner);
export const watchTapes = (paths: readonly string[]): void => solving.watchTapes(paths);

/** Whether leaving would lose something. */
export const atRisk = (): boolean => saving.atRisk();

/** Leaving with something that nothing keeps: the browser asks. */
export function warnBeforeLeaving(): () => void {
  const ask = (event: BeforeUnloadEvent): void => {
    if (saving.atRisk()) event.preventDefault();
  };
  window.addEventListener('beforeunload', ask);
  return () => window.removeEventListener('beforeunload', ask);
}

/** Hears of saves that other windows make, and looks again when this one gets the focus. */
export function followOthers(designId: string): () => void {
  const deafen = hearSaves(({ id, version }) => {
    if (id === undefined || id === designId) void saving.look(id === undefined ? undefined : version);
  });
  const onFocus = (): void => void saving.look();
  window.addEventListener('focus', onFocus);
  return () => {
    deafen();
    window.removeEventListener('focus', onFocus);
  };
}
