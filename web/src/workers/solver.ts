import { wrap, type Remote } from 'comlink';
import type { Answers } from './answers.ts';

let live: Remote<Answers> | undefined;
let slow: Remote<Answers> | undefined;

function start(): Remote<Answers> {
  return wrap<Answers>(new Worker(new URL('./solver.worker.ts', import.meta.url), { type: 'module' }));
}

/** The worker that answers while a value moves: nothing long runs in it. */
export function liveSolver(): Remote<Answers> {
  live ??= start();
  return live;
}

/** The worker for what may take longer: tapes, project summaries, explanations. */
export function backgroundSolver(): Remote<Answers> {
  slow ??= start();
  return slow;
}

/** Runs one job at a time; of those asked for meanwhile only the newest is run, the others are dropped. */
export function latestOnly<A, R>(job: (argument: A) => Promise<R>, done: (result: R, argument: A) => void) {
  let busy = false;
  let next: { argument: A } | undefined;
  const run = async (argument: A): Promise<void> => {
    busy = true;
    try {
      const result = await job(argument);
      done(result, argument);
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
