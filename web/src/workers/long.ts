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
