import {
  formatQuantity,
  parseQuantity,
  SCENARIOS,
  simulate,
  SimulationError,
  type Corner,
  type Design,
  type LoadStep,
  type Simulation,
  type SimulateOptions,
  type Unit,
} from '@yundro/core';
import { Refusal } from './shelf.ts';

/** What `simulate` was called with. */
export interface SimulateCall {
  scenario: string | undefined;
  at: Partial<Corner> | undefined;
  duration: string | undefined;
  duty: string | undefined;
  release: boolean;
  prebias: string | undefined;
  resistance: string | undefined;
  from: string | undefined;
  to: string | undefined;
  slew: string | undefined;
  waveforms: boolean;
  csv: boolean;
  json: boolean;
}

function quantity(name: string, text: string | undefined, unit: Unit): number | undefined {
  if (text === undefined) return undefined;
  const parsed = parseQuantity(text, unit);
  if (!parsed.ok) throw new Refusal(`--${name}: ${parsed.message}, expected ${parsed.expected}`);
  return parsed.value;
}

/** Another step of the load than the brief's: both its ends. */
function stepOf({ from, to, slew }: SimulateCall): LoadStep | undefined {
  const step = { from: quantity('from', from, 'A'), to: quantity('to', to, 'A') };
  if (step.from === undefined && step.to === undefined) {
    if (slew !== undefined) throw new Refusal('--slew: belongs to a step of its own, expected --from and --to with it');
    return undefined;
  }
  if (step.from === undefined) throw new Refusal('--from: absent, expected the load that --to is stepped to from');
  if (step.to === undefined) throw new Refusal('--to: absent, expected the load that is stepped to');
  return { from: step.from, to: step.to, slewRate: quantity('slew', slew, 'A/s') };
}

/** @throws Refusal where the call or the scenario cannot be */
export function simulateCommand(design: Design, call: SimulateCall): string {
  const scenario = SCENARIOS.find((one) => one === call.scenario);
  if (!scenario)
    throw new Refusal(
      `--scenario: ${call.scenario === undefined ? 'absent' : `"${call.scenario}" is not known`}, expected one of ${SCENARIOS.join(', ')}`,
    );
  const options: SimulateOptions = {
    scenario,
    at: call.at,
    duration: quantity('duration', call.duration, 's'),
    duty: quantity('duty', call.duty, call.duty?.includes('%') ? '%' : ''),
    step: stepOf(call),
    release: call.release,
    prebias: quantity('prebias', call.prebias, 'V'),
    resistance: quantity('resistance', call.resistance, 'Ω'),
    waveforms: call.waveforms && (call.csv || call.json),
  };
  let run: Simulation;
  try {
    run = simulate(design, options);
  } catch (error) {
    if (error instanceof SimulationError) throw new Refusal(error.message);
    throw error;
  }
  if (call.csv) return csvOf(run);
  return call.json ? `${JSON.stringify(run, null, 2)}\n` : describe(design, run);
}

/** The waveforms as a table, a row a place: both sides of every edge. */
function csvOf({ waveforms }: Simulation): string {
  if (!waveforms) throw new Refusal('--csv prints the waveforms, --no-waveforms leaves them out: expected one of both');
  const columns: [string, readonly number[]][] = [
    ['time (s)', waveforms.time],
    ['outputVoltage (V)', waveforms.outputVoltage],
    ...waveforms.inductorCurrent.map((list, k): [string, readonly number[]] => [`inductorCurrent${k + 1} (A)`, list]),
    ...waveforms.switchNode.map((list, k): [string, readonly number[]] => [`switchNode${k + 1} (V)`, list]),
    ['inputCurrent (A)', waveforms.inputCurrent],
    ...(waveforms.controlVoltage
      ? [['controlVoltage (V)', waveforms.controlVoltage] as [string, readonly number[]]]
      : []),
  ];
  const rows = [columns.map(([name]) => name).join(',')];
  for (let at = 0; at < waveforms.time.length; at += 1) rows.push(columns.map(([, list]) => list[at]).join(','));
  return `${rows.join('\r\n')}\r\n`;
}

function describe(
  design: Design,
  { scenario, duration, cycles, measurements, steadyState, warnings }: Simulation,
): string {
  const f = formatQuantity;
  const { outputVoltage: out } = measurements;
  const lines = [
    `${design.name}: ${scenario}, ${f(duration, 's')}, ${cycles} pulses, ${f(measurements.frequency, 'Hz')}`,
    '',
    `Output           ${f(out.average, 'V', { digits: 5 })} on average, ${f(out.min, 'V', { digits: 5 })} to ${f(out.max, 'V', { digits: 5 })}, ${f(out.peakToPeak, 'V')} p-p`,
    ...measurements.inductorCurrent.map(
      (at, k) =>
        `Inductor ${k + 1}       ${f(at.average, 'A')} on average, ${f(at.rms, 'A')} rms, ${f(at.min, 'A')} to ${f(at.max, 'A')}`,
    ),
    `Input current    ${f(measurements.inputCurrent.average, 'A')} on average`,
  ];
  const { undershoot, overshoot, settlingTime, peakInductorCurrent, release } = measurements;
  if (undershoot !== undefined) lines.push(`Undershoot       ${f(undershoot, 'V')}`);
  if (overshoot !== undefined) lines.push(`Overshoot        ${f(overshoot, 'V')}`);
  const settled = (after: number): string =>
    after === Infinity ? `not settled within ${f(duration, 's')}` : `settled after ${f(after, 's')}`;
  if (settlingTime !== undefined) lines.push(`Settling         ${settled(settlingTime)}`);
  if (peakInductorCurrent !== undefined) lines.push(`Inductor peak    ${f(peakInductorCurrent, 'A')}`);
  if (release)
    lines.push(
      `Back again       ${f(release.undershoot, 'V')} under, ${f(release.overshoot, 'V')} over, ${settled(release.settlingTime)}`,
    );
  if (steadyState?.growth !== undefined)
    lines.push(`A disturbance shrinks to ${f(steadyState.growth, '%')} of itself in a period`);
  if (warnings.length > 0) lines.push('', ...warnings.map(({ message }) => `! ${message}`));
  return `${lines.join('\n')}\n`;
}
