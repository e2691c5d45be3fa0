import type { Design } from '@yundro/core';
import type { InForce } from '../workers/standing.ts';
import type { DocumentModule } from './document.ts';

/** ms that a design rests before what takes longer follows it. */
export const CALM = 150;
/** The same while a value is in the hand, which often stops on its way. */
export const IN_HAND = 500;

/** What follows the open design when it has come to rest. */
export interface Follower {
  /** the design is another one than a moment ago */
  moved: () => void;
  rested: (inForce: InForce) => void;
}

const alike = (a: InForce, b: InForce): boolean =>
  a.choice === b.choice || JSON.stringify(a.choice.design) === JSON.stringify(b.choice.design);

/** Where it is told what the open design stands on, once it is known. */
export interface Standings {
  inForce: () => InForce | undefined;
  subscribe: (listener: () => void) => () => void;
}

/**
 * Has something follow the open design a moment after each of its changes: while a value is scrubbed later than else, so
 * that the drawing has the machine for itself, but soon when it is let go of; and not before the parts are known that it
 * stands on.
 * @returns what ends it
 */
export function createCalm(documents: Pick<DocumentModule, 'listen' | 'scrubbing' | 'store'>, standings: Standings) {
  return ({ moved, rested }: Follower): (() => void) => {
    let timer: ReturnType<typeof setTimeout>;
    let seen: Design | undefined;
    let due = false;
    let calm = false;
    let told: InForce | undefined;
    const tell = (inForce: InForce): void => {
      told = inForce;
      rested(inForce);
    };
    const follow = (): void => {
      const inForce = standings.inForce();
      if (!inForce || inForce.given !== documents.store.getState().document) return;
      if (calm) {
        calm = false;
        due = false;
        tell(inForce);
      } else if (!due && told?.given === inForce.given && !alike(told, inForce)) {
        // let go of, the same design has had its parts chosen anew
        moved();
        tell(inForce);
      }
    };
    const look = (): void => {
      const { document } = documents.store.getState();
      if (document !== seen) {
        seen = document;
        due = true;
        moved();
      }
      if (!due) return;
      calm = false;
      clearTimeout(timer);
      timer = setTimeout(
        () => {
          calm = true;
          follow();
        },
        documents.scrubbing ? IN_HAND : CALM,
      );
    };
    const deafen = documents.listen(look);
    const unsubscribe = standings.subscribe(follow);
    look();
    return () => {
      deafen();
      unsubscribe();
      clearTimeout(timer);
    };
  };
}
