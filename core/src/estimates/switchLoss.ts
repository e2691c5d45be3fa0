import { switchClassFor, type SwitchClass } from '../shelf/usual/switches.ts';

/** What a switch has to do, of one phase. V, A. */
export interface SwitchNeed {
  /** V it blocks at most */
  blocked: number;
  /** A RMS, at its worst */
  rms: number;
  /** A it turns on and off, each hard; both 0 for a rectifier, which switches without voltage */
  on: number;
  off: number;
}

/** Resistance at a running junction over that at 25 °C. Common practice, no source (1.5 to 2 times at 125 °C for silicon). */
const HOT = 1.4;
/** A that a usual driver gives through the plateau. Common practice, no source. */
const DRIVE = 1.5;
/** Part of the gate charge that passes while voltage and current overlap. Common practice, no source. */
const OVERLAP_SHARE = 0.3;
/**
 * Times the resistance of least loss that is taken: two thirds of the silicon for a twelfth more loss, since
 * (1.5 + 1/1.5)/2 = 1.08. Our own starting point.
 */
const ECONOMY = 1.5;
/** Packages that stand in parallel at most, and times a package's lowest resistance that the smallest die has. */
const PARALLEL = 4;
const SMALLEST_DIE = 300;

/** J·Ω: what one cycle costs a die of one ohm; one of R ohms costs 1/R of it. */
function cycleEnergy(of: SwitchClass, { blocked, on, off }: SwitchNeed): number {
  const gate = of.gateCharge * of.gateVoltage;
  const overlap = (blocked * (Math.max(0, on) + Math.max(0, off)) * OVERLAP_SHARE * of.gateCharge) / (2 * DRIVE);
  return gate + overlap + (blocked * of.outputCharge) / 2;
}

/** A switch by the rule, with what it is expected to lose. */
export interface SizedSwitch {
  class: SwitchClass;
  /** Ω at 25 °C */
  resistance: number;
  /** W, of one phase: conduction hot, and switching with gate drive */
  conduction: number;
  switching: number;
}

/**
 * The resistance that balances conduction against what its charges cost at a frequency: a larger die conducts better
 * and switches worse, in proportion, so the sum is least at R = √(f·E/(1.4·I²)) with E the cycle's energy of a one-ohm
 * die. Half as much again is taken.
 * @param frequency Hz
 */
export function sizeSwitch(need: SwitchNeed, frequency: number): SizedSwitch {
  const of = switchClassFor(need.blocked);
  const square = HOT * need.rms ** 2;
  const cycles = frequency * cycleEnergy(of, need);
  const least = of.least / PARALLEL;
  const most = of.least * SMALLEST_DIE;
  const best = square > 0 ? ECONOMY * Math.sqrt(cycles / square) : most;
  return withResistance(need, frequency, Math.min(most, Math.max(least, best)));
}

/** The same with a resistance that is given, Ω. */
function withResistance(need: SwitchNeed, frequency: number, resistance: number): SizedSwitch {
  const of = switchClassFor(need.blocked);
  return {
    class: of,
    resistance,
    conduction: HOT * need.rms ** 2 * resistance,
    switching: (frequency * cycleEnergy(of, need)) / resistance,
  };
}

/** m² of die. */
export function dieArea(blocked: number, resistance: number): number {
  return switchClassFor(blocked).specificResistance / resistance;
}
