import type { TopologyModel } from './topology.ts';

/**
 * Buck: the control switch joins the inductor to the input, the rectifier to return; the far end stays at the output.
 * Source of the closed forms: Erickson and Maksimović, Fundamentals of Power Electronics, chapters 2 (CCM), 3 (losses)
 * and 5 (DCM); recalled from memory.
 */
export const buck: TopologyModel = {
  id: 'buck',
  name: 'Buck',
  cells: ({ controlResistance, rectifierResistance, rectifierDrop, bodyDiodeDrop }) => ({
    control: { fromInput: 1, toOutput: 1, resistance: controlResistance, drop: 0, blocked: false },
    rectifier: { fromInput: 0, toOutput: 1, resistance: rectifierResistance, drop: rectifierDrop, blocked: false },
    deadForward: { fromInput: 0, toOutput: 1, resistance: 0, drop: bodyDiodeDrop, blocked: false },
    // negative current lifts the switch node above the input, through the control switch's body diode
    deadReverse: { fromInput: 1, toOutput: 1, resistance: 0, drop: -bodyDiodeDrop, blocked: false },
    idle: { fromInput: 0, toOutput: 0, resistance: 0, drop: 0, blocked: true },
  }),
  idealRatio: (duty) => duty,
  idealDuty: (ratio) => ratio,
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
};
