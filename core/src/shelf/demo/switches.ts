import { SWITCH_CLASSES } from '../usual/switches.ts';
import type { Diode, Mosfet } from '../part.ts';
import { printed, type Chance } from '../../numbers/chance.ts';

/*
 * A family's dies differ in area alone: twice the area is half the resistance and twice every charge, at a cost that
 * grows a little faster than area. Families of one class differ in what a square millimetre does. Invented values of
 * plausible size; the classes' products are those of parts/switches.ts.
 */

interface FetFamily {
  name: string;
  technology: NonNullable<Mosfet['technology']>;
  rating: number;
  gateVoltage: number;
  gateVoltageMaximum: number;
  threshold: number;
  plateau: number;
  /** Ω·C of gate, drain and output charge, and of recovery */
  gate: number;
  drainShare: number;
  output: number;
  recovery: number;
  temperature: number;
  diode: number;
  /** Ω of each, for a package's lowest on */
  least: number;
  /** steps of area from the largest die: the first that is made, and how many there are */
  from?: number;
  sizes: number;
  /** cost of a die of the least resistance */
  dear: number;
}

/** The steps of area within a family, each about half as large again as the last. */
const AREA_STEP = 1.55;

const PACKAGES = [
  { name: 'leadless 5 × 6', length: 6e-3, width: 5e-3, height: 1.05e-3, thermal: 38, case: 0.9, package: 0.25e-3 },
  { name: 'leadless 3.3 × 3.3', length: 3.3e-3, width: 3.3e-3, height: 1e-3, thermal: 52, case: 1.8, package: 0.4e-3 },
  { name: 'leadless 2 × 2', length: 2e-3, width: 2e-3, height: 0.75e-3, thermal: 75, case: 4, package: 0.9e-3 },
] as const;
const HIGH_VOLTAGE = {
  name: 'tab, 10 × 9',
  length: 10e-3,
  width: 9e-3,
  height: 4.4e-3,
  thermal: 30,
  case: 0.5,
  package: 1e-3,
};

function dieSizes(family: FetFamily, chance: Chance): Mosfet[] {
  const { rating, technology, from = 0 } = family;
  return Array.from({ length: family.sizes }, (_, step): Mosfet => {
    const i = from + step;
    const die = family.least * AREA_STEP ** i;
    const high = rating > 250 && technology !== 'gallium-nitride';
    const shape = high ? HIGH_VOLTAGE : PACKAGES[i < 3 ? 0 : i < 6 ? 1 : 2];
    const onResistance = printed(die * chance.about(0.04) + shape.package);
    const charge = (product: number, spread = 0.08): number => printed((product / die) * chance.about(spread), 3);
    const gateCharge = charge(family.gate);
    const outputCharge = charge(family.output);
    // most of a junction's charge is there at a small part of its voltage
    const outputChargeCurve = [0, 0.05, 0.15, 0.3, 0.5, 0.75, 1].map((part): [number, number] => [
      printed(part * rating, 3),
      printed(Math.max(1e-15, outputCharge * (part / 0.5) ** 0.45), 3),
    ]);
    return {
      kind: 'mosfet',
      id: `${family.name}-${rating}v-${String(Math.round(onResistance * 1e5) / 100)}m`,
      name: `${rating} V ${technology === 'silicon' ? 'silicon' : technology === 'gallium-nitride' ? 'gallium nitride' : 'silicon carbide'}, ${String(Math.round(onResistance * 1e5) / 100)} mΩ`,
      family: family.name,
      technology,
      package: shape.name,
      length: shape.length,
      width: shape.width,
      height: shape.height,
      cost: printed(0.06 + family.dear * AREA_STEP ** (-1.1 * i) * chance.about(0.1)),
      invented: true,
      voltageRating: rating,
      currentRating: printed(Math.sqrt(2.2 / (onResistance * 1.6)) * (high ? 1.4 : 2.2), 2),
      onResistance,
      onResistanceTemperature: family.temperature,
      onResistanceCurve: [0.7, 0.8, 1, 1.2].map((part): [number, number] => [
        printed(family.gateVoltage * part, 3),
        printed(onResistance * (part < 1 ? 1 + 1.2 * (1 - part) ** 1.2 : 1 - 0.12 * (part - 1)), 3),
      ]),
      gateVoltage: family.gateVoltage,
      gateVoltageMaximum: family.gateVoltageMaximum,
      thresholdVoltage: family.threshold,
      plateauVoltage: family.plateau,
      gateCharge,
      gateDrainCharge: printed(gateCharge * family.drainShare * chance.about(0.05), 3),
      postThresholdGateCharge: printed(gateCharge * 0.12, 3),
      gateResistance: printed(technology === 'silicon' ? 1.1 * chance.about(0.3) : 0.7 * chance.about(0.2)),
      outputCharge,
      outputChargeVoltage: printed(rating / 2),
      outputChargeCurve,
      reverseRecoveryCharge: charge(family.recovery, 0.15),
      bodyDiodeVoltage: family.diode,
      thermalResistance: printed(shape.thermal * (1 + 0.06 * i), 2),
      // a smaller die leaves less area to the case
      junctionToCase: printed(shape.case * (1 + 0.25 * i), 2),
      junctionTemperature: technology === 'silicon' ? 150 : technology === 'silicon-carbide' ? 175 : 150,
    };
  });
}

function families(): FetFamily[] {
  const silicon = SWITCH_CLASSES.filter(({ technology }) => technology === 'silicon').flatMap((of): FetFamily[] => {
    const logic = of.gateVoltage === 5;
    const base: FetFamily = {
      name: 'trench',
      technology: 'silicon',
      rating: of.rating,
      gateVoltage: of.gateVoltage,
      gateVoltageMaximum: 20,
      threshold: logic ? 1.6 : 3,
      plateau: logic ? 2.6 : 4.4,
      gate: of.gateCharge,
      drainShare: 0.17,
      output: of.outputCharge,
      recovery: of.outputCharge * 1.2,
      temperature: 0.0042 + 0.006 * Math.min(1, of.rating / 250),
      diode: 0.8,
      least: of.least,
      sizes: of.rating <= 100 ? 11 : 7,
      dear: 0.5 + 0.006 * of.rating,
    };
    // an older process, cheap for its resistance and slow
    const old: FetFamily = {
      ...base,
      name: 'planar',
      gate: 2.6 * base.gate,
      drainShare: 0.32,
      output: 1.5 * base.output,
      recovery: 3 * base.output,
      least: 5 * base.least,
      sizes: 3,
      dear: 0.22,
    };
    // made for a low gate voltage: less charge to drive, a little more resistance
    const low: FetFamily = {
      ...base,
      name: 'logic',
      gateVoltage: 5,
      threshold: 1.7,
      plateau: 2.8,
      gate: 0.6 * base.gate,
      drainShare: 0.2,
      least: 1.2 * base.least,
      sizes: 8,
    };
    const lower = of.rating >= 60 && of.rating <= 100 ? [low] : [];
    return of.rating <= 100 && of.rating !== 25 && of.rating !== 80 ? [base, ...lower, old] : [base, ...lower];
  });
  const nitride = [
    { rating: 40, gate: 14, output: 26, least: 1.2 },
    { rating: 100, gate: 40, output: 170, least: 1.8 },
    { rating: 200, gate: 90, output: 500, least: 5 },
    { rating: 650, gate: 300, output: 3000, least: 25 },
  ].map(({ rating, gate, output, least }): FetFamily => ({
    name: 'lateral',
    technology: 'gallium-nitride',
    rating,
    gateVoltage: 5,
    gateVoltageMaximum: 6,
    threshold: 1.2,
    plateau: 2,
    gate: gate * 1e-12,
    drainShare: 0.2,
    output: output * 1e-12,
    recovery: 0,
    temperature: 0.0075,
    diode: 2,
    least: least * 1e-3,
    sizes: 5,
    dear: 1.1 + 0.006 * rating,
  }));
  const carbide = SWITCH_CLASSES.filter(({ rating }) => rating === 650 || rating === 1200).map((of): FetFamily => ({
    name: 'carbide',
    technology: 'silicon-carbide',
    rating: of.rating,
    gateVoltage: 15,
    gateVoltageMaximum: 19,
    threshold: 3.2,
    plateau: 7.5,
    gate: of.gateCharge,
    drainShare: 0.25,
    output: of.outputCharge,
    recovery: of.outputCharge * 0.9,
    temperature: 0.003,
    diode: 3.6,
    least: of.least,
    sizes: 5,
    dear: of.rating / 130,
  }));
  return [...silicon, ...nitride, ...carbide];
}

export function demoMosfets(chance: Chance): Mosfet[] {
  return families().flatMap((family) => dieSizes(family, chance));
}

/** Dies below those, where a high voltage at a small current would pay for nothing but charge. */
export function demoSmallDies(chance: Chance): Mosfet[] {
  return families()
    .filter(({ rating }) => rating >= 150 && rating <= 650)
    .flatMap((family) => dieSizes({ ...family, from: family.sizes, sizes: 4 }, chance));
}

/** V, forward V without current, Ω·A, leakage per ampere when hot. */
const DIODES = [
  { technology: 'schottky', rating: 30, forward: 0.3, slope: 0.07, leak: 12e-3 },
  { technology: 'schottky', rating: 40, forward: 0.34, slope: 0.08, leak: 8e-3 },
  { technology: 'schottky', rating: 60, forward: 0.4, slope: 0.13, leak: 6e-3 },
  { technology: 'schottky', rating: 100, forward: 0.55, slope: 0.17, leak: 3e-3 },
  { technology: 'schottky', rating: 150, forward: 0.62, slope: 0.2, leak: 2e-3 },
  { technology: 'schottky', rating: 200, forward: 0.66, slope: 0.22, leak: 1.5e-3 },
  { technology: 'fast', rating: 200, forward: 0.75, slope: 0.18, leak: 50e-6 },
  { technology: 'fast', rating: 600, forward: 1.1, slope: 0.4, leak: 80e-6 },
  { technology: 'silicon-carbide', rating: 650, forward: 0.95, slope: 0.5, leak: 60e-6 },
  { technology: 'silicon-carbide', rating: 1200, forward: 0.95, slope: 0.6, leak: 60e-6 },
] as const;

export function demoDiodes(chance: Chance): Diode[] {
  return DIODES.flatMap(({ technology, rating, forward, slope, leak }) =>
    [1, 3, 8, 20].map((current): Diode => {
      const big = current >= 8;
      const reverseRecoveryCharge =
        technology === 'fast' ? printed(current * rating * 0.25e-9 ** 1 * chance.about(0.2)) : 0;
      const thermalResistance = printed(current >= 20 ? 22 : big ? 35 : current === 3 ? 70 : 110);
      return {
        kind: 'diode',
        id: `${technology}-${rating}v-${current}a`,
        name: `${current} A, ${rating} V ${technology === 'schottky' ? 'Schottky' : technology === 'fast' ? 'fast silicon' : 'silicon-carbide Schottky'}`,
        technology,
        package: big ? 'tab, 6.5 × 6' : 'two-lead, 4.3 × 3.6',
        length: big ? 6.5e-3 : 4.3e-3,
        width: big ? 6e-3 : 3.6e-3,
        height: big ? 2.3e-3 : 2.2e-3,
        cost: printed((0.05 + 0.035 * current ** 0.8) * (technology === 'silicon-carbide' ? 5 : 1) * chance.about(0.1)),
        invented: true,
        voltageRating: rating,
        currentRating: current,
        forwardVoltage: printed(forward * chance.about(0.03)),
        resistance: printed(slope / current),
        reverseRecoveryCharge,
        ...(technology === 'fast'
          ? {
              // a junction holds less charge at less current, the lifetime of what it holds falling with it
              reverseRecoveryCurve: [0.1, 0.3, 0.6, 1].map((part): [number, number] => [
                printed(part * current),
                printed(reverseRecoveryCharge * part ** 0.7),
              ]),
            }
          : {}),
        outputCharge: printed(
          current * Math.sqrt(rating) * (technology === 'fast' ? 0.6e-9 : 1.3e-9) * chance.about(0.1),
        ),
        hotLeakage: printed(leak * current * chance.about(0.3)),
        thermalResistance,
        junctionToCase: printed(thermalResistance / 12, 2),
        junctionTemperature: technology === 'schottky' ? 150 : 175,
      };
    }),
  );
}
