import {
  formatQuantity,
  loop,
  parseQuantity,
  SimulationError,
  type Corner,
  type Design,
  type LoopResult,
} from '@yundro/core';
import { Refusal } from './shelf.ts';

/** What `loop` was called with. */
export interface LoopCall {
  at: Partial<Corner> | undefined;
  frequencies: string | undefined;
  exact: boolean;
  csv: boolean;
  json: boolean;
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

function csvOf({ response, plant, compensator, outputImpedance, exactResponse }: LoopResult): string {
  const columns: [string, readonly number[]][] = [
    ['frequency (Hz)', response.frequency],
    ['loop gain (dB)', response.gain],
    ['loop phase (deg)', response.phase],
    ['plant gain (dB)', plant.gain],
    ['plant phase (deg)', plant.phase],
    ['compensator gain (dB)', compensator.gain],
    ['compensator phase (deg)', compensator.phase],
    ['output impedance (Ohm)', outputImpedance.magnitude],
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

function describe(design: Design, result: LoopResult): string {
  const f = formatQuantity;
  const degrees = (value: number | null): string => (value === null ? 'none' : `${value.toFixed(1)}°`);
  const decibels = (value: number | null): string =>
    value === null
      ? 'none: the phase does not reach −180° below half the switching frequency'
      : `${value.toFixed(1)} dB`;
  const { vectorMargin, exactResponse, outputImpedance } = result;
  const worst = outputImpedance.magnitude.reduce((at, value, k, all) => (value > all[at]! ? k : at), 0);
  const lines = [
    `${design.name}: loop at ${f(result.inputVoltage, 'V')} in, ${f(result.outputCurrent, 'A')} out, ${result.conductionMode}, ${result.model === 'averaged' ? 'averaged model' : 'of the switching circuit'}`,
    '',
    `Crossover        ${result.crossoverFrequency === null ? 'none' : f(result.crossoverFrequency, 'Hz')}`,
    `Phase margin     ${degrees(result.phaseMargin)}`,
    `Gain margin      ${decibels(result.gainMargin)}`,
    `Nearest to −1    ${vectorMargin.distance.toFixed(2)} at ${f(vectorMargin.frequency, 'Hz')}`,
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
