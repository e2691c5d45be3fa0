import { viewParts, type Design, type Part, type PartsView } from '@yundro/core';

/** States of a design kept: the one that stands, and the one before it that an undo goes back to. */
const KEPT = 2;
const kept: { key: string; shelf: readonly Part[]; view: PartsView }[] = [];

/** A design with its free places filled from a shelf, as last told: what a rung shows of one state asks for it many times. */
export function filled(design: Design, shelf: readonly Part[]): PartsView {
  const key = JSON.stringify(design);
  const at = kept.findIndex((one) => one.key === key && one.shelf === shelf);
  const [known = { key, shelf, view: viewParts(design, shelf) }] = at < 0 ? [] : kept.splice(at, 1);
  kept.unshift(known);
  kept.length = Math.min(kept.length, KEPT);
  return known.view;
}
