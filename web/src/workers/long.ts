/** An answer that may take a while: each step says which part is done (0 to 1), with what there is so far. */
export type Long<R> = Generator<Progress<R>, R>;

export interface Progress<R> {
  part: number;
  soFar: R;
}

/** Runs one to its end, telling each step. */
export function drive<R>(answer: Long<R>, tell: (progress: Progress<R>) => void): R {
  for (;;) {
    const step = answer.next();
    if (step.done) return step.value;
    tell(step.value);
  }
}

/** ms after which one that runs listens whether it is still wanted. */
const BREATH = 30;

/**
 * The same, halted where it stands when it is no longer wanted. A worker that is ended instead computes on for up to two
 * seconds, which is how long a browser lets it, and the next one starts cold.
 * @throws Error where it was halted
 */
export async function driveWhile<R>(
  answer: Long<R>,
  tell: (progress: Progress<R>) => void,
  wanted: () => boolean,
): Promise<R> {
  let listened = performance.now();
  for (;;) {
    const step = answer.next();
    if (step.done) return step.value;
    tell(step.value);
    if (performance.now() - listened < BREATH) continue;
    await new Promise((resolve) => setTimeout(resolve, 0)); // what was sent to the worker meanwhile is read
    if (!wanted()) throw new Error('halted');
    listened = performance.now();
  }
}
