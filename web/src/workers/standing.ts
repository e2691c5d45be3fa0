import type { Choice, Design, Part } from '@yundro/core';

/** A design as it would be built: what its maker holds, and what fills the places that are free. */
export interface InForce {
  given: Design;
  choice: Choice;
}

/** What an answer stands on; its design is `choice.design`. */
export interface Standing extends InForce {
  /** of the shelf, for those that look at other parts too */
  parts: readonly Part[];
}
