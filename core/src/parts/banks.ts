import type { Design } from '../design/schema.ts';
import type { BankStock, StockItem } from '../shelf/usual/capacitors.ts';
import { offered } from '../shelf/shelf.ts';
import type { Capacitor, Part } from '../shelf/part.ts';
import { allowedInputRipple, allowedOutputRipple } from '../stage/sizing/banks.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { solveCorner } from '../stage/operating/operatingPoint.ts';
import { nearestRating } from '../stage/operating/shares.ts';
import { cornersOf } from '../design/corner.ts';
import { topologyModel } from '../topology/index.ts';
import { capacitorReasons, type Derating } from './fits.ts';
import { capacitorValues } from './values.ts';

type Stocked = StockItem & { part: Capacitor };

/** What fits a bank at a bias, dearest use first: ceramics by what a microfarad costs, bulk and dampers likewise. */
export function stockFor(
  { brief }: Design,
  parts: readonly Part[],
  bias: number,
  by: Derating,
): BankStock & { ceramics: Stocked[]; bulks: Stocked[]; dampings: Stocked[] } {
  const items = offered(parts, 'capacitor')
    .filter((part) => capacitorReasons(part, bias, brief, by).length === 0)
    .map((part): Stocked => ({ part, bank: capacitorValues(part, bias), cost: part.cost ?? 1 }));
  const of = (...technologies: Capacitor['technology'][]): Stocked[] =>
    items
      .filter(({ part }) => technologies.includes(part.technology))
      .sort((a, b) => a.cost / a.bank.capacitance - b.cost / b.bank.capacitance);
  const films = of('film');
  const ceramics = of('ceramic').filter(({ bank }) => bank.capacitance >= 1e-7 * 0.2);
  // without either, what there is carries all of it, as many as that takes
  const carrying = [ceramics, films, of('polymer', 'tantalum', 'electrolytic')].find((list) => list.length > 0) ?? [];
  return {
    ceramics: carrying.slice(0, 6),
    bulks: [
      ...of('polymer').slice(0, 3),
      ...of('tantalum').slice(0, 1),
      ...of('electrolytic').slice(0, 2),
      ...films.slice(0, 1),
    ],
    dampings: of('electrolytic').slice(0, 1),
  };
}

/** Part of the ripple allowed, and of a part's own rating, that a bank of real parts may use, and how often it is made larger. */
const RIPPLE_USE = 0.88;
const MOST_GROWTHS = 8;

/** The banks with as many parts as exact ripple asks for: sizing's estimate knows neither a bent inductance nor its own losses. */
export function withEnough(
  design: Design,
  decisions: CompleteDecisions,
  grow: { output: boolean; input: boolean },
): Pick<CompleteDecisions, 'outputCapacitors' | 'inputCapacitors'> {
  const { brief } = design;
  const model = topologyModel(decisions.topology);
  let { outputCapacitors, inputCapacitors } = decisions;
  for (let round = 0; round < MOST_GROWTHS; round += 1) {
    const points = cornersOf(design).flatMap((corner) => {
      const { point } = solveCorner(model, brief, { ...decisions, outputCapacitors, inputCapacitors }, corner);
      return point ? [point] : [];
    });
    const over = (ripple: (point: (typeof points)[number]) => number, allowed: number): number =>
      Math.max(0, ...points.map(ripple)) / (RIPPLE_USE * allowed);
    const heated = (banks: typeof outputCapacitors, which: 'outputCapacitor' | 'inputCapacitor'): number =>
      over((point) => nearestRating(banks, point[which].each)?.used ?? 0, 1);
    const output = grow.output
      ? Math.max(
          over((point) => point.outputCapacitor.ripple, allowedOutputRipple(brief)),
          heated(outputCapacitors, 'outputCapacitor'),
        )
      : 0;
    const input = grow.input
      ? Math.max(
          over((point) => point.inputCapacitor.ripple, allowedInputRipple(brief)),
          heated(inputCapacitors, 'inputCapacitor'),
        )
      : 0;
    if (output <= 1 && input <= 1) break;
    const larger = (banks: typeof outputCapacitors, by: number): typeof outputCapacitors =>
      by <= 1
        ? banks
        : banks.map((bank, k) =>
            k > 0 && banks.length > 1 && bank.esr > 0.05
              ? bank
              : { ...bank, count: Math.min(1000, Math.ceil(bank.count * Math.min(2, by)) + (by < 1.05 ? 1 : 0)) },
          );
    outputCapacitors = larger(outputCapacitors, output);
    inputCapacitors = larger(inputCapacitors, input);
  }
  return { outputCapacitors, inputCapacitors };
}
