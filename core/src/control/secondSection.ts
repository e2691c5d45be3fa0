import type { CapacitorBank, Decisions } from '../design/schema.ts';
import { bankImpedance } from '../network/impedance.ts';
import { magnitude, plus, times, type Complex } from '../numbers/complex.ts';
import { lumped, type Lumped } from '../estimates/outputBank.ts';
import { usualStock } from '../shelf/usual/capacitors.ts';

/* A second filter section between the output bank and the load: what it does to step and loop, and what damps it. */

type Filter = NonNullable<Decisions['outputFilter']>;

/** Sharpness that a filter without any resistance counts with: no real one rings so long. Our own. */
export const SHARPEST = 1000;

/** A second filter section between the output bank and the load, where the loop senses: nothing where there is none. */
export interface Section {
  /** F behind it, and Ω that a step of the load meets there until its inductance follows */
  capacitance: number;
  impedance: number;
  /** Hz at which it rings with a bank before it, times that its peak stands above what all its capacitance alone would leave there, and the quality Q = ωL/R of the loop it rings in */
  ringing: (bank: Lumped) => { resonance: number; sharpness: number; quality: number };
}

export const NO_SECTION: Section = {
  capacitance: 0,
  impedance: 0,
  ringing: () => ({ resonance: Infinity, sharpness: 1, quality: 0 }),
};

export function sectionOf(filter: Decisions['outputFilter']): Section {
  if (!filter) return NO_SECTION;
  const { inductance, resistance, capacitors } = filter;
  const { capacitance } = lumped(capacitors);
  const natural = 1 / Math.sqrt(inductance * capacitance);
  const ownSpeed = rising(natural, (speed) => speed * inductance - magnitude(bankImpedance(capacitors, speed)));
  return {
    capacitance,
    // what it answers with where its inductance and its capacitors, each with its resistance, are alike
    impedance: ownSpeed * inductance,
    ringing: (bank) => {
      const before = (speed: number): Complex => [bank.resistance, -1 / (speed * bank.capacitance)];
      const around = (speed: number): Complex =>
        plus(plus(before(speed), bankImpedance(capacitors, speed)), [resistance, speed * inductance]);
      const speed = rising(natural, (at) => around(at)[1]);
      const across = magnitude(times(before(speed), bankImpedance(capacitors, speed))) / around(speed)[0];
      return {
        resonance: speed / (2 * Math.PI),
        quality: (speed * inductance) / around(speed)[0],
        sharpness: Math.min(SHARPEST, Math.max(1, across * speed * (bank.capacitance + capacitance))),
      };
    },
  };
}

/** rad/s at which a function of the frequency rises through zero, near a guess. */
function rising(near: number, of: (speed: number) => number): number {
  let [low, high] = [Math.log(near / 10), Math.log(near * 1000)];
  for (let round = 0; round < 30; round += 1) {
    const middle = (low + high) / 2;
    if (of(Math.exp(middle)) > 0) high = middle;
    else low = middle;
  }
  return Math.exp((low + high) / 2);
}

/** F of damping over what it damps, at least. Source: Erickson and Maksimović, input-filter chapter (a parallel R–C of four times the capacitance brings the peak near the characteristic impedance); recalled from memory. */
const DAMPING_RATIO = 4;
/** Quality of a section’s resonance that asks for no more damping. Our own. */
export const DAMPED = 1.2;
const MOST_DAMPING = 20;

/** Part of the best limit to the loop that damping has to come to: more parts for the rest are not worth it. Our own. */
const WORTH = 0.9;

/**
 * A section with a capacitor across its bank whose own resistance takes its resonance down, so that the loop may cross
 * over nearer to it: of those that are usual for the voltage the fewest that come near what the best would allow. The same
 * section where it needs none.
 * @param before the bank that it rings with
 * @param voltage V across it
 */
export function damped(filter: Filter, before: Lumped, voltage: number): Filter {
  const allowed = (one: Filter): number => {
    const { resonance, sharpness } = sectionOf(one).ringing(before);
    return resonance / sharpness;
  };
  if (sectionOf(filter).ringing(before).quality <= DAMPED) return filter;
  const { capacitance } = lumped(filter.capacitors);
  const { bulks, dampings } = usualStock(voltage);
  const ways = [...bulks, ...dampings].flatMap(({ bank }) => {
    const least = Math.ceil((DAMPING_RATIO * capacitance) / bank.capacitance);
    return [0.5, 1, 2, 4]
      .map((times) => Math.ceil(least * times))
      .filter((count) => count <= MOST_DAMPING)
      .map((count): { filter: Filter; count: number } => {
        const damping: CapacitorBank = { ...bank, count };
        return { filter: { ...filter, capacitors: [...filter.capacitors, damping] }, count };
      });
  });
  const tried = [{ filter, count: 0 }, ...ways].map((way) => ({ ...way, allowed: allowed(way.filter) }));
  const best = Math.max(...tried.map((way) => way.allowed));
  return tried.filter((way) => way.allowed >= WORTH * best).reduce((a, b) => (b.count < a.count ? b : a)).filter;
}
