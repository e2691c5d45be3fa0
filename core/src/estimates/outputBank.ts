import type { CapacitorBank } from '../design/schema.ts';

/**
 * Output ripple of a triangular current into a capacitor with series resistance, V peak to peak, with the capacitive
 * and the resistive part in their true phase rather than their peaks added.
 *
 * Over the rise (time a) the voltage is R·ΔI(τ/a − ½) + ΔI(τ² − aτ)/(2aC): its lowest point is at τ = a/2 − RC, or at
 * the edge where that is negative; the fall (time b) mirrors it. The difference of the two is the ripple. With R = 0 it
 * is ΔI/(8fC). Source: Erickson and Maksimović, chapter 2 (the charge argument; recalled from memory).
 *
 * @param ripple ΔI, A peak to peak
 * @param rise a, s
 * @param fall b, s
 * @param capacitance F
 * @param resistance Ω
 */
export function triangleRipple(
  ripple: number,
  rise: number,
  fall: number,
  capacitance: number,
  resistance: number,
): number {
  const lag = resistance * capacitance;
  const turning = (length: number): number => {
    const at = Math.max(0, length / 2 - lag);
    return ripple * (resistance * (at / length - 0.5) + (at * at - length * at) / (2 * length * capacitance));
  };
  return rise > 0 && fall > 0 ? -(turning(rise) + turning(fall)) : 0;
}

/**
 * Excursion while the inductor current slews to its new value, V, and capacitor and ESR carry the difference.
 * ΔI²/(2·m·C) + m·R²C/2 where the turning point lies inside the slew, else R·ΔI.
 * Source: the minimum excursion of a slew-limited buck, ΔI²L/(2C(Vin − Vout)), as in Redl, Erisman and Zansky, 1998
 * (recalled from memory), with the ESR added in its phase.
 *
 * A load that takes its time is followed on the way: what is missing is largest as the load has come, and a current that
 * slews as fast misses nothing.
 *
 * @param step ΔI, A
 * @param slew m, A/s, of the summed inductor current
 * @param ramp s that the load takes for it
 */
export function slewExcursion(step: number, slew: number, capacitance: number, resistance: number, ramp = 0): number {
  const missing = ramp > 0 ? step - slew * ramp : step;
  if (missing <= 0) return 0;
  if (!(slew > 0)) return Infinity;
  // A·s that the bank has given by the time the load has come
  const given = (missing * ramp) / 2 / capacitance;
  if (missing / slew <= resistance * capacitance) return given + resistance * missing;
  return given + missing ** 2 / (2 * slew * capacitance) + (slew * resistance ** 2 * capacitance) / 2;
}

/** Part of a crossover at which a network that is yet to be decided has its first zero. Our own. */
export const RECOVERS = 1 / 12;

/**
 * Part of a step that a loop has still to make up for where the load takes its time: between its first zero and its crossover
 * it answers in proportion, and only below the zero does it take back what is left. A first order's (1 − e⁻ˣ)/x with
 * x = 2π·recovery·ramp. Our own, held against the simulator.
 * @param recovery Hz of the network's first zero; the crossover of a comparator, which has none
 */
export function rampFactor(recovery: number, ramp: number): number {
  const x = 2 * Math.PI * recovery * ramp;
  return x > 1e-6 ? -Math.expm1(-x) / x : 1;
}

/**
 * Excursion that a loop of crossover fc leaves, V: the step times the bank's impedance there.
 * Common practice, no source.
 */
export function loopExcursion(step: number, crossover: number, capacitance: number, resistance: number): number {
  return step * Math.hypot(resistance, 1 / (2 * Math.PI * crossover * capacitance));
}

/** Exponent by which slew and loop join where both hold a step back. Our own, held against the simulator. */
const JOINED = 4;

/**
 * Excursion of a step that slew and loop hold back, each as if by itself, V: what the ESR makes of the step, met once, and
 * on top next to the larger of what both leave beyond it where they are unlike, a fifth more where alike.
 * @param byEsr V, the step times the ESR, which is in both
 */
export function joinedExcursion(bySlew: number, byLoop: number, byEsr: number): number {
  const beyond = [bySlew - byEsr, byLoop - byEsr].map((volts) => Math.max(0, volts));
  const most = Math.max(...beyond);
  return most > 0 && Number.isFinite(most)
    ? byEsr + most * beyond.reduce((sum, volts) => sum + (volts / most) ** JOINED, 0) ** (1 / JOINED)
    : byEsr + most;
}

/** F and Ω. */
export interface Lumped {
  capacitance: number;
  resistance: number;
}

/** Capacitance and series resistance of several banks together, as rules that know one of each see them. */
export function lumped(banks: readonly CapacitorBank[]): Lumped {
  const capacitance = banks.reduce((sum, bank) => sum + bank.capacitance * bank.count, 0);
  // parallel branches share a slow current by capacitance, so their resistances weigh by its square
  const resistance = banks.reduce(
    (sum, bank) => sum + (bank.esr / bank.count) * ((bank.capacitance * bank.count) / capacitance) ** 2,
    0,
  );
  return { capacitance, resistance };
}

const SAMPLES = 12;

/**
 * Ripple of a rectangular current into two unlike capacitors in parallel, V peak to peak: the step in both resistances,
 * the charge, and the current that moves from one to the other with its own time constant.
 *
 * With q the charge of both and d = v₁ − v₂, Kirchhoff's laws give
 *   v = q/C + d(R₂C₂ − R₁C₁)/(RC) + i·R₁R₂/R,   ḋ = (d∞ − d)/τ,   d∞ = i(R₂C₂ − R₁C₁)/C,   τ = R·C₁C₂/C
 * (C and R the sums), and the periodic d follows from its two exponentials.
 *
 * @param step A, by which the current changes
 * @param share part of the period in which it stands high, 0 to 1
 * @param period s
 */
export function pulsedRipple(step: number, share: number, period: number, one: Lumped, other: Lumped): number {
  const capacitance = one.capacitance + other.capacitance;
  const resistance = one.resistance + other.resistance;
  const skew = other.resistance * other.capacitance - one.resistance * one.capacitance;
  if (!(share > 0 && share < 1)) return 0;
  if (resistance === 0) return (step * share * (1 - share) * period) / capacitance;
  const tau = (resistance * one.capacitance * other.capacitance) / capacitance;
  const parallel = (one.resistance * other.resistance) / resistance;
  const parts = [
    { length: share * period, current: step * (1 - share) },
    { length: (1 - share) * period, current: -step * share },
  ].map((part) => ({
    ...part,
    settled: (part.current * skew) / capacitance,
    decay: Math.exp(-part.length / tau),
  }));
  const [high, low] = parts as [(typeof parts)[number], (typeof parts)[number]];
  let difference =
    (low.settled * (1 - low.decay) + high.settled * (1 - high.decay) * low.decay) / (1 - high.decay * low.decay);
  let charge = 0;
  let least = Infinity;
  let most = -Infinity;
  for (const { length, current, settled } of parts) {
    for (let i = 0; i <= SAMPLES; i += 1) {
      const time = (length * i) / SAMPLES;
      const d = settled + (difference - settled) * Math.exp(-time / tau);
      const voltage =
        (charge + current * time) / capacitance + (d * skew) / (resistance * capacitance) + current * parallel;
      least = Math.min(least, voltage);
      most = Math.max(most, voltage);
    }
    charge += current * length;
    difference = settled + (difference - settled) * Math.exp(-length / tau);
  }
  return most - least;
}
