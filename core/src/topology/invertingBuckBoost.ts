import { dutyByQuadratic, rectifierWithDeadTime } from './boost.ts';
import { across, cellsOfLeg, idleCell } from './leg.ts';
import type { ClosedForms, TopologyModel } from './topology.ts';

/**
 * Source of the closed forms: Erickson and Maksimović, Fundamentals of Power Electronics, chapters 2 (CCM), 3 (losses),
 * 5 (DCM) and 8 (right-half-plane zero); recalled from memory.
 */
export const invertingForms: ClosedForms = {
  ccmDuty: (c) => {
    const { drop, resistance } = rectifierWithDeadTime(c, c.inputVoltage / (c.inputVoltage + c.outputVoltage));
    return dutyByQuadratic(
      c.inputVoltage,
      c.outputVoltage + drop,
      c.outputCurrent / c.phases,
      c.controlResistance + c.windingResistance,
      resistance + c.windingResistance,
    );
  },
  dcmDuties: (c) => {
    const current = c.outputCurrent / c.phases;
    const fall = c.outputVoltage + c.rectifierDrop;
    // charge: I/f = peak t2/2 with peak = Vin t1/L and t2 = t1 Vin/fall
    const duty = Math.sqrt(2 * c.inductance * current * c.switchingFrequency * fall) / c.inputVoltage;
    return { duty, rectifierDuty: (duty * c.inputVoltage) / fall };
  },
  inductorAverage: (c, duty) => c.outputCurrent / c.phases / (1 - duty),
  inductorRipple: (c, duty) => {
    const current = c.outputCurrent / c.phases / (1 - duty);
    const rise = c.inputVoltage - current * (c.windingResistance + c.controlResistance);
    return (rise * duty) / (c.inductance * c.switchingFrequency);
  },
  ratioWithLosses: (c, duty, resistance) => {
    const off = 1 - duty;
    if (off <= 0) return 0;
    const series = c.windingResistance + duty * c.controlResistance + off * c.rectifierResistance;
    return Math.max(0, (duty / off - c.rectifierDrop / c.inputVoltage) / (1 + series / (off ** 2 * resistance)));
  },
  criticalK: (duty) => (1 - duty) ** 2,
  dcmRatio: (duty, k) => duty / Math.sqrt(k),
  rightHalfPlaneZero: (duty, resistance, inductance) =>
    ((1 - duty) ** 2 * resistance) / (2 * Math.PI * duty * inductance),
};

/**
 * Inverting buck-boost: the inductor stands at return; the control switch joins its other end to the input, the
 * rectifier to the output, which it pulls below return. Voltages and currents of the output are magnitudes here.
 */
export const invertingBuckBoost: TopologyModel = {
  id: 'inverting-buck-boost',
  name: 'Inverting buck-boost',
  idealRatio: (duty) => duty / (1 - duty),
  idealDuty: (ratio) => ratio / (1 + ratio),
  worstRippleDuty: 0,
  pulsating: { input: true, output: true },
  switches: 2,
  switchStress: (input, output) => ({ control: input + output, rectifier: input + output }),
  inverts: true,
  switchNodes: ['between'],
  operations: (c) => [
    {
      forms: invertingForms,
      conditions: c,
      dutyOf: 'control',
      cells: {
        ...cellsOfLeg(c, { control: [1, 0], rectifier: [0, 1] }, [1, 1]),
        idle: idleCell([across('control', 1, 0), across('rectifier', 0, 1)]),
      },
    },
  ],
};
