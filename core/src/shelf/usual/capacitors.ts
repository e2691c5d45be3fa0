import type { CapacitorBank } from '../../design/schema.ts';

/*
 * What capacitors can be had, one of each class: effective capacitance at the bias named. Plausible data-sheet values;
 * common practice, no source.
 */

interface CapacitorClass {
  /** V; the highest bias that the class is taken for, and what it is rated for */
  bias: number;
  rating: number;
  part: { capacitance: number; esr: number; esl: number; rippleCurrentRating: number };
}

/** Ceramics: their capacitance falls with bias, so the class goes up early. Above them film. */
const CERAMICS: readonly CapacitorClass[] = [
  { bias: 6, rating: 10, part: { capacitance: 15e-6, esr: 0.003, esl: 0.5e-9, rippleCurrentRating: 3 } },
  { bias: 14, rating: 25, part: { capacitance: 8.2e-6, esr: 0.004, esl: 0.5e-9, rippleCurrentRating: 3 } },
  { bias: 36, rating: 50, part: { capacitance: 4.7e-6, esr: 0.004, esl: 0.8e-9, rippleCurrentRating: 3 } },
  { bias: 75, rating: 100, part: { capacitance: 2.2e-6, esr: 0.005, esl: 0.8e-9, rippleCurrentRating: 2.5 } },
  { bias: 180, rating: 250, part: { capacitance: 1e-6, esr: 0.008, esl: 1e-9, rippleCurrentRating: 2 } },
  { bias: 500, rating: 630, part: { capacitance: 2.2e-6, esr: 0.006, esl: 15e-9, rippleCurrentRating: 5 } },
  { bias: 900, rating: 1100, part: { capacitance: 1e-6, esr: 0.008, esl: 18e-9, rippleCurrentRating: 4 } },
];

/** What joins the ceramics where much charge is needed: polymer, then electrolytic, then film. */
const BULK: readonly CapacitorClass[] = [
  { bias: 12, rating: 16, part: { capacitance: 330e-6, esr: 0.009, esl: 2e-9, rippleCurrentRating: 4 } },
  { bias: 36, rating: 50, part: { capacitance: 100e-6, esr: 0.02, esl: 3e-9, rippleCurrentRating: 2.5 } },
  { bias: 64, rating: 80, part: { capacitance: 47e-6, esr: 0.03, esl: 5e-9, rippleCurrentRating: 2 } },
  { bias: 160, rating: 200, part: { capacitance: 47e-6, esr: 0.25, esl: 10e-9, rippleCurrentRating: 0.8 } },
  { bias: 400, rating: 450, part: { capacitance: 47e-6, esr: 0.5, esl: 15e-9, rippleCurrentRating: 0.8 } },
  { bias: 900, rating: 1100, part: { capacitance: 20e-6, esr: 0.005, esl: 20e-9, rippleCurrentRating: 12 } },
];

function ofClass(classes: readonly CapacitorClass[], voltage: number): CapacitorBank {
  const found = classes.find(({ bias }) => bias >= voltage);
  if (found) return { ...found.part, count: 1, voltageRating: found.rating };
  // as many in series as stand it: their capacitance divides, resistance and inductance add up
  const { bias, rating, part } = classes[classes.length - 1]!;
  const series = Math.ceil(voltage / bias);
  return {
    capacitance: part.capacitance / series,
    esr: part.esr * series,
    esl: part.esl * series,
    count: 1,
    rippleCurrentRating: part.rippleCurrentRating,
    voltageRating: rating * series,
  };
}

/** One capacitor for the switched current at a bias, V. */
export function ceramicFor(voltage: number): CapacitorBank {
  return ofClass(CERAMICS, voltage);
}

/** The bulk part that joins the ceramics when a step needs much charge. */
function bulkFor(voltage: number): CapacitorBank {
  return ofClass(BULK, voltage);
}

/** A capacitor that can be had, and what one costs beside the others. */
export interface StockItem {
  bank: CapacitorBank;
  cost: number;
}

/** What a bank is made of: for the edges, for charge, and for damping the source. Each list may be empty. */
export interface BankStock {
  ceramics: readonly StockItem[];
  bulks: readonly StockItem[];
  dampings: readonly StockItem[];
}

/** One usual part of each kind for a bias, V. */
export function usualStock(voltage: number): BankStock {
  const one = (bank: CapacitorBank): StockItem[] => [{ bank, cost: 1 }];
  return { ceramics: one(ceramicFor(voltage)), bulks: one(bulkFor(voltage)), dampings: one(dampingFor(voltage)) };
}

/** Electrolytic of one class: F and Ω that it has by bias. Its resistance is what damps the source's leads. */
const DAMPING: readonly CapacitorClass[] = [
  { bias: 6, rating: 16, part: { capacitance: 330e-6, esr: 0.08, esl: 6e-9, rippleCurrentRating: 0.8 } },
  { bias: 12, rating: 25, part: { capacitance: 220e-6, esr: 0.08, esl: 6e-9, rippleCurrentRating: 0.8 } },
  { bias: 28, rating: 50, part: { capacitance: 100e-6, esr: 0.12, esl: 8e-9, rippleCurrentRating: 0.7 } },
  { bias: 64, rating: 100, part: { capacitance: 68e-6, esr: 0.2, esl: 10e-9, rippleCurrentRating: 0.7 } },
  { bias: 160, rating: 200, part: { capacitance: 47e-6, esr: 0.4, esl: 12e-9, rippleCurrentRating: 0.6 } },
  { bias: 400, rating: 450, part: { capacitance: 33e-6, esr: 1, esl: 15e-9, rippleCurrentRating: 0.5 } },
  { bias: 800, rating: 900, part: { capacitance: 15e-6, esr: 2, esl: 30e-9, rippleCurrentRating: 0.5 } },
];

/** The electrolytic that damps the source and carries its slow part, at a bias, V. */
function dampingFor(voltage: number): CapacitorBank {
  return ofClass(DAMPING, voltage);
}
