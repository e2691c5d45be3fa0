import {
  preferredDown,
  preferredNext,
  preferredPrevious,
  preferredUp,
  seriesMantissas,
  type Series,
} from '../quantity/index.ts';

/** A value with its tolerance as two figures: every part at its limit the wrong way, and their root sum of squares. */
export interface Accuracy {
  worst: number;
  rss: number;
}

/** A pair of feedback resistors and what it gives. */
export interface DividerPair {
  /** Ω, from the output to the feedback node, and from there to return */
  top: number;
  bottom: number;
  /** V */
  output: number;
  /** output over the wanted one, less 1 */
  error: number;
  /** A through the divider */
  current: number;
  accuracy: Accuracy;
}

function membersBetween(low: number, high: number, series: Series): number[] {
  const members: number[] = [];
  for (let value = preferredDown(low, series); value <= high; value = preferredNext(value, series))
    if (value >= low) members.push(value);
  return members;
}

/**
 * Standard pairs that set an output, the closest first.
 * @param reference V at the feedback node
 * @param current A, wanted through the divider; the bottom resistor is searched from half to twice what it asks
 * @param tolerance fractions: of the resistors and of the reference
 */
export function dividerPairs(
  output: number,
  reference: number,
  series: Series,
  current: number,
  tolerance: { resistor: number; reference: number },
  count = 5,
): DividerPair[] {
  if (!(output > reference)) return [];
  const wanted = reference / current;
  return membersBetween(wanted / 2, wanted * 2, series)
    .flatMap((bottom) => {
      const exact = bottom * (output / reference - 1);
      const below = preferredDown(exact, series);
      return [below, preferredNext(below, series)].map((top) => pairOf(top, bottom));
    })
    .sort((a, b) => Math.abs(a.error) - Math.abs(b.error))
    .slice(0, count);

  function pairOf(top: number, bottom: number): DividerPair {
    const gives = reference * (1 + top / bottom);
    return {
      top,
      bottom,
      output: gives,
      error: gives / output - 1,
      current: reference / bottom,
      accuracy: dividerAccuracy(top, bottom, tolerance),
    };
  }
}

/** Accuracy of the output that a divider sets: the resistors weigh by top/(top + bottom), the reference fully. */
function dividerAccuracy(top: number, bottom: number, tolerance: { resistor: number; reference: number }): Accuracy {
  const weight = (top / (top + bottom)) * tolerance.resistor;
  return { worst: tolerance.reference + 2 * weight, rss: Math.hypot(tolerance.reference, weight, weight) };
}

/** An output that a potentiometer moves between two ends. */
export interface AdjustableDivider {
  top: number;
  bottom: number;
  potentiometer: number;
  /** V at the two ends of the potentiometer, with standard resistors */
  lowest: number;
  highest: number;
  /** V for a hundredth of the turn, at each end: the high end is the coarser */
  resolutionAtLowest: number;
  resolutionAtHighest: number;
  /** V where the wiper loses contact, by where the potentiometer sits */
  wiperOpen: { inBottomLeg: number; inTopLeg: 'unlimited' };
}

/**
 * A potentiometer in series with the bottom resistor, its wiper tied to one end, so that an open wiper leaves all of
 * it in circuit and the output at its lowest; in the top leg the same fault would take the feedback away.
 * @returns undefined when the range does not lie above the reference
 */
export function adjustableDivider(
  lowest: number,
  highest: number,
  reference: number,
  potentiometer: number,
  series: Series = 'E24',
): AdjustableDivider | undefined {
  const a = highest / reference - 1;
  const b = lowest / reference - 1;
  if (!(b > 0 && a > b)) return undefined;
  // the pair whose rounding covers what is asked for: a·bottom ≤ top ≤ b·(bottom + potentiometer), widening as bottom falls
  let bottom = preferredDown((b * potentiometer) / (a - b), series);
  let top = preferredUp(a * bottom, series);
  while (top > b * (bottom + potentiometer)) {
    bottom = preferredPrevious(bottom, series);
    top = preferredUp(a * bottom, series);
  }
  const at = (resistance: number): number => reference * (1 + top / (bottom + resistance));
  const slope = (resistance: number): number => (reference * top * potentiometer) / (bottom + resistance) ** 2 / 100;
  return {
    top,
    bottom,
    potentiometer,
    lowest: at(potentiometer),
    highest: at(0),
    resolutionAtLowest: slope(potentiometer),
    resolutionAtHighest: slope(0),
    wiperOpen: { inBottomLeg: at(potentiometer), inTopLeg: 'unlimited' },
  };
}

/** A range to start from: a fifth to either side of the output, kept above the reference; V, rounded to two digits. */
export function suggestRange(output: number, reference: number): { lowest: number; highest: number } {
  const round = (value: number): number => Number(value.toPrecision(2));
  const lowest = round(Math.max(0.8 * output, 1.1 * reference));
  return { lowest, highest: round(Math.max(1.2 * output, 1.3 * lowest)) };
}

/** A timing resistor and capacitor and the frequency they give. */
export interface TimingPair {
  resistance: number;
  capacitance: number;
  frequency: number;
  error: number;
  accuracy: Accuracy;
}

/**
 * RT and CT of a common oscillator, f ≈ 1/(RT·CT), half of it at the outputs of a push-pull one: E24 resistors with E6
 * capacitors, the closest first. Common practice, no source (27 kΩ and 1 nF give about 37 kHz).
 */
export function timingPairs(
  frequency: number,
  kind: 'single-ended' | 'push-pull',
  tolerance: { resistor: number; capacitor: number } = { resistor: 0.01, capacitor: 0.05 },
  count = 5,
): TimingPair[] {
  const oscillator = kind === 'push-pull' ? 2 * frequency : frequency;
  const pairs: TimingPair[] = [];
  for (let decade = -11; decade <= -8; decade += 1) {
    for (const mantissa of seriesMantissas('E6')) {
      const capacitance = Number(`${mantissa}e${decade}`);
      const exact = 1 / (oscillator * capacitance);
      if (!(exact >= 2e3 && exact <= 100e3)) continue;
      const below = preferredDown(exact, 'E24');
      for (const resistance of [below, preferredNext(below, 'E24')]) {
        const gives = 1 / (resistance * capacitance) / (kind === 'push-pull' ? 2 : 1);
        pairs.push({
          resistance,
          capacitance,
          frequency: gives,
          error: gives / frequency - 1,
          accuracy: {
            worst: tolerance.resistor + tolerance.capacitor,
            rss: Math.hypot(tolerance.resistor, tolerance.capacitor),
          },
        });
      }
    }
  }
  return pairs.sort((a, b) => Math.abs(a.error) - Math.abs(b.error)).slice(0, count);
}
