import {
  formatQuantity,
  loop,
  NETWORK_PARTS,
  optimiseNetwork,
  parseQuantity,
  SimulationError,
  type Corner,
  type Design,
  type LoopResult,
  type Objective,
  type Optimised,
  type Unit,
} from '@yundro/core';
import { Refusal } from './shelf.ts';

/** What `loop` was called with. */
export interface LoopCall {
  at: Partial<Corner> | undefined;
  frequencies: string | undefined;
  exact: boolean;
  csv: boolean;
  json: boolean;
  /** what a network is sought for; the design's own is judged where absent */
  search: string | undefined;
}

const MOST_FREQUENCIES = 100_000;

function frequenciesOf(text: string | undefined): number[] | undefined {
  if (text === undefined) return undefined;
  const list = text.split(',').map((part) => {
    const parsed = parseQuantity(part, 'Hz');
    if (!parsed.ok) throw new Refusal(`--frequencies: ${parsed.message}, expected ${parsed.expected}`);
    if (!(parsed.value > 0)) throw new Refusal(`--frequencies: ${part.trim()}, expected a frequency above 0`);
    return parsed.value;
  });
  if (list.length > MOST_FREQUENCIES)
    throw new Refusal(`--frequencies: ${list.length} of them, expected at most ${MOST_FREQUENCIES}`);
  return list;
}

/** @throws Refusal where the call or the loop cannot be */
export function loopCommand(design: Design, call: LoopCall): string {
  if (call.search !== undefined) return searched(design, call.search, call.json);
  const frequencies = frequenciesOf(call.frequencies);
  let result: LoopResult;
  try {
    result = loop(design, { at: call.at, frequencies, exact: call.exact });
  } catch (error) {
    if (error instanceof SimulationError) throw new Refusal(error.message);
    throw error;
  }
  if (call.csv) return csvOf(result);
  return call.json ? `${JSON.stringify(result, null, 2)}\n` : describe(design, result);
}

function csvOf({ response, plant, compensator, outputImpedance, inputImpedance, exactResponse }: LoopResult): string {
  const columns: [string, readonly number[]][] = [
    ['frequency (Hz)', response.frequency],
    ['loop gain (dB)', response.gain],
    ['loop phase (deg)', response.phase],
    ['plant gain (dB)', plant.gain],
    ['plant phase (deg)', plant.phase],
    ['compensator gain (dB)', compensator.gain],
    ['compensator phase (deg)', compensator.phase],
    ['output impedance (Ohm)', outputImpedance.magnitude],
    ['input impedance (Ohm)', inputImpedance.magnitude],
    ['input impedance (deg)', inputImpedance.phase],
    ...(exactResponse
      ? ([
          ['exact gain (dB)', exactResponse.gain],
          ['exact phase (deg)', exactResponse.phase],
        ] as [string, readonly number[]][])
      : []),
  ];
  const rows = [columns.map(([name]) => name).join(',')];
  for (let at = 0; at < response.frequency.length; at += 1) rows.push(columns.map(([, list]) => list[at]).join(','));
  return `${rows.join('\r\n')}\r\n`;
}

const OBJECTIVES: Readonly<Record<Objective, readonly [name: string, unit: Unit]>> = {
  bandwidth: ['slowest crossover', 'Hz'],
  impedance: ['highest output impedance', 'Ω'],
  step: ['largest predicted dip', 'V'],
};

/** A network sought for an objective, with what it does at its worst corner of line, load and parts. */
function searched(design: Design, objective: string, json: boolean): string {
  if (!(objective in OBJECTIVES))
    throw new Refusal(`--search: ${objective}, expected ${Object.keys(OBJECTIVES).join(', ')}`);
  let found: Optimised;
  try {
    const going = optimiseNetwork(design, objective as Objective);
    let step = going.next();
    while (!step.done) step = going.next();
    found = step.value;
  } catch (error) {
    if (error instanceof SimulationError) throw new Refusal(error.message);
    throw error;
  }
  if (json) return `${JSON.stringify({ format: 'yundro-network', version: 1, ...found }, null, 2)}\n`;
  const [name, unit] = OBJECTIVES[objective as Objective];
  const f = formatQuantity;
  const least = (of: (corner: Optimised['corners'][number]) => number | null): number =>
    Math.min(...found.corners.map((corner) => of(corner) ?? Infinity));
  const lines = [
    found.holds
      ? `${design.name}: the ${name} over ${found.corners.length} corners goes from ${f(found.before, unit)} to ${f(found.value, unit)}`
      : `${design.name}: no network of this type holds the usual margins at all ${found.corners.length} corners; the nearest`,
    '',
    ...NETWORK_PARTS.flatMap(([key, label, of]) => {
      const value = found.compensator[key];
      return typeof value === 'number' ? [`${label.padEnd(19)}${f(value, of)}`] : [];
    }),
    '',
    `Phase margin at least ${least(({ phaseMargin }) => phaseMargin).toFixed(1)}°, gain margin at least ${Number.isFinite(least(({ gainMargin }) => gainMargin)) ? `${least(({ gainMargin }) => gainMargin).toFixed(1)} dB` : 'without end'}`,
    ...found.without.map(
      ({ corner, parts, message }) =>
        `! ${f(corner.inputVoltage, 'V')}, ${f(corner.outputCurrent, 'A')}, ${parts}: ${message}`,
    ),
  ];
  return `${lines.join('\n')}\n`;
}

function describe(design: Design, result: LoopResult): string {
  const f = formatQuantity;
  const degrees = (value: number | null): string => (value === null ? 'none' : `${value.toFixed(1)}°`);
  const decibels = (value: number | null): string =>
    value === null
      ? 'none: the phase does not reach −180° below half the switching frequency'
      : `${value.toFixed(1)} dB`;
  const { vectorMargin, exactResponse, outputImpedance, inputImpedance } = result;
  const worst = outputImpedance.magnitude.reduce((at, value, k, all) => (value > all[at]! ? k : at), 0);
  const lines = [
    `${design.name}: loop at ${f(result.inputVoltage, 'V')} in, ${f(result.outputCurrent, 'A')} out, ${result.conductionMode}, ${result.model === 'averaged' ? 'averaged model' : 'of the switching circuit'}`,
    '',
    `Crossover        ${result.crossoverFrequency === null ? 'none' : f(result.crossoverFrequency, 'Hz')}`,
    `Phase margin     ${degrees(result.phaseMargin)}`,
    `Gain margin      ${decibels(result.gainMargin)}`,
    `Nearest to −1    ${vectorMargin.distance.toFixed(2)} at ${f(vectorMargin.frequency, 'Hz')}`,
    `Input impedance  ${f(Math.min(...inputImpedance.magnitude), 'Ω')} at least`,
    `Output impedance ${f(outputImpedance.magnitude[worst]!, 'Ω')} at most, at ${f(outputImpedance.frequency[worst]!, 'Hz')}`,
  ];
  if (exactResponse)
    lines.push(
      '',
      `On the switching circuit: crossover ${exactResponse.crossoverFrequency === null ? 'none' : f(exactResponse.crossoverFrequency, 'Hz')}, phase margin ${degrees(exactResponse.phaseMargin)}, gain margin ${decibels(exactResponse.gainMargin)}`,
    );
  if (result.growth !== undefined)
    lines.push(
      `A disturbance ${result.growth > 1 ? 'grows' : 'shrinks'} to ${f(result.growth, '%')} of itself in a period`,
    );
  if (result.warnings.length > 0) lines.push('', ...result.warnings.map(({ message }) => `! ${message}`));
  return `${lines.join('\n')}\n`;
}
