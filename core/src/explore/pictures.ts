import type { Design } from '../design/schema.ts';
import { coupledRipple } from '../estimates/coupling.ts';
import { cancellation } from '../estimates/interleaving.ts';
import { solve } from '../solve.ts';
import { dutySpan, modeMap, ratioAgainstDuty, type Curve } from './curves.ts';

/** The pictures that decide between topologies, modes, phase counts and coupling, for the design as it stands. */
export interface Pictures {
  phases: number;
  span: { min: number; max: number };
  ratios: ReturnType<typeof ratioAgainstDuty>;
  operating: { x: number; y: number; region: string | undefined }[];
  maximumDuty: number;
  modes: ReturnType<typeof modeMap>;
  cancellation: { phases: number; curve: Curve }[];
  coupled: {
    phases: number;
    coefficient: number;
    duty: number;
    given: boolean;
    overDuty: Record<'inverse' | 'direct', { winding: Curve; sum: Curve }>;
    overCoefficient: Record<'inverse' | 'direct', { winding: Curve; sum: Curve }>;
  };
}

/** A coupling coefficient to draw where the design has none. */
const SHOWN_COEFFICIENT = 0.5;

export function picturesOf(design: Design): Pictures {
  const result = solve(design);
  const { decisions, operatingPoints } = result;
  const span = dutySpan(operatingPoints);
  const duties = Array.from({ length: 201 }, (_, i) => i / 200);
  const coupling = decisions.coupling ?? { coefficient: SHOWN_COEFFICIENT, polarity: 'inverse' as const };
  const coupledPhases =
    decisions.phases > 1 && (decisions.phases % 2 === 0 || coupling.arrangement === 'one-core') ? decisions.phases : 2;
  const middle = (span.min + span.max) / 2;
  const coefficients = Array.from({ length: 50 }, (_, i) => i / 50);
  const ripple = (polarity: 'inverse' | 'direct', over: 'duty' | 'coefficient') => {
    const xs = over === 'duty' ? duties.slice(1, -1) : coefficients;
    const at = xs.map((x) =>
      coupledRipple(
        coupledPhases,
        { ...coupling, polarity, coefficient: over === 'duty' ? coupling.coefficient : x },
        over === 'duty' ? x : middle,
      ),
    );
    return { winding: { x: xs, y: at.map((r) => r.winding) }, sum: { x: xs, y: at.map((r) => r.sum) } };
  };
  return {
    phases: decisions.phases,
    span,
    ratios: ratioAgainstDuty(design, decisions),
    operating: operatingPoints.map((point) => ({
      x: point.onTime * point.switchingFrequency,
      y: point.outputVoltage.average / point.inputVoltage,
      region: point.region,
    })),
    maximumDuty: decisions.control.maximumDuty,
    modes: modeMap(design, decisions, operatingPoints),
    cancellation: Array.from({ length: 8 }, (_, i) => ({
      phases: i + 1,
      curve: { x: duties, y: duties.map((duty) => cancellation(i + 1, duty)) },
    })),
    coupled: {
      phases: coupledPhases,
      coefficient: coupling.coefficient,
      duty: middle,
      given: decisions.coupling !== undefined,
      overDuty: { inverse: ripple('inverse', 'duty'), direct: ripple('direct', 'duty') },
      overCoefficient: { inverse: ripple('inverse', 'coefficient'), direct: ripple('direct', 'coefficient') },
    },
  };
}
