import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import type { StepQuantity } from '../step/quantities.ts';
import { assessTargets, type Target } from '../verdict/target.ts';
import { SimulationError } from './law.ts';
import { simulating } from './simulate.ts';

/** The brief's load step there and back at one input, simulated: V and s, the worse of both ways. */
export interface SteppedPoint extends Corner {
  undershoot: number;
  overshoot: number;
  settlingTime: number;
}

/** The step at the lowest, nominal and highest input, one after another; nothing where the brief asks for none. */
export function* steppedPoints(
  design: Design,
): Generator<{ part: number; soFar: SteppedPoint[] }, { points: SteppedPoint[]; trouble?: string }> {
  const { loadStep, inputVoltage } = design.brief;
  const points: SteppedPoint[] = [];
  if (!loadStep) return { points };
  const inputs = [...new Set([inputVoltage.min, inputVoltage.nominal, inputVoltage.max])];
  for (const volts of inputs) {
    try {
      const going = simulating(design, {
        scenario: 'load-step',
        at: { inputVoltage: volts },
        release: true,
        waveforms: false,
      });
      let step = going.next();
      for (; !step.done; step = going.next())
        yield { part: (points.length + step.value.part) / inputs.length, soFar: points.slice() };
      const { measurements: m } = step.value;
      points.push({
        inputVoltage: volts,
        outputCurrent: Math.max(loadStep.from, loadStep.to),
        undershoot: Math.max(m.undershoot ?? 0, m.release?.undershoot ?? 0),
        overshoot: Math.max(m.overshoot ?? 0, m.release?.overshoot ?? 0),
        settlingTime: Math.max(m.settlingTime ?? 0, m.release?.settlingTime ?? 0),
      });
    } catch (error) {
      if (!(error instanceof SimulationError)) throw error;
      return { points: [], trouble: error.message };
    }
    yield { part: points.length / inputs.length, soFar: points.slice() };
  }
  return { points };
}

/** What the brief asks of its load step, judged by the simulated worst input. */
export function stepTargets(design: Design, points: readonly SteppedPoint[]): Target<StepQuantity>[] {
  const { loadStep } = design.brief;
  const levers = ['outputCapacitors', 'inductor.inductance', 'switchingFrequency'];
  const common = { sense: 'below' as const, levers };
  return assessTargets<SteppedPoint, StepQuantity>(
    design,
    [
      {
        ...common,
        id: 'loadStepUndershoot',
        name: 'Load-step undershoot',
        unit: 'V',
        required: loadStep?.deviation,
        predict: ({ undershoot }) => undershoot,
        quantity: 'loadStepUndershoot',
      },
      {
        ...common,
        id: 'loadStepOvershoot',
        name: 'Load-step overshoot',
        unit: 'V',
        required: loadStep?.deviation,
        predict: ({ overshoot }) => overshoot,
        quantity: 'loadStepOvershoot',
      },
      {
        ...common,
        id: 'settlingTime',
        name: 'Settling time',
        unit: 's',
        required: loadStep?.settlingTime,
        predict: ({ settlingTime }) => settlingTime,
        quantity: 'loadStepUndershoot',
      },
    ],
    points,
  );
}
