import { across, cellsOfLeg, idleCell } from './leg.ts';
import type { ClosedForms, StageConditions, TopologyModel } from './topology.ts';

/**
 * The duty's complement from A·D'² + B·D' − C = 0, the larger root (below the collapse); NaN when there is none. Volt-second and charge
 * balance of any stage whose control switch keeps the inductor off the output give this quadratic.
 * @param charging V across the inductor while the control switch is on, drops left out
 * @param discharging V across it (taken positive) while the rectifier is on, drops of diodes included
 * @param share A, of the load in one phase
 */
export function dutyByQuadratic(
  charging: number,
  discharging: number,
  share: number,
  onResistance: number,
  offResistance: number,
): number {
  const a = charging + discharging;
  const b = -(charging + share * (onResistance - offResistance));
  const c = share * onResistance;
  const under = b * b - 4 * a * c;
  return under < 0 ? Number.NaN : 1 - (-b + Math.sqrt(under)) / (2 * a);
}

/** Rectifier's drop and resistance with the dead times' body diode weighed in, by its share of the rectifier's time. */
export function rectifierWithDeadTime(
  c: StageConditions,
  rectifierShare: number,
): { drop: number; resistance: number } {
  const dead = Math.min(1, (2 * c.deadTime * c.switchingFrequency) / Math.max(rectifierShare, 1e-3));
  return {
    drop: (1 - dead) * c.rectifierDrop + dead * c.bodyDiodeDrop,
    resistance: (1 - dead) * c.rectifierResistance,
  };
}

/**
 * Source of the closed forms: Erickson and Maksimović, Fundamentals of Power Electronics, chapters 2 (CCM), 3 (losses),
 * 5 (DCM) and 8 (right-half-plane zero); recalled from memory.
 */
export const boostForms: ClosedForms = {
  ccmDuty: (c) => {
    const { drop, resistance } = rectifierWithDeadTime(c, c.inputVoltage / c.outputVoltage);
    return dutyByQuadratic(
      c.inputVoltage,
      c.outputVoltage + drop - c.inputVoltage,
      c.outputCurrent / c.phases,
      c.controlResistance + c.windingResistance,
      resistance + c.windingResistance,
    );
  },
  dcmDuties: (c) => {
    const current = c.outputCurrent / c.phases;
    const fall = Math.max(0, c.outputVoltage + c.rectifierDrop - c.inputVoltage);
    // charge: I/f = peak t2/2 with peak = Vin t1/L and t2 = t1 Vin/fall
    const duty = Math.sqrt(2 * c.inductance * current * c.switchingFrequency * fall) / c.inputVoltage;
    return { duty, rectifierDuty: fall > 0 ? (duty * c.inputVoltage) / fall : 1 };
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
    return Math.max(
      0,
      ((1 - (off * c.rectifierDrop) / c.inputVoltage) / off) * (1 / (1 + series / (off ** 2 * resistance))),
    );
  },
  criticalK: (duty) => duty * (1 - duty) ** 2,
  dcmRatio: (duty, k) => (1 + Math.sqrt(1 + (4 * duty ** 2) / k)) / 2,
  rightHalfPlaneZero: (duty, resistance, inductance) => ((1 - duty) ** 2 * resistance) / (2 * Math.PI * inductance),
};

/** Boost: the inductor stays at the input; the control switch joins its far end to return, the rectifier to the output. */
export const boost: TopologyModel = {
  id: 'boost',
  name: 'Boost',
  idealRatio: (duty) => 1 / (1 - duty),
  idealDuty: (ratio) => 1 - 1 / ratio,
  worstRippleDuty: 0.5,
  pulsating: { input: false, output: true },
  switches: 2,
  switchStress: (_, output) => ({ control: output, rectifier: output }),
  inverts: false,
  switchNodes: ['far'],
  operations: (c) => [
    {
      forms: boostForms,
      conditions: c,
      dutyOf: 'control',
      cells: {
        ...cellsOfLeg(c, { control: [1, 0], rectifier: [1, 1] }, [0, 1]),
        idle: idleCell([across('control', 1, 0), across('rectifier', -1, 1)]),
      },
    },
  ],
};
