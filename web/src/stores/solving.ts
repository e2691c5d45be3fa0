import { create } from 'zustand';
import {
  cornersOf,
  type Balance,
  type Choice,
  type CompleteDecisions,
  type Corner,
  type DecidedBy,
  type Design,
  type Figures,
  type FiguresById,
  type OperatingPoint,
  type Result,
  type TapeStretch,
  type Waveforms,
} from '@yundro/core';
import { latestOnly, TakesTooLong } from '../workers/solver.ts';
import { createCalm } from './calm.ts';
import type { DocumentModule } from './document.ts';
import { mark } from '../app/mark.ts';
import type { InForce } from '../workers/standing.ts';

export interface Solved {
  corner: Corner;
  /** the design as it would be built, on the parts that fill what is free */
  inForce: InForce | undefined;
  /** what is in force and decided, and the corner looked at: answered first, while a value moves */
  decisions: CompleteDecisions | undefined;
  decided: readonly DecidedBy[];
  point: OperatingPoint | undefined;
  /** what the drawing of the stage carries at that corner, by quantity */
  drawn: FiguresById;
  waveforms: Waveforms | undefined;
  balance: { voltSeconds: Balance; charge: Balance } | undefined;
  /** every corner, with verdicts and remarks: a moment later */
  result: Result | undefined;
  /** the table of all corners */
  figures: Figures[];
  /** the waveforms before the value that is being scrubbed began to move */
  ghost: Waveforms | undefined;
  tapes: Record<string, { low: number; high: number; stretches: TapeStretch[] }>;
  /** what keeps the figures from following, in words; they are then those of an earlier state */
  trouble: string | undefined;
}

/** What solving needs: answers that may fail, or take too long. */
export interface Solver {
  /** @param standing the parts that stay while a value moves; chosen anew where absent */
  view(
    document: Design,
    corner: Corner,
    standing: Choice | undefined,
  ): Promise<Pick<Solved, 'decisions' | 'decided' | 'point' | 'drawn' | 'waveforms' | 'balance'> & { choice: Choice }>;
  solve(inForce: InForce): Promise<Pick<Solved, 'figures'> & { result: Result }>;
  tape(inForce: InForce, path: string): Promise<{ low: number; high: number; stretches: TapeStretch[] }>;
}

/** Times its own length that the solution of all corners lets pass before the next, while a value moves. */
const REST = 20;

/** The corner asked for, moved to one that the brief still has. */
export function nearestCorner(document: Design, corner: Corner): Corner {
  const same = cornersOf(document).find(
    (c) => c.inputVoltage === corner.inputVoltage && c.outputCurrent === corner.outputCurrent,
  );
  if (same) return corner;
  const { inputVoltage, outputCurrent } = document.brief;
  return { inputVoltage: inputVoltage.nominal, outputCurrent: outputCurrent.max };
}

/** Solves the open document in the background, the newest state only; says so when it cannot. */
export function createSolving(documents: DocumentModule, solver: Solver) {
  const nothing: Solved = {
    corner: { inputVoltage: 0, outputCurrent: 0 },
    inForce: undefined,
    decisions: undefined,
    decided: [],
    point: undefined,
    drawn: {},
    waveforms: undefined,
    balance: undefined,
    result: undefined,
    figures: [],
    ghost: undefined,
    tapes: {},
    trouble: undefined,
  };
  const store = create<Solved>()(() => nothing);
  let paths: readonly string[] = [];
  /** a value is let go of: what is asked next is chosen anew, also where it stands where it stood */
  let settling = false;
  let wasScrubbing = false;
  let drawn: { inForce: InForce; paths: readonly string[] } | undefined;

  const words = (error: unknown): string =>
    error instanceof TakesTooLong
      ? `This design takes more work than ${error.seconds} s to solve and was stopped. The figures are those before the last change.`
      : 'The solver failed at this design; the figures are those before the last change. Undo it, or export the design and report it.';

  type Asked = { document: Design; corner: Corner; id: string };
  type Following = { inForce: InForce; id: string };
  // an answer for a design that is no longer open is dropped
  const still = ({ id }: { id: string }): boolean => documents.store.getState().id === id;
  const failed = (error: unknown, asked: { id: string }): void => {
    if (still(asked)) store.setState({ trouble: words(error) });
  };
  const rest = { ended: 0, took: 0, timer: undefined as ReturnType<typeof setTimeout> | undefined };
  const solveLatest = latestOnly(
    async ({ inForce }: Following) => {
      const started = performance.now();
      const solved = await solver.solve(inForce);
      rest.ended = performance.now();
      rest.took = rest.ended - started;
      return solved;
    },
    ({ result, figures }, asked) => {
      if (still(asked)) store.setState({ result, figures, trouble: undefined });
    },
    failed,
  );
  /** Every corner after the one looked at; while a value moves only so often that the worker is nearly always free for that. */
  function solveRest(asked: Following): void {
    clearTimeout(rest.timer);
    const wait = documents.scrubbing ? rest.ended + REST * rest.took - performance.now() : 0;
    if (wait <= 0) solveLatest(asked);
    else rest.timer = setTimeout(() => solveLatest(asked), wait);
  }
  const viewLatest = latestOnly(
    ({ document, corner }: Asked) => {
      const { inForce } = store.getState();
      // another corner of the same design stands on the same parts
      const stays = !settling && (documents.scrubbing !== undefined || inForce?.given === document);
      settling = false;
      return solver.view(document, corner, stays ? inForce?.choice : undefined);
    },
    ({ choice, ...viewed }, asked) => {
      if (!still(asked)) return;
      mark('yundro-answered');
      const inForce = { given: asked.document, choice };
      store.setState({ ...viewed, inForce });
      solveRest({ inForce, id: asked.id });
    },
    failed,
  );
  const tapesLatest = latestOnly(
    async ({ inForce, wanted }: { inForce: InForce; wanted: readonly string[] }) => {
      for (const path of wanted) {
        const tape = await solver.tape(inForce, path);
        if (documents.store.getState().document !== inForce.given) return;
        store.setState(({ tapes }) => ({ tapes: { ...tapes, [path]: tape } }));
      }
    },
    () => undefined,
    (error, { inForce }) => {
      if (documents.store.getState().document === inForce.given) store.setState({ tapes: {}, trouble: words(error) });
    },
  );

  function refresh(): void {
    const { document, id } = documents.store.getState();
    if (document && id !== undefined) viewLatest({ document, corner: store.getState().corner, id });
  }
  function drawTapes(): void {
    const { inForce } = store.getState();
    if (!inForce || inForce.given !== documents.store.getState().document) return;
    if (paths.length === 0 || (drawn?.inForce === inForce && drawn.paths === paths)) return;
    drawn = { inForce, paths };
    tapesLatest({ inForce, wanted: paths });
  }

  documents.listen((cause, before) => {
    const { document } = documents.store.getState();
    if (cause === 'opened') store.setState(nothing);
    if (!document) return;
    const { scrubbing } = documents;
    if (scrubbing && !store.getState().ghost) store.setState(({ waveforms }) => ({ ghost: waveforms }));
    if (!scrubbing && store.getState().ghost) store.setState({ ghost: undefined });
    const corner = nearestCorner(document, store.getState().corner);
    if (corner !== store.getState().corner) store.setState({ corner });
    // let go of, the parts are chosen anew for where it came to rest
    settling ||= wasScrubbing && !scrubbing;
    wasScrubbing = scrubbing !== undefined;
    if (document !== before || cause === 'opened' || settling) refresh();
  });
  const standings = {
    inForce: () => store.getState().inForce,
    subscribe: (listener: () => void) => store.subscribe(listener),
  };
  const followCalmly = createCalm(documents, standings);
  followCalmly({ moved: () => undefined, rested: drawTapes });

  return {
    store,
    /** Follows the open design when it has come to rest on its parts. */
    followCalmly,
    /** Looks at another corner. */
    pickCorner(corner: Corner): void {
      store.setState({ corner });
      refresh();
    },
    /** Says which tapes are on screen: only those are solved along. */
    watchTapes(wanted: readonly string[]): void {
      paths = wanted;
      drawTapes();
    },
  };
}
