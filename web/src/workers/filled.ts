import { chooseParts, type Choice, type Design, type Part } from '@yundro/core';

/** States of a design kept: the one that stands, and the one before it that an undo goes back to. */
const KEPT = 2;
const kept: { key: string; shelf: readonly Part[]; choice: Choice }[] = [];

/** What fills a design's free places from a shelf, as last told: what a page shows of one state asks for it many times. */
export function chosenFor(design: Design, shelf: readonly Part[]): Choice {
  const key = JSON.stringify(design);
  const at = kept.findIndex((one) => one.key === key && one.shelf === shelf);
  const [known = { key, shelf, choice: chooseParts(design, shelf) }] = at < 0 ? [] : kept.splice(at, 1);
  kept.unshift(known);
  kept.length = Math.min(kept.length, KEPT);
  return known.choice;
}
