import { proxy, wrap, type Remote as Wrapped } from 'comlink';
import type { Choice, Design } from '@yundro/core';
import type { LongAnswers, LongAsk } from './answers.ts';
import type { Progress } from './long.ts';
import type { Remote } from './solver.worker.ts';

type Answers = Wrapped<Remote>;

/** An answer that did not come within its time; the worker was ended and begins anew. */
export class TakesTooLong extends Error {
  readonly seconds: number;
  constructor(seconds: number) {
    super(`no answer within ${seconds} s`);
    this.seconds = seconds;
  }
}

/**
 * A worker that is asked one question after another, and that is ended and started anew when an answer takes too long.
 * What somebody pressed for goes before what follows by itself.
 */
export function createAsker(start: () => { answers: Answers; end: () => void }, seconds: number) {
  let running: ReturnType<typeof start> | undefined;
  let busy = false;
  const waiting: { pressed: boolean; begin: () => Promise<void> }[] = [];
  const next = (): void => {
    const first = waiting.findIndex(({ pressed }) => pressed);
    const [turn] = waiting.splice(Math.max(first, 0), 1);
    busy = turn !== undefined;
    void turn?.begin().finally(next);
  };
  const answered = async <T>(question: (answers: Answers) => Promise<T>): Promise<T> => {
    running ??= start();
    const asked = running;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const late = new Promise<never>((_, reject) => {
      timer = setTimeout(() => {
        asked.end();
        running = undefined;
        reject(new TakesTooLong(seconds));
      }, seconds * 1000);
    });
    try {
      return await Promise.race([question(asked.answers), late]);
    } finally {
      clearTimeout(timer);
    }
  };
  const ask = <T>(question: (answers: Answers) => Promise<T>, pressed = false): Promise<T> =>
    new Promise((resolve, reject) => {
      waiting.push({ pressed, begin: () => answered(question).then(resolve, reject) });
      if (!busy) next();
    });
  return {
    ask: <T>(question: (answers: Answers) => Promise<T>): Promise<T> => ask(question),
    /** The same, before all that waits. */
    press: <T>(question: (answers: Answers) => Promise<T>): Promise<T> => ask(question, true),
  };
}

function startWorker() {
  const worker = new Worker(new URL('./solver.worker.ts', import.meta.url), { type: 'module' });
  return { answers: wrap<Remote>(worker), end: () => worker.terminate() };
}

/** What a long answer gives in the end. */
export type LongAnswer<K extends keyof LongAnswers> =
  ReturnType<LongAnswers[K]> extends Generator<unknown, infer R> ? R : never;

interface LongAnswering {
  long: (
    name: keyof LongAnswers,
    given: Design,
    choice: Choice | undefined,
    tell: (progress: Progress<unknown>) => void,
    ask: unknown,
  ) => Promise<unknown>;
  halt: () => unknown;
}

/** ms that a halted answer has to end before its worker is. */
export const HALT = 1000;

/**
 * Asks long answers, each in a worker of its own, which stopping halts: what it has told until then stays with the asker.
 * One that has answered, or halted in time, is kept for the next.
 */
export function createLongAsker(start: () => { answers: LongAnswering; end: () => void }) {
  let idle: ReturnType<typeof start> | undefined;
  return function askLong<K extends keyof LongAnswers>(
    name: K,
    { given, choice }: { given: Design; choice?: Choice | undefined },
    tell: (progress: Progress<LongAnswer<K>>) => void,
    ask?: LongAsk<K>,
  ): { answer: Promise<LongAnswer<K>>; stop: () => void } {
    const asked = idle ?? start();
    idle = undefined;
    let running = true;
    let stopping: ReturnType<typeof setTimeout> | undefined;
    const told = (progress: Progress<unknown>): void => tell(progress as Progress<LongAnswer<K>>);
    const finish = (keep: boolean): void => {
      if (!running) return;
      running = false;
      clearTimeout(stopping);
      if (keep && !idle) idle = asked;
      else asked.end();
    };
    const answer = (asked.answers.long(name, given, choice, proxy(told), ask) as Promise<LongAnswer<K>>).then(
      (found) => {
        finish(true);
        return found;
      },
      (error: unknown) => {
        finish(stopping !== undefined);
        throw error;
      },
    );
    const stop = (): void => {
      if (!running || stopping !== undefined) return;
      stopping = setTimeout(() => finish(false), HALT);
      asked.answers.halt();
    };
    return { answer, stop };
  };
}

export const askLong = createLongAsker(startWorker);

/** Whole judgements one after another, so that a page of many rails keeps one worker busy and not one each. */
let turn: Promise<unknown> = Promise.resolve();
export function judgeInTurn(given: Design): Promise<LongAnswer<'judge'>> {
  const judged = turn.then(() => askLong('judge', { given }, () => undefined).answer);
  turn = judged.catch(() => undefined);
  return judged;
}

/** The worker that answers while a value moves: nothing else runs in it. */
export const liveSolver = createAsker(startWorker, 15);

/** The worker that follows with every corner, beside it. */
export const followingSolver = createAsker(startWorker, 15);

/** The worker for what may take longer: tapes, project summaries, explanations. */
export const backgroundSolver = createAsker(startWorker, 60);

/** Runs one job at a time; of those asked for meanwhile only the newest is run, the others are dropped. */
export function latestOnly<A, R>(
  job: (argument: A) => Promise<R>,
  done: (result: R, argument: A) => void,
  failed: (error: unknown, argument: A) => void,
) {
  let busy = false;
  let next: { argument: A } | undefined;
  const run = async (argument: A): Promise<void> => {
    busy = true;
    try {
      done(await job(argument), argument);
    } catch (error) {
      failed(error, argument);
    } finally {
      busy = false;
      const queued = next;
      next = undefined;
      if (queued) void run(queued.argument);
    }
  };
  return (argument: A): void => {
    if (busy) next = { argument };
    else void run(argument);
  };
}
