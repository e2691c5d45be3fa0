import type { Design } from '@yundro/core';
import type { DocumentModule } from './document.ts';

/** ms that a design rests before what takes longer follows it. */
export const CALM = 150;
/** The same while a value is in the hand, which often stops on its way. */
export const IN_HAND = 500;

/** What follows the open design when it has come to rest. */
export interface Follower {
  /** the design is another one than a moment ago */
  moved: () => void;
  rested: (document: Design) => void;
}

/**
 * Has something follow the open design a moment after each of its changes: while a value is scrubbed later than else, so
 * that the drawing has the machine for itself, but soon when it is let go of.
 * @returns what ends it
 */
export function createCalm(documents: Pick<DocumentModule, 'listen' | 'scrubbing' | 'store'>) {
  return ({ moved, rested }: Follower): (() => void) => {
    let timer: ReturnType<typeof setTimeout>;
    let seen: Design | undefined;
    let due = false;
    const look = (): void => {
      const { document } = documents.store.getState();
      if (document !== seen) {
        seen = document;
        due = true;
        moved();
      }
      if (!due) return;
      clearTimeout(timer);
      timer = setTimeout(
        () => {
          due = false;
          if (document) rested(document);
        },
        documents.scrubbing ? IN_HAND : CALM,
      );
    };
    const deafen = documents.listen(look);
    look();
    return () => {
      deafen();
      clearTimeout(timer);
    };
  };
}
