import { across, cellsOfLeg, idleCell } from './leg.ts';
import type { ClosedForms, TopologyModel } from './topology.ts';

/**
 * Source of the closed forms: Erickson and Maksimović, Fundamentals of Power Electronics, chapters 2 (CCM), 3 (losses)
 * and 5 (DCM); recalled from memory.
 */
export const buckForms: ClosedForms = {
  ccmDuty: (c) => {
    const current = c.outputCurrent / c.phases;
    const dead = 2 * c.deadTime * c.switchingFrequency;
    const rectifierVoltage = c.rectifierDrop + current * c.rectifierResistance;
    const needed =
      c.outputVoltage + current * c.windingResistance + (1 - dead) * rectifierVoltage + dead * c.bodyDiodeDrop;
    return needed / (c.inputVoltage - current * c.controlResistance + rectifierVoltage);
  },
  dcmDuties: (c) => {
    const current = c.outputCurrent / c.phases;
    const rise = c.inputVoltage - c.outputVoltage;
    const fall = c.outputVoltage + c.rectifierDrop;
    // charge: I/f = peak (t1 + t2)/2 with peak = rise t1/L and t2 = t1 rise/fall
    const duty = Math.sqrt((2 * c.inductance * current * c.switchingFrequency * fall) / (rise * (rise + fall)));
    return { duty, rectifierDuty: (duty * rise) / fall };
  },
  inductorAverage: (c) => c.outputCurrent / c.phases,
  inductorRipple: (c, duty) => {
    const current = c.outputCurrent / c.phases;
    const fall = c.outputVoltage + current * (c.windingResistance + c.rectifierResistance) + c.rectifierDrop;
    return (fall * (1 - duty)) / (c.inductance * c.switchingFrequency);
  },
  ratioWithLosses: (c, duty, resistance) => {
    const series = c.windingResistance + duty * c.controlResistance + (1 - duty) * c.rectifierResistance;
    return Math.max(0, (duty - ((1 - duty) * c.rectifierDrop) / c.inputVoltage) / (1 + series / resistance));
  },
  criticalK: (duty) => 1 - duty,
  dcmRatio: (duty, k) => 2 / (1 + Math.sqrt(1 + (4 * k) / duty ** 2)),
  rightHalfPlaneZero: () => undefined,
};

/** Buck: the control switch joins the inductor to the input, the rectifier to return; the far end stays at the output. */
export const buck: TopologyModel = {
  id: 'buck',
  name: 'Buck',
  idealRatio: (duty) => duty,
  idealDuty: (ratio) => ratio,
  worstRippleDuty: 0,
  pulsating: { input: true, output: false },
  switches: 2,
  switchStress: (input) => ({ control: input, rectifier: input }),
  inverts: false,
  switchNodes: ['near'],
  operations: (c) => [
    {
      forms: buckForms,
      conditions: c,
      dutyOf: 'control',
      cells: {
        ...cellsOfLeg(c, { control: [1, 1], rectifier: [0, 1] }, [1, 0]),
        idle: idleCell([across('control', 1, -1), across('rectifier', 0, 1)]),
      },
    },
  ],
};
