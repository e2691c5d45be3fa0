import type { Brief } from '../design/schema.ts';
import { formatQuantity, preferredNearest } from '../quantity/index.ts';
import type { CompleteDecisions, InjectionNetwork } from '../design/complete.ts';
import { rectifies } from '../topology/ofDesign.ts';
import type { CapacitorBank } from '../design/schema.ts';
import { lumped, type Lumped } from '../estimates/outputBank.ts';
import { bankImpedance } from '../network/impedance.ts';
import { dividerCurrent } from './compensator.ts';

/*
 * Ripple for a constant on-time comparator. A bank whose ESR·C is above half the on-time shows it the inductor's ripple;
 * one of ceramics shows it its charge, a quarter of a period late, and pulses come in bursts. Source: the condition by
 * Ridley and by Redl and Sun on ripple-based control; recalled from memory.
 */

/**
 * Resistance and capacitance that the inductor's ripple meets in banks of several kinds: what its frequency sees of them, or
 * a can beside ceramics would pass for the ripple that they keep from the comparator.
 */
function asSeen(banks: readonly CapacitorBank[], frequency: number): Lumped {
  const speed = 2 * Math.PI * frequency;
  // what their inductance adds at an edge is no slope that a comparator could wait for
  const [resistance, reactance] = bankImpedance(
    banks.map((bank) => ({ ...bank, esl: 0 })),
    speed,
  );
  return { resistance, capacitance: -1 / (speed * reactance) };
}

/** V of ripple at the comparator that it wants. Common practice, no source. */
const RIPPLE = 0.02;
/** Times that the divider's resistance stands above the capacitor's reactance at the clock, so that the ramp is the capacitor's. Our own. */
const STIFF = 20;
/** Part of the on-time that R·C of the network leaves of L·C of the stage. Our own: the bound is a half. */
const LEAD = 0.75;
/** R·C over L·C and the clock's frequency, at least, where the current rests: bursts begin at about 0.35, found by simulation. Our own. */
const GENTLE = 0.5;
/** Part of the clock’s frequency at which such a loop crosses over at most, where it does. Our own, below what is held against it. */
const CROSSES = 0.17;
/** Times half the on-time that a bank's ESR·C has at least where its own ripple is to do. Our own: the bound is one. */
const SHOWS = 1.2;
/** The coupling capacitor over the other. Common practice, no source. */
const COUPLED = 5;
/** Ω of the divider's top where none is said. */
const TOP = 10e3;

/** Parts, as they are made, that give the comparator its ripple where an on-time drives the node. */
export function injectionFor(
  { outputVoltage }: Pick<Brief, 'outputVoltage'>,
  decisions: CompleteDecisions,
  inputVoltage: number,
  onTime: number,
): InjectionNetwork {
  const { switchingFrequency, compensator, control, inductor, outputCapacitors } = decisions;
  const top = compensator?.dividerTop ?? TOP;
  const share = Math.min(1, control.referenceVoltage / outputVoltage);
  const seen = compensator?.dividerBottom === undefined ? top * share : 1 / (1 / top + 1 / compensator.dividerBottom);
  const capacitor = preferredNearest(STIFF / (2 * Math.PI * switchingFrequency * seen), 'E12');
  const coupling = preferredNearest(COUPLED * capacitor, 'E12');
  const product = productFor(Math.max(1e-3, inputVoltage - outputVoltage) * onTime, {
    onTime,
    switchingFrequency,
    inductance: inductor.inductance,
    capacitance: asSeen(outputCapacitors, switchingFrequency).capacitance,
    rests: rectifies(decisions),
  });
  const resistor = preferredNearest(product / capacitor, 'E24');
  return { resistor, capacitor, coupling };
}

/**
 * s, R·C of the network. It adds the ripple that the comparator wants, but leads that of the bank's own charge as an ESR of
 * L/(R·C) would; and where the current comes to rest the network has lost some of its charge by the end of a pulse, which
 * the bank's has to outweigh, or another pulse follows at once.
 * @param across V·s of the inductor in an on-time
 */
function productFor(
  across: number,
  by: { onTime: number; switchingFrequency: number; inductance: number; capacitance: number; rests: boolean },
): number {
  const squared = by.inductance * by.capacitance;
  const gentle = by.rests ? squared * GENTLE * by.switchingFrequency : 0;
  const wanted = Math.min(Math.max(across / RIPPLE, gentle), squared / (LEAD * by.onTime));
  // up to half the clock's frequency such a loop crosses over at R·C over 2π·L·C, beyond it nowhere
  const crossing = 2 * Math.PI * squared * by.switchingFrequency;
  return wanted < crossing / 2 ? Math.min(wanted, CROSSES * crossing) : wanted;
}

/** Part of the reference by which valley control may hold the output high, at most; where the comparator's ripple alone lifts it further over a wide input, which no capacitor changes, times that. Our own: the accuracy that is usually asked of a rail. */
const MOST_LIFT = 0.02;
const OF_LEAST = 1.2;
/** Part of the load at which the current would no longer rest, up to which a stage counts as one that always does. Our own. */
const RESTS = 0.9;

/**
 * V by which the tap's average stands above its valley: half of what is added, and of the bank's own charge, which the
 * network hands on undivided.
 * @param across V·s of the inductor in an on-time
 */
function liftOf(
  across: number,
  by: { product: number; switchingFrequency: number; inductance: number; bank: Lumped },
): number {
  const { product, switchingFrequency, inductance, bank } = by;
  return (across / product + across / inductance / (8 * switchingFrequency * bank.capacitance)) / 2;
}

/**
 * Whether the current comes to rest in every period, at full load and every input: then a pulse's whole charge is in the
 * bank before the next, its voltage only falls until then, and a ripple added would bring bursts and cure none.
 */
function alwaysRests(
  { outputVoltage, inputVoltage, outputCurrent }: Brief,
  { rests, inductance, onTimeAt }: { rests: boolean; inductance: number; onTimeAt: (volts: number) => number },
): boolean {
  const ripples = [inputVoltage.min, inputVoltage.max].map(
    (volts) => (Math.max(0, volts - outputVoltage) * onTimeAt(volts)) / inductance,
  );
  return rests && outputCurrent.max < (RESTS * Math.min(...ripples)) / 2;
}

/**
 * How much of the lift that is allowed the ripple that a bank asks for brings, at the highest input; 0 where the bank’s
 * own is enough.
 */
export function liftUsed(
  brief: Brief,
  control: CompleteDecisions['control'],
  switchingFrequency: number,
  inductance: number,
  rests: boolean,
  banks: readonly CapacitorBank[],
): number {
  const { outputVoltage, inputVoltage } = brief;
  const bank = asSeen(banks, switchingFrequency);
  const onTimeAt = (volts: number): number => control.onTime ?? outputVoltage / (volts * switchingFrequency);
  if (showsEnough(bank, onTimeAt(inputVoltage.min)) || alwaysRests(brief, { rests, inductance, onTimeAt })) return 0;
  const across = (volts: number): number => Math.max(0, volts - outputVoltage) * onTimeAt(volts);
  const [least, most] = [across(inputVoltage.min), across(inputVoltage.max)].sort((a, b) => a - b) as [number, number];
  const onTime = onTimeAt(inputVoltage.min);
  const { capacitance } = bank;
  const product = productFor(least, { onTime, switchingFrequency, inductance, capacitance, rests });
  const alone = (most * RIPPLE) / least / 2;
  const usual = MOST_LIFT * control.referenceVoltage;
  // no bulk beside ceramics takes that down: they keep its ripple from the comparator
  const allowed = alone < usual ? usual : OF_LEAST * alone;
  return liftOf(most, { product, switchingFrequency, inductance, bank }) / allowed;
}

const showsEnough = ({ resistance, capacitance }: Lumped, onTime: number): boolean =>
  resistance * capacitance > (SHOWS * onTime) / 2;

/**
 * V by which valley control holds the output above its comparator's valley at the ends of line and load: half of what the
 * comparator sees, or half of the bank's own ripple where that is what it sees. Where the current rests for long the network
 * has let go of what it added, and only the bank's charge is left.
 */
function liftsOf(brief: Brief, decisions: CompleteDecisions, network: InjectionNetwork | undefined): number[] {
  const { outputVoltage, inputVoltage } = brief;
  const { control, switchingFrequency, outputCapacitors, inductor } = decisions;
  const { inductance } = inductor;
  // the whole of its ripple, of a bulk and of ceramics, lifts the average, and slow charge goes into all of it
  const bank = lumped(outputCapacitors);
  const atClock = asSeen(outputCapacitors, switchingFrequency);
  return [inputVoltage.min, inputVoltage.max].flatMap((volts) => {
    const onTime = control.onTime ?? outputVoltage / (volts * switchingFrequency);
    const across = Math.max(0, volts - outputVoltage) * onTime;
    const swing = across / inductance;
    // of a pulse that is over before the next the bank has its whole charge, else the triangle that its resistance shows
    const pulse = ((swing / 2) * (onTime + across / outputVoltage)) / bank.capacitance / 2;
    const rests = (load: number): boolean => rectifies(decisions) && load < swing / 2;
    const going = (): number => {
      if (!network) return (swing * bank.resistance) / 2;
      const product = network.resistor * network.capacitor;
      const seen = liftOf(across, { product, switchingFrequency, inductance, bank: atClock });
      return (seen * outputVoltage) / Math.min(control.referenceVoltage, outputVoltage);
    };
    return [brief.outputCurrent.min, brief.outputCurrent.max].map((load) => (rests(load) ? pulse : going()));
  });
}

/**
 * Ω of the divider, so that the output's average is what is wanted in the middle of what valley control adds over line and
 * load: it holds the valley. Common practice, no source.
 */
export function dividerOf(
  brief: Brief,
  decisions: CompleteDecisions,
  network: InjectionNetwork | undefined,
): { value: { dividerTop: number; dividerBottom: number }; rule: string } | undefined {
  const { outputVoltage } = brief;
  const lifts = liftsOf(brief, decisions, network);
  const [least, most] = [Math.min(...lifts), Math.max(...lifts)];
  const middle = (least + most) / 2;
  const ratio = decisions.control.referenceVoltage / (outputVoltage - middle);
  if (!(ratio > 0 && ratio < 1)) return undefined;
  // what the network couples into is its own; the comparator alone sees a divider of any size
  const light = preferredNearest((outputVoltage - decisions.control.referenceVoltage) / dividerCurrent(brief), 'E96');
  const dividerTop = decisions.compensator?.dividerTop ?? (network ? TOP : Math.max(TOP, light));
  return {
    value: { dividerTop, dividerBottom: Number(((dividerTop * ratio) / (1 - ratio)).toPrecision(12)) },
    rule: `the comparator holds the valley: for the output’s average it is set ${formatQuantity(middle / outputVoltage, '%', { digits: 2 })} low, the middle over line and load, which leaves ±${formatQuantity((most - least) / 2 / outputVoltage, '%', { digits: 2 })}`,
  };
}

/** The network for a bank; undefined where the bank's own ripple is enough at every input and none is wanted. */
export function chooseInjection(
  brief: Brief,
  decisions: CompleteDecisions,
  wanted: boolean,
): { value: InjectionNetwork; rule: string } | undefined {
  const { outputVoltage, inputVoltage } = brief;
  const { control, switchingFrequency, outputCapacitors } = decisions;
  const onTimeAt = (volts: number): number => control.onTime ?? outputVoltage / (volts * switchingFrequency);
  const bank = asSeen(outputCapacitors, switchingFrequency);
  const { inductance } = decisions.inductor;
  const always = alwaysRests(brief, { rests: rectifies(decisions), inductance, onTimeAt });
  const enough = always || showsEnough(bank, onTimeAt(inputVoltage.min));
  if (enough && !wanted) return undefined;
  // the least is where the on-time drives it least
  const least = [inputVoltage.min, inputVoltage.max].reduce((a, b) =>
    (b - outputVoltage) * onTimeAt(b) < (a - outputVoltage) * onTimeAt(a) ? b : a,
  );
  const value = injectionFor(brief, decisions, least, onTimeAt(least));
  const added = ((least - outputVoltage) * onTimeAt(least)) / (value.resistor * value.capacitor);
  return {
    value,
    rule: `${enough ? '' : 'ESR·C of the bank is below half the on-time: '}${formatQuantity(added, 'V', { digits: 2 })} of the inductor’s ripple is added at ${formatQuantity(least, 'V')}, to lead that of the bank’s charge`,
  };
}
