import { across, bodyDiode, cell, channel, idleCell } from './leg.ts';
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
        control: cell(
          1,
          1,
          [channel('control', c.controlResistance)],
          [across('rectifier', 1, 0, -c.controlResistance)],
        ),
        rectifier: cell(
          0,
          1,
          [channel('rectifier', c.rectifierResistance, c.rectifierDrop)],
          [across('control', 1, 0, c.rectifierResistance, c.rectifierDrop)],
        ),
        deadForward: cell(
          0,
          1,
          [bodyDiode('rectifier', c.bodyDiodeDrop, 1)],
          [across('control', 1, 0, 0, c.bodyDiodeDrop)],
        ),
        // negative current lifts the switch node above the input, through the control switch's body diode
        deadReverse: cell(
          1,
          1,
          [bodyDiode('control', c.controlBodyDiodeDrop, -1)],
          [across('rectifier', 1, 0, 0, c.controlBodyDiodeDrop)],
        ),
        idle: idleCell([across('control', 1, -1), across('rectifier', 0, 1)]),
      },
    },
  ],
};
