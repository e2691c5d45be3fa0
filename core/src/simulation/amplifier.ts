import type { Decisions } from '../design/schema.ts';
import { zeros, type Vector } from '../numbers/linear.ts';
import { along, type Row } from './rows.ts';

/*
 * The error amplifier with its network by real parts. An amplifier has states of its own and stands in one of several
 * ways (linear, at a limit); each way is linear. Rows stand over all states of what is simulated, the constant last.
 */

export type CompensatorParts = NonNullable<Decisions['compensator']>;

/** Which way an amplifier stands: what it gives (a transconductance its most current, an op-amp its slew rate), and its output. */
export type AmplifierMode =
  'linear' | 'high' | 'low' | 'source' | 'sink' | 'source-high' | 'sink-low' | 'source-low' | 'sink-high';

/** A quantity that changes the amplifier's way as it rises through zero. */
export interface ModeEvent {
  row: Vector;
  to: AmplifierMode;
}

/** The amplifier in one way. */
export interface AmplifierPart {
  /** slopes of its states */
  slopes: Vector[];
  /** V, its output */
  control: Vector;
  events: ModeEvent[];
}

/** Where an amplifier finds what it needs among all states. */
export interface Wiring {
  size: number;
  /** the first of its own states */
  first: number;
  /** V at the input that what is sensed is held to */
  reference: Vector;
  /** V of what is regulated */
  sensed: Vector;
}

/** Part of a period below which a resistor in series with the lead capacitor is taken up to. */
const SHORTEST = 1e-4;

export interface Amplifier {
  states: number;
  /** V, the limits of its output */
  lowest: number;
  highest: number;
  assemble: (mode: AmplifierMode, wiring: Wiring) => AmplifierPart;
  /** gain for what changes within a period, its shunt apart */
  passes: number;
  /** its states with an output and a control voltage, V, and that voltage's average where it differs */
  rest: (output: number, reference: number, control: number, average?: number) => Vector;
}

/**
 * Takes an amplifier's output to its limits by the state that it follows most.
 * @param first of its states
 * @param row its output over all states
 * @param state is changed
 * @param most V by which a network may be moved; an output that is a state of its own always is
 */
export function takeWithin(amplifier: Amplifier, first: number, row: Row, state: Vector, most: number): void {
  const { at, of } = row;
  const control = along(row, state);
  const excess = control - Math.min(amplifier.highest, Math.max(amplifier.lowest, control));
  if (excess === 0 || (at.length > 1 && Math.abs(excess) > most)) return;
  let strongest = -1;
  for (let k = 0; k < at.length; k += 1)
    if (at[k]! >= first && at[k]! < first + amplifier.states && Math.abs(of[k]!) > Math.abs(of[strongest] ?? 0))
      strongest = k;
  if (strongest >= 0) state[at[strongest]!]! -= excess / of[strongest]!;
}

const plus = (row: Vector, other: Vector, times: number): Vector => {
  for (let k = 0; k < row.length; k += 1) row[k]! += times * other[k]!;
  return row;
};

function unit(size: number, at: number, value = 1): Vector {
  const row = zeros(size);
  row[at] = value;
  return row;
}

/** What both kinds have: the network's parts, absent ones open or short. */
interface Parts {
  top: number;
  /** S of the divider's lower resistor */
  bottom: number;
  /** the branch across the divider's top: Ω and F */
  lead: { resistance: number; capacitance: number } | undefined;
  /** Ω and F in series, F beside them */
  series: number;
  capacitance: number | undefined;
  shunt: number | undefined;
  lowest: number;
  highest: number;
}

function partsOf(given: CompensatorParts, period: number): Parts {
  const type = given.type ?? 1;
  const { inputCapacitor, inputResistor = 0 } = given;
  return {
    top: given.dividerTop ?? 10e3,
    bottom: given.dividerBottom === undefined ? 0 : 1 / given.dividerBottom,
    lead:
      type === 3 && inputCapacitor !== undefined
        ? {
            capacitance: inputCapacitor,
            resistance: Math.max(inputResistor, (SHORTEST * period) / inputCapacitor),
          }
        : undefined,
    series: type === 1 ? 0 : (given.feedbackResistor ?? 0),
    capacitance: given.feedbackCapacitor,
    shunt: type === 1 ? undefined : given.shuntCapacitor,
    lowest: given.outputMinimum ?? -Infinity,
    highest: given.outputMaximum ?? Infinity,
  };
}

export function amplifierOf(given: CompensatorParts, period: number): Amplifier {
  return given.amplifier === 'ota' ? transconductance(given, period) : operational(given, period);
}

/**
 * An operational amplifier: Zf from its output to the inverting node, Zi from what is sensed to it. Ideal, the node
 * stands at the reference; at a limit its output is a stiff source and the node floats where the network puts it.
 */
function operational(given: CompensatorParts, period: number): Amplifier {
  const parts = partsOf(given, period);
  const { gainBandwidth, openLoopGain = Infinity, slewRate = Infinity } = given;
  const real = gainBandwidth !== undefined;
  // states: shunt (or none), series capacitor, lead capacitor, output of a real amplifier
  const names = [
    ...(parts.shunt === undefined ? [] : ['shunt']),
    ...(parts.capacitance === undefined ? [] : ['series']),
    ...(parts.lead ? ['lead'] : []),
    ...(real ? ['output'] : []),
  ];
  const assemble = (mode: AmplifierMode, { size, first, reference, sensed }: Wiring): AmplifierPart => {
    const one = size - 1;
    const at = (name: string): number => first + names.indexOf(name);
    const state = (name: string): Vector => (names.includes(name) ? unit(size, at(name)) : zeros(size));
    const limit = mode === 'high' ? parts.highest : mode === 'low' ? parts.lowest : undefined;
    const stiff = real ? state('output') : limit === undefined ? undefined : unit(size, one, limit);
    let node: Vector;
    if (!stiff) node = reference.slice();
    else if (parts.shunt !== undefined) node = plus(stiff.slice(), state('shunt'), 1);
    else if (parts.series === 0) node = plus(stiff.slice(), state('series'), 1);
    else {
      // Kirchhoff's current law at the floating node
      const conductance =
        1 / parts.top + (parts.lead ? 1 / parts.lead.resistance : 0) + parts.bottom + 1 / parts.series;
      node = plus(zeros(size), sensed, 1 / parts.top);
      if (parts.lead) {
        plus(node, sensed, 1 / parts.lead.resistance);
        plus(node, state('lead'), -1 / parts.lead.resistance);
      }
      plus(node, stiff, 1 / parts.series);
      plus(node, state('series'), 1 / parts.series);
      for (let k = 0; k < size; k += 1) node[k]! /= conductance;
    }
    const over = plus(sensed.slice(), node, -1);
    const current = plus(zeros(size), over, 1 / parts.top);
    plus(current, node, -parts.bottom);
    const leadSlope = parts.lead && plus(over.slice(), state('lead'), -1);
    if (parts.lead && leadSlope) {
      plus(current, leadSlope, 1 / parts.lead.resistance);
      for (let k = 0; k < size; k += 1) leadSlope[k]! /= parts.lead.resistance * parts.lead.capacitance;
    }
    // through the series pair beside the shunt
    let inSeries: Vector;
    if (parts.shunt === undefined) inSeries = current;
    else {
      inSeries = plus(state('shunt'), state('series'), -1);
      if (parts.series > 0) for (let k = 0; k < size; k += 1) inSeries[k]! /= parts.series;
      else inSeries = zeros(size);
    }
    const control =
      stiff ??
      (parts.shunt === undefined
        ? plus(plus(node.slice(), state('series'), -1), current, -parts.series)
        : plus(node.slice(), state('shunt'), -1));
    const slopes: Vector[] = [];
    const put = (name: string, row: Vector): void => void (names.includes(name) && (slopes[names.indexOf(name)] = row));
    if (parts.shunt !== undefined) {
      const rest = plus(current.slice(), inSeries, -1);
      put(
        'shunt',
        rest.map((value) => value / parts.shunt!),
      );
    }
    if (parts.capacitance !== undefined)
      put(
        'series',
        inSeries.map((value) => value / parts.capacitance!),
      );
    if (leadSlope) put('lead', leadSlope);
    const events: ModeEvent[] = [];
    const error = plus(reference.slice(), node, -1);
    if (real) {
      const own = plus(error.slice(), state('output'), -1 / openLoopGain).map(
        (value) => 2 * Math.PI * gainBandwidth * value,
      );
      put(
        'output',
        limit !== undefined
          ? zeros(size)
          : mode === 'source'
            ? unit(size, one, slewRate)
            : mode === 'sink'
              ? unit(size, one, -slewRate)
              : own,
      );
      if (limit === undefined && Number.isFinite(slewRate)) {
        const slewing = (sign: 1 | -1): Vector =>
          plus(
            own.map((value) => sign * value),
            unit(size, one),
            -slewRate,
          );
        const falls = (row: Vector): Vector => row.map((value) => -value);
        if (mode === 'source') events.push({ row: falls(slewing(1)), to: 'linear' });
        else if (mode === 'sink') events.push({ row: falls(slewing(-1)), to: 'linear' });
        else events.push({ row: slewing(1), to: 'source' }, { row: slewing(-1), to: 'sink' });
      }
    }
    const beyond = (sign: 1 | -1, to: AmplifierMode, end: number): void => {
      if (!Number.isFinite(end)) return;
      const row = control.map((value) => sign * value);
      row[one]! -= sign * end;
      events.push({ row, to });
    };
    if (limit === undefined) {
      beyond(1, 'high', parts.highest);
      beyond(-1, 'low', parts.lowest);
    } else {
      const row = error.map((value) => (mode === 'high' ? -value : value));
      // one of finite gain is held at a limit by its own output as well: left at the crossing itself it would be met again
      if (real) row[one]! -= Math.max(0, (mode === 'high' ? -limit : limit) / openLoopGain);
      events.push({ row, to: 'linear' });
    }
    return { slopes, control, events };
  };
  const rest = (output: number, reference: number, control: number, average = control): Vector => {
    const values: Record<string, number> = {
      shunt: reference - control,
      series: parts.capacitance === undefined ? 0 : reference - average,
      lead: output - reference,
      output: control,
    };
    return names.map((name) => values[name]!);
  };
  return {
    states: names.length,
    lowest: parts.lowest,
    highest: parts.highest,
    passes: parts.series / parts.top,
    assemble,
    rest,
  };
}

/**
 * A transconductance amplifier: a current gm·(reference − tap) into Zf to ground, within its limit; at a limit of its
 * output the excess is drained.
 */
function transconductance(given: CompensatorParts, period: number): Amplifier {
  const parts = partsOf(given, period);
  const gm = given.transconductance ?? 1e-3;
  const most = given.outputCurrentLimit ?? Infinity;
  const names = [
    ...(parts.shunt === undefined ? [] : ['shunt']),
    ...(parts.capacitance === undefined ? [] : ['series']),
    ...(parts.lead ? ['lead'] : []),
  ];
  const assemble = (mode: AmplifierMode, { size, first, reference, sensed }: Wiring): AmplifierPart => {
    const one = size - 1;
    const state = (name: string): Vector =>
      names.includes(name) ? unit(size, first + names.indexOf(name)) : zeros(size);
    const tap = plus(zeros(size), sensed, 1 / parts.top);
    let conductance = 1 / parts.top + parts.bottom;
    if (parts.lead) {
      plus(tap, sensed, 1 / parts.lead.resistance);
      plus(tap, state('lead'), -1 / parts.lead.resistance);
      conductance += 1 / parts.lead.resistance;
    }
    for (let k = 0; k < size; k += 1) tap[k]! /= conductance;
    const asked = plus(reference.slice(), tap, -1).map((value) => gm * value);
    const source = mode.startsWith('source');
    const sink = mode.startsWith('sink');
    const current = source ? unit(size, one, most) : sink ? unit(size, one, -most) : asked;
    const end = mode.endsWith('high') ? parts.highest : mode.endsWith('low') ? parts.lowest : undefined;
    const free = parts.shunt === undefined ? plus(state('series'), current, parts.series) : state('shunt');
    const control = end === undefined ? free : unit(size, one, end);
    // into the series pair: what its resistor takes, or all of it where nothing stands beside it
    const through =
      parts.capacitance === undefined
        ? parts.series > 0
          ? control.map((value) => value / parts.series)
          : zeros(size)
        : parts.series > 0 && (parts.shunt !== undefined || end !== undefined)
          ? plus(control.slice(), state('series'), -1).map((value) => value / parts.series)
          : end !== undefined
            ? zeros(size)
            : current;
    const slopes: Vector[] = [];
    const put = (name: string, row: Vector): void => void (names.includes(name) && (slopes[names.indexOf(name)] = row));
    if (parts.shunt !== undefined)
      put(
        'shunt',
        end === undefined ? plus(current.slice(), through, -1).map((value) => value / parts.shunt!) : zeros(size),
      );
    if (parts.capacitance !== undefined)
      put(
        'series',
        through.map((value) => value / parts.capacitance!),
      );
    if (parts.lead) {
      const { resistance, capacitance } = parts.lead;
      put(
        'lead',
        plus(plus(sensed.slice(), tap, -1), state('lead'), -1).map((value) => value / (resistance * capacitance)),
      );
    }
    const events: ModeEvent[] = [];
    const where = end === undefined ? '' : mode.endsWith('high') ? 'high' : 'low';
    const way = (now: 'source' | 'sink' | ''): AmplifierMode =>
      now === '' ? where || 'linear' : where === '' ? now : `${now}-${where}`;
    const shifted = (row: Vector, sign: 1 | -1, by: number): Vector => {
      const moved = row.map((value) => sign * value);
      moved[one]! += by;
      return moved;
    };
    if (Number.isFinite(most)) {
      if (source) events.push({ row: shifted(asked, -1, most), to: way('') });
      else if (sink) events.push({ row: shifted(asked, 1, most), to: way('') });
      else
        events.push(
          { row: shifted(asked, 1, -most), to: way('source') },
          { row: shifted(asked, -1, -most), to: way('sink') },
        );
    }
    const base: AmplifierMode = source ? 'source' : sink ? 'sink' : 'linear';
    if (end === undefined) {
      const to = (name: 'high' | 'low'): AmplifierMode =>
        base === 'linear' ? name : (`${base}-${name}` as AmplifierMode);
      if (Number.isFinite(parts.highest)) events.push({ row: shifted(control, 1, -parts.highest), to: to('high') });
      if (Number.isFinite(parts.lowest)) events.push({ row: shifted(control, -1, parts.lowest), to: to('low') });
    } else {
      // it leaves the limit when its current no longer presses on it
      const sign = where === 'high' ? 1 : -1;
      const row =
        parts.shunt === undefined && parts.capacitance !== undefined && parts.series > 0
          ? shifted(free, sign === 1 ? -1 : 1, sign * end)
          : plus(through.slice(), current, -1).map((value) => sign * value);
      events.push({ row, to: base });
    }
    return { slopes, control, events };
  };
  const rest = (output: number, _: number, control: number): Vector => {
    const tap = output / (1 + parts.top * parts.bottom);
    const values: Record<string, number> = { shunt: control, series: control, lead: output - tap };
    return names.map((name) => values[name]!);
  };
  return {
    states: names.length,
    lowest: parts.lowest,
    highest: parts.highest,
    passes: gm * parts.series,
    assemble,
    rest,
  };
}
