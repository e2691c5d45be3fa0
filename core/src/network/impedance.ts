import { over, plus, type Complex } from '../numbers/complex.ts';

/** Capacitors of one kind: F, Ω and H of one, and how many. */
interface Bank {
  capacitance: number;
  esr: number;
  esl?: number | undefined;
  count: number;
}

/** Ω of capacitors side by side at a frequency, each with its resistance and series inductance. @param speed rad/s */
export function bankImpedance(banks: readonly Bank[], speed: number): Complex {
  const admittance = banks.reduce<Complex>(
    (sum, { capacitance, esr, esl = 0, count }) =>
      plus(sum, over([count, 0], [esr, speed * esl - 1 / (speed * capacitance)])),
    [0, 0],
  );
  return over([1, 0], admittance);
}
