import type { LegStress, StressAt } from './stress.ts';
import { gateChargeAt, outputChargeAt, resistanceAt } from './values.ts';
import type { Mosfet } from '../shelf/part.ts';

/** So many of one part in a place. */
export interface Counted {
  part: Mosfet;
  count: number;
}

/** What drives the gates: V, Ω, s. */
export interface Drive {
  gateVoltage: number;
  pullUp: number;
  pullDown: number;
  deadTime: number;
}

/** V; what a body diode drops where its data do not say. */
const BODY = 0.8;
const REFERENCE = 25;

/** One switch's loss at one load, of one phase: what it is by itself, and what a watt that its mate puts into it adds. */
interface Own {
  loss: number;
  perWatt: number;
  temperature: number;
  degreesPerWatt: number;
}

/**
 * Conduction and heat of one place, closed: a resistance that rises with its own heat gives a fixed point that is linear
 * in whatever else heats it. Runaway where the gain reaches one.
 */
function conduction(
  part: Mosfet,
  count: number,
  rms: number,
  gateVoltage: number,
  other: number,
  ambient: number,
): Own {
  const cold = (rms / count) ** 2 * resistanceAt(part, gateVoltage);
  const slope = part.onResistanceTemperature ?? 0;
  const thermal = part.thermalResistance ?? 0;
  const gain = cold * slope * thermal;
  if (gain >= 1) return { loss: Infinity, perWatt: 0, temperature: Infinity, degreesPerWatt: 0 };
  const each = other / count;
  const start = thermal > 0 ? 1 + slope * (ambient - REFERENCE + thermal * each) : 1;
  const own = (cold * Math.max(0, start)) / (1 - gain);
  const perWatt = gain / (1 - gain);
  return {
    loss: count * own + other,
    perWatt: 1 + perWatt,
    temperature: ambient + thermal * (own + each),
    degreesPerWatt: (thermal * (1 + perWatt)) / count,
  };
}

/**
 * Losses of a control switch by itself, W of one leg of one phase, `switching` those that go with the voltage it blocks;
 * what the mate's charges and body diode add comes by `perWatt`.
 */
function controlOwn(
  { part, count }: Counted,
  leg: LegStress,
  frequency: number,
  drive: Drive,
  ambient: number,
): Own & { gate: number; switching: number } {
  const { gateVoltage } = drive;
  let other = 0;
  let gate = 0;
  if (leg.switches) {
    const gateResistance = (part.gateResistance ?? 0) / count;
    const plateau = Math.min(part.plateauVoltage ?? gateVoltage / 2, gateVoltage * 0.9);
    const charge = ((part.postThresholdGateCharge ?? 0) + (part.gateDrainCharge ?? 0)) * count;
    const on = (charge * (drive.pullUp + gateResistance)) / (gateVoltage - plateau);
    const off = (charge * (drive.pullDown + gateResistance)) / plateau;
    other += frequency * 0.5 * leg.blocking * (Math.max(0, leg.on) * on + Math.max(0, leg.off) * off);
    other += frequency * 0.5 * leg.charged * count * (outputChargeAt(part, leg.blocking) ?? 0);
    gate = frequency * Math.max(gateVoltage, leg.gateFrom ?? 0) * count * (gateChargeAt(part, gateVoltage) ?? 0);
  }
  return { ...conduction(part, count, leg.controlRms, gateVoltage, other, ambient), gate, switching: other };
}

function rectifierOwn(
  { part, count }: Counted,
  leg: LegStress,
  frequency: number,
  drive: Drive,
  ambient: number,
): Own & { gate: number; adds: number; higher: number } {
  const { gateVoltage, deadTime } = drive;
  let dead = 0;
  let gate = 0;
  let adds = 0;
  // the body diode's own drop stands across its mate as well
  const blocking = leg.bodyDrop > 0 ? leg.blocking - leg.bodyDrop + (part.bodyDiodeVoltage ?? BODY) : leg.blocking;
  if (leg.switches) {
    dead = frequency * deadTime * (part.bodyDiodeVoltage ?? BODY) * (Math.abs(leg.on) + Math.abs(leg.off));
    gate = frequency * Math.max(gateVoltage, leg.gateFrom ?? 0) * count * (gateChargeAt(part, gateVoltage) ?? 0);
    const more = leg.blocking > 0 ? blocking / leg.blocking : 1;
    adds =
      frequency *
      more *
      count *
      (0.5 * leg.charged * (outputChargeAt(part, blocking) ?? 0) +
        (leg.hard ? leg.blocking * (part.reverseRecoveryCharge ?? 0) : 0));
  }
  const higher = leg.blocking > 0 ? blocking / leg.blocking - 1 : 0;
  return { ...conduction(part, count, leg.rectifierRms, gateVoltage, dead, ambient), gate, adds, higher };
}

/** Every pair of a control and a synchronous switch, weighed at a load profile. */
export interface Pairs {
  controls: readonly Counted[];
  rectifiers: readonly Counted[];
  /** W of the whole stage over the profile, controls × rectifiers, row by row */
  loss: Float64Array;
  /** °C at the worst corner; the control switch is heated by its mate's charges */
  controlTemperature(control: number, rectifier: number): number;
  rectifierTemperature(rectifier: number): number;
}

/**
 * Ranks pairs: each switch is worked out once at every load, and a pair is a sum of both and of what the one's charges
 * heat in the other, which is linear. Source of the mechanisms: as in losses/, which solve settles exactly; here they are
 * taken at currents that another pair's resistances gave, which move by the order of the losses themselves.
 * @param profile loads with their shares, at which losses are weighed
 * @param corners at which temperatures are held to their limit
 */
export function rankPairs(
  controls: readonly Counted[],
  rectifiers: readonly Counted[],
  at: { profile: readonly StressAt[]; corners: readonly StressAt[]; drive: Drive; phases: number; ambient: number },
): Pairs {
  const { profile, corners, drive, phases, ambient } = at;
  const slots = profile.flatMap(({ legs, share, point }) =>
    legs.map((leg) => ({ leg, share, frequency: point.switchingFrequency })),
  );
  const count = slots.length;
  const own = new Float64Array(controls.length);
  const perWatt = new Float64Array(controls.length * count);
  // W for each volt that a mate's body diode drops: it stands across the control switch, and heats it by what it loses
  const perVolt = new Float64Array(controls.length);
  controls.forEach((control, i) => {
    slots.forEach(({ leg, share, frequency }, k) => {
      const found = controlOwn(control, leg, frequency, drive, ambient);
      own[i]! += share * (found.loss + found.gate);
      perWatt[i * count + k] = share * found.perWatt;
      if (leg.bodyDrop > 0) {
        const each = (share * found.perWatt * found.switching) / leg.blocking;
        perVolt[i]! += each;
        own[i]! -= each * leg.bodyDrop;
      }
    });
  });
  const second = new Float64Array(rectifiers.length);
  const adds = new Float64Array(rectifiers.length * count);
  const drops = rectifiers.map(({ part }) => part.bodyDiodeVoltage ?? BODY);
  rectifiers.forEach((rectifier, j) => {
    slots.forEach(({ leg, share, frequency }, k) => {
      const found = rectifierOwn(rectifier, leg, frequency, drive, ambient);
      second[j]! += share * (found.loss + found.gate);
      adds[j * count + k] = found.adds;
    });
  });
  const loss = new Float64Array(controls.length * rectifiers.length);
  for (let i = 0; i < controls.length; i += 1) {
    const from = i * count;
    for (let j = 0; j < rectifiers.length; j += 1) {
      let sum = own[i]! + second[j]! + perVolt[i]! * drops[j]!;
      const to = j * count;
      for (let k = 0; k < count; k += 1) sum += perWatt[from + k]! * adds[to + k]!;
      loss[i * rectifiers.length + j] = phases * sum;
    }
  }
  // each switch at the corners once, and only where it is asked for: pairs are sums again
  const hot = corners.flatMap(({ legs, point }) => legs.map((leg) => ({ leg, frequency: point.switchingFrequency })));
  const firsts: ReturnType<typeof controlOwn>[][] = [];
  const others: { heats: { adds: number; higher: number }[]; temperature: number }[] = [];
  const rectifierAt = (j: number): (typeof others)[number] => {
    let known = others[j];
    if (!known) {
      const all = hot.map(({ leg, frequency }) => rectifierOwn(rectifiers[j]!, leg, frequency, drive, ambient));
      known = {
        heats: all,
        temperature: Math.max(ambient, ...all.map(({ temperature }) => temperature)),
      };
      others[j] = known;
    }
    return known;
  };
  const controlTemperature = (i: number, j: number): number => {
    const first = (firsts[i] ??= hot.map(({ leg, frequency }) =>
      controlOwn(controls[i]!, leg, frequency, drive, ambient),
    ));
    const { heats } = rectifierAt(j);
    let hottest = ambient;
    for (let k = 0; k < first.length; k += 1) {
      const { temperature, degreesPerWatt, switching: own } = first[k]!;
      const { adds: charges, higher: part } = heats[k]!;
      const reached = temperature + degreesPerWatt * (charges + own * part);
      if (reached > hottest) hottest = reached;
    }
    return hottest;
  };
  return { controls, rectifiers, loss, controlTemperature, rectifierTemperature: (j) => rectifierAt(j).temperature };
}
