import { temporal } from 'zundo';
import { create } from 'zustand';
import { cornersOf, type Corner, type Design, type Result, type TapeStretch, type Waveforms } from '@yundro/core';
import { api, ApiError, type StoredDesign } from '../api/client.ts';
import { backgroundSolver, latestOnly, liveSolver } from '../workers/solver.ts';
import { clearDraft, readDraft, writeDraft } from './drafts.ts';

export type SaveState =
  | { kind: 'saved'; at: number }
  | { kind: 'unsaved' }
  | { kind: 'saving' }
  | { kind: 'away'; message: string }
  | { kind: 'refused'; message: string }
  | { kind: 'conflict'; theirs: StoredDesign };

interface DesignState {
  id: string | undefined;
  projectId: string | undefined;
  document: Design | undefined;
  version: number;
  save: SaveState;
  corner: Corner;
  result: Result | undefined;
  waveforms: Waveforms | undefined;
  /** the waveforms before the value that is being scrubbed began to move */
  ghost: Waveforms | undefined;
  tapes: Record<string, { low: number; high: number; stretches: TapeStretch[] }>;
}

/** The open design. Its document is the only thing undo remembers; all else follows from it. */
export const useDesign = create<DesignState>()(
  temporal(
    (): DesignState => ({
      id: undefined,
      projectId: undefined,
      document: undefined,
      version: 0,
      save: { kind: 'saved', at: 0 },
      corner: { inputVoltage: 0, outputCurrent: 0 },
      result: undefined,
      waveforms: undefined,
      ghost: undefined,
      tapes: {},
    }),
    {
      partialize: ({ document }) => ({ document }),
      equality: (a, b) => a.document === b.document,
    },
  ),
);

const history = useDesign.temporal;
const SAVE_DELAY = 500;
const RETRY_DELAY = 2500;
const TAPE_DELAY = 120;

const solveLatest = latestOnly(
  ({ document, corner }: { document: Design; corner: Corner; id: string }) => liveSolver().solve(document, corner),
  ({ result, waveforms }, { id }) => {
    // an answer for a design that is no longer open is dropped
    if (useDesign.getState().id === id) useDesign.setState({ result, waveforms });
  },
);

const tapesLatest = latestOnly(
  async ({ document, paths }: { document: Design; paths: readonly string[]; id: string }) => {
    for (const path of paths) {
      const tape = await backgroundSolver().tape(document, path);
      if (useDesign.getState().document !== document) return;
      useDesign.setState(({ tapes }) => ({ tapes: { ...tapes, [path]: tape } }));
    }
  },
  () => undefined,
);

let saveTimer: ReturnType<typeof setTimeout> | undefined;
let tapeTimer: ReturnType<typeof setTimeout> | undefined;
let saving = false;
/** true while the store is set up or put back: nothing is solved or saved for those states */
let quiet = false;
let scrubbing: { before: Design } | undefined;
let tapePaths: readonly string[] = [];

/** Says which tapes are on screen: only those are solved along. */
export function watchTapes(paths: readonly string[]): void {
  tapePaths = paths;
  refreshTapes(0);
}

function refreshTapes(delay: number): void {
  clearTimeout(tapeTimer);
  tapeTimer = setTimeout(() => {
    const { document, id } = useDesign.getState();
    if (document && id !== undefined && tapePaths.length > 0) tapesLatest({ document, paths: tapePaths, id });
  }, delay);
}

function refresh(): void {
  const { document, corner, id } = useDesign.getState();
  if (document && id !== undefined) solveLatest({ document, corner, id });
}

useDesign.subscribe((state, before) => {
  if (quiet || (state.document === before.document && state.corner === before.corner)) return;
  if (state.document !== before.document && state.document) {
    const corner = nearestCorner(state.document, state.corner);
    if (corner !== state.corner) useDesign.setState({ corner });
    refreshTapes(TAPE_DELAY);
    if (state.version === before.version) scheduleSave();
  }
  refresh();
});

/** The corner asked for, moved to one that the brief still has. */
function nearestCorner(document: Design, corner: Corner): Corner {
  const corners = cornersOf(document);
  const same = corners.find((c) => c.inputVoltage === corner.inputVoltage && c.outputCurrent === corner.outputCurrent);
  if (same) return corner;
  const { inputVoltage, outputCurrent } = document.brief;
  return { inputVoltage: inputVoltage.nominal, outputCurrent: outputCurrent.max };
}

/** Opens a design: the server's, or the draft this browser still holds because a save had not gone through. */
export async function openDesign(id: string): Promise<void> {
  clearTimeout(saveTimer);
  const stored = await api.design(id);
  const draft = readDraft(id);
  const { inputVoltage, outputCurrent } = stored.document.brief;
  history.getState().pause();
  quiet = true;
  useDesign.setState({
    id,
    projectId: stored.projectId,
    document: stored.document,
    version: stored.version,
    save: { kind: 'saved', at: Date.parse(stored.updatedAt) },
    corner: { inputVoltage: inputVoltage.nominal, outputCurrent: outputCurrent.max },
    result: undefined,
    waveforms: undefined,
    ghost: undefined,
    tapes: {},
  });
  quiet = false;
  history.getState().clear();
  history.getState().resume();
  refresh();
  refreshTapes(0);
  if (!draft || JSON.stringify(draft.document) === JSON.stringify(stored.document)) {
    clearDraft(id);
  } else if (draft.version === stored.version) {
    edit(() => draft.document);
  } else {
    useDesign.setState({ document: draft.document, save: { kind: 'conflict', theirs: stored } });
  }
}

/** Changes the open design's document: one entry of the history. */
export function edit(change: (document: Design) => Design): void {
  const { document } = useDesign.getState();
  if (document) useDesign.setState({ document: change(document) });
}

/** While a value is dragged, history records only where it began and where it ended. */
export function beginScrub(): void {
  const { document, waveforms } = useDesign.getState();
  if (!document || scrubbing) return;
  scrubbing = { before: document };
  history.getState().pause();
  useDesign.setState({ ghost: waveforms });
}

export function endScrub(): void {
  if (!scrubbing) return;
  const { before } = scrubbing;
  scrubbing = undefined;
  const { document } = useDesign.getState();
  if (document && document !== before) {
    // back for an instant and unseen, so that history records one step from there to here
    quiet = true;
    useDesign.setState({ document: before });
    quiet = false;
    history.getState().resume();
    useDesign.setState({ document });
  } else history.getState().resume();
  useDesign.setState({ ghost: undefined });
  refreshTapes(0);
}

export function undo(): void {
  history.getState().undo();
}
export function redo(): void {
  history.getState().redo();
}

function scheduleSave(delay = SAVE_DELAY): void {
  const { id, document, version, save } = useDesign.getState();
  // a drag is saved where it ends
  if (id === undefined || !document || scrubbing) return;
  writeDraft(id, { document, version });
  if (save.kind === 'conflict') return;
  if (save.kind !== 'away') useDesign.setState({ save: { kind: 'unsaved' } });
  clearTimeout(saveTimer);
  saveTimer = setTimeout(() => void saveNow(), delay);
}

/** Sends the open design. Away servers are tried again; a newer version elsewhere becomes a question, never a loss. */
export async function saveNow(): Promise<void> {
  if (saving || scrubbing) {
    clearTimeout(saveTimer);
    saveTimer = setTimeout(() => void saveNow(), SAVE_DELAY);
    return;
  }
  const { id, document, version } = useDesign.getState();
  if (id === undefined || !document) return;
  saving = true;
  useDesign.setState(({ save }) => ({ save: save.kind === 'away' ? save : { kind: 'saving' } }));
  try {
    const stored = await api.save(id, version, document);
    if (useDesign.getState().id !== id) return;
    const unchanged = useDesign.getState().document === document;
    useDesign.setState({
      version: stored.version,
      save: unchanged ? { kind: 'saved', at: Date.now() } : { kind: 'unsaved' },
    });
    if (unchanged) clearDraft(id);
    else scheduleSave(0);
  } catch (error) {
    if (useDesign.getState().id !== id) return;
    if (!(error instanceof ApiError)) throw error;
    if (error.current) useDesign.setState({ save: { kind: 'conflict', theirs: error.current } });
    else if (error.away) {
      useDesign.setState({ save: { kind: 'away', message: error.message } });
      clearTimeout(saveTimer);
      saveTimer = setTimeout(() => void saveNow(), RETRY_DELAY);
    } else useDesign.setState({ save: { kind: 'refused', message: error.message } });
  } finally {
    saving = false;
  }
}

/** Answers a conflict: keep mine (saved over theirs, which stays among the revisions) or take theirs. */
export function resolveConflict(choice: 'mine' | 'theirs'): void {
  const { save, id } = useDesign.getState();
  if (save.kind !== 'conflict' || id === undefined) return;
  const { theirs } = save;
  if (choice === 'mine') {
    useDesign.setState({ version: theirs.version, save: { kind: 'unsaved' } });
    void saveNow();
  } else {
    clearDraft(id);
    useDesign.setState({
      document: theirs.document,
      version: theirs.version,
      save: { kind: 'saved', at: Date.parse(theirs.updatedAt) },
    });
  }
}
