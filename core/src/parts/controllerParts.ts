import { formatQuantity, preferredDown, preferredNearest, preferredUp, type Unit } from '../quantity/index.ts';
import type { Controller, Converter } from '../shelf/part.ts';
import type { Result } from '../solve.ts';
import type { Brief } from '../design/schema.ts';
import { dividerPairs } from '../smallParts/smallParts.ts';
import { LIMIT_TOLERANCE } from '../control/protection.ts';

/** A small part that belongs to a controller, in a standard value, with what it gives. */
export interface SmallPart {
  name: string;
  value: number;
  unit: Unit;
  words: string;
}

/** V by which the bootstrap may sag in a period. Common practice, no source. */
const SAG = 0.15;
/** A through the divider at the enable input. Common practice, no source. */
const DIVIDER_CURRENT = 20e-6;
/** Part of the least input at which the stage is to have started. Common practice, no source. */
const STARTS_AT = 0.92;
/** Times the largest input current that a fuse is rated for, and what is sold. Source of the values: IEC 60127 (recalled from memory). */
const FUSE_ABOVE = 1.5;
const FUSES = [0.5, 0.63, 0.8, 1, 1.25, 1.6, 2, 2.5, 3.15, 4, 5, 6.3, 8, 10, 12.5, 16, 20, 25, 32, 40, 50, 63];
/** H of the loop that carries the switched current, well laid out. Common practice, no source. */
const LOOP = 3e-9;
/** Times the node's capacitance that a snubber's has. Common practice, no source. */
const SNUBBER = 3;
/** H of a gate's loop, driver beside the switch. Common practice, no source. */
const GATE_LOOP = 5e-9;

const V = (value: number): string => formatQuantity(value, 'V');
const A = (value: number): string => formatQuantity(value, 'A');

/** The small parts round a controller: what is not known of it brings none. */
export function smallPartsFor(
  brief: Brief,
  result: Result,
  controller: Partial<Controller> | Partial<Converter>,
): SmallPart[] {
  const { decisions, operatingPoints: points } = result;
  if (points.length === 0) return [];
  const found: SmallPart[] = [];
  const peak = Math.max(...points.map((point) => point.inductorCurrent.peak));
  const { currentLimitTolerance: within = LIMIT_TOLERANCE } = decisions.control;
  const { currentLimit: limit, softStart: rises } = decisions.control;
  const { currentSenseVoltage, softStartCurrent, referenceVoltage, softStart, enableThreshold, enableHysteresis } =
    controller;
  if (currentSenseVoltage !== undefined && limit !== undefined) {
    const value = preferredDown(currentSenseVoltage / limit, 'E24');
    const middle = currentSenseVoltage / value;
    const [low, high] = [middle * (1 - within), middle * (1 + within)];
    const { saturationCurrent } = decisions.inductor;
    const heat = Math.max(...points.map((point) => point.inductorCurrent.rms)) ** 2 * value;
    found.push({
      name: 'Current sense, one a phase',
      value,
      unit: 'Ω',
      words: `${V(currentSenseVoltage)} at ${A(middle)}; within ±${Math.round(within * 100)} % it limits from ${A(low)}, ${low > peak ? 'above' : 'BELOW'} the peak of ${A(peak)}, to ${A(high)}, ${high < saturationCurrent ? 'below' : 'ABOVE'} saturation at ${A(saturationCurrent)}; up to ${formatQuantity(heat, 'W')}`,
    });
  }
  const { outputVoltage } = brief;
  const charge =
    outputVoltage * decisions.outputCapacitors.reduce((sum, bank) => sum + bank.capacitance * bank.count, 0);
  if (
    softStart === 'capacitor' &&
    softStartCurrent !== undefined &&
    referenceVoltage !== undefined &&
    rises !== undefined
  ) {
    const value = preferredUp((softStartCurrent * rises) / referenceVoltage, 'E6');
    const time = (value * referenceVoltage) / softStartCurrent;
    found.push({
      name: 'Soft start',
      value,
      unit: 'F',
      words: `${formatQuantity(time, 's')} to the reference of ${V(referenceVoltage)}; the output bank takes ${A(charge / time)} meanwhile`,
    });
  }
  const { rippleInjection } = decisions.control;
  if (rippleInjection) {
    const { resistor, capacitor, coupling } = rippleInjection;
    found.push(
      { name: 'Ripple network, resistor', value: resistor, unit: 'Ω', words: 'from the switch node' },
      { name: 'Ripple network, capacitor', value: capacitor, unit: 'F', words: 'from the resistor to the output' },
      { name: 'Ripple network, coupling', value: coupling, unit: 'F', words: 'from between them to the divider’s tap' },
    );
  }
  found.push(...dividerOfValley(brief, result));
  const { gateCharge, count = 1 } = decisions.controlSwitch;
  const high = decisions.topology !== 'boost';
  if (high && gateCharge !== undefined) {
    const value = preferredUp((gateCharge * count) / SAG, 'E6');
    found.push({
      name: 'Bootstrap, one a phase',
      value,
      unit: 'F',
      words: `sags ${V((gateCharge * count) / value)} as it charges ${formatQuantity(gateCharge * count, 'C')}`,
    });
  }
  const starts = STARTS_AT * brief.inputVoltage.min;
  found.push(...gateResistors(result));
  if (enableThreshold !== undefined && starts > enableThreshold) {
    const bottom = preferredNearest(enableThreshold / DIVIDER_CURRENT, 'E96');
    const top = preferredNearest(bottom * (starts / enableThreshold - 1), 'E96');
    const ratio = 1 + top / bottom;
    const off = (enableThreshold - (enableHysteresis ?? 0)) * ratio;
    found.push(
      {
        name: 'Enable divider, top',
        value: top,
        unit: 'Ω',
        words: `starts at ${V(enableThreshold * ratio)}, stops at ${V(off)}`,
      },
      { name: 'Enable divider, bottom', value: bottom, unit: 'Ω', words: `${A(starts / (top + bottom))} at the start` },
    );
  }
  const drawn = Math.max(...points.map((point) => point.inputCurrent.average));
  const fuse = FUSES.find((rating) => rating >= FUSE_ABOVE * drawn);
  if (fuse !== undefined)
    found.push({
      name: 'Input fuse',
      value: fuse,
      unit: 'A',
      words: `${FUSE_ABOVE} × ${A(drawn)} at the least input, next rating; slow, close to the source, of a voltage rating above ${V(brief.inputVoltage.max)}`,
    });
  const { rectifier } = decisions;
  const stored = (rectifier.outputCharge ?? 0) * (rectifier.count ?? 1);
  const volts = Math.max(...points.map((point) => point.rectifier.blockingVoltage));
  if (stored > 0) {
    const node = stored / volts;
    const capacitance = preferredUp(SNUBBER * node, 'E6');
    const resistance = preferredNearest(Math.sqrt(LOOP / node), 'E12');
    const frequency = Math.max(...points.map((point) => point.switchingFrequency));
    found.push(
      {
        name: 'Snubber, capacitor',
        value: capacitance,
        unit: 'F',
        words: `${SNUBBER} × the node’s ${formatQuantity(node, 'F')}; would cost ${formatQuantity(capacitance * volts ** 2 * frequency * decisions.phases, 'W')}: fit it only if the node rings too high`,
      },
      {
        name: 'Snubber, resistor',
        value: resistance,
        unit: 'Ω',
        words: `for ringing at ${formatQuantity(1 / (2 * Math.PI * Math.sqrt(LOOP * node)), 'Hz')}, estimated from a loop of ${formatQuantity(LOOP, 'H')}: measure it and choose anew`,
      },
    );
  }
  return found;
}

/** The divider of a comparator that holds the valley, in resistors of one per cent. */
function dividerOfValley({ outputVoltage }: Brief, { decisions: { control, compensator } }: Result): SmallPart[] {
  const { dividerTop, dividerBottom } = compensator ?? {};
  if (control.method !== 'constant-on-time' || dividerTop === undefined || dividerBottom === undefined) return [];
  const valley = control.referenceVoltage * (1 + dividerTop / dividerBottom);
  const tolerance = { resistor: 0.01, reference: 0 };
  const [pair] = dividerPairs(
    valley,
    control.referenceVoltage,
    'E96',
    control.referenceVoltage / dividerBottom,
    tolerance,
  );
  if (!pair) return [];
  const words = `holds the valley at ${V(valley)}, for an average of ${V(outputVoltage)} in the middle over line and load`;
  return [
    { name: 'Divider, top', value: pair.top, unit: 'Ω', words },
    { name: 'Divider, bottom', value: pair.bottom, unit: 'Ω', words: 'from the tap to ground' },
  ];
}

/** A resistor at each gate, as large as keeps its loop from ringing beside what driver and gate already have. */
function gateResistors({ decisions }: Result): SmallPart[] {
  const { control, controlSwitch, rectifier } = decisions;
  const { gateVoltage, driverPullUpResistance: driver } = control;
  if (gateVoltage === undefined || driver === undefined) return [];
  const switches = [
    ['Gate resistor, control switch', controlSwitch],
    ...(rectifier.kind === 'synchronous' ? ([['Gate resistor, synchronous switch', rectifier]] as const) : []),
  ] as const;
  return switches.flatMap(([name, { gateCharge, gateResistance = 0 }]) => {
    if (gateCharge === undefined) return [];
    const capacitance = gateCharge / gateVoltage;
    const wanted = 2 * Math.sqrt(GATE_LOOP / capacitance);
    const value = Math.max(0, wanted - driver - gateResistance);
    const fitted = value < 0.5 ? 0 : preferredNearest(value, 'E12');
    const own = driver + gateResistance + fitted;
    return [
      {
        name,
        value: fitted,
        unit: 'Ω',
        words: `${formatQuantity(wanted, 'Ω')} keep ${formatQuantity(GATE_LOOP, 'H')} of loop and ${formatQuantity(capacitance, 'F')} of gate from ringing, driver and gate have ${formatQuantity(driver + gateResistance, 'Ω')}; ${fitted === 0 ? 'a bridge, kept as a place' : `the gate then takes ${formatQuantity(2.2 * own * capacitance, 's')}`}. More slows the edge and costs overlap`,
      },
    ];
  });
}
