import { scaled, type Complex } from '../numbers/complex.ts';
import { zeros } from '../numbers/linear.ts';
import { Transfer } from '../numbers/resolvent.ts';
import { amplifierOf, type CompensatorParts } from '../simulation/amplifier.ts';

/** The error amplifier with its network, from the output to minus the control voltage, by its real parts. */
export class CompensatorResponse {
  private readonly transfer: Transfer;

  /** @param period s: below a small part of it a lead capacitor's resistor is taken up to */
  constructor(parts: CompensatorParts, period: number) {
    const amplifier = amplifierOf(parts, period);
    const n = amplifier.states;
    // its states, the reference, what is sensed, and one
    const size = n + 3;
    const sensed = zeros(size);
    sensed[n + 1] = 1;
    const reference = zeros(size);
    reference[n] = 1;
    const { slopes, control } = amplifier.assemble('linear', { size, first: 0, reference, sensed });
    const a = zeros(n * n);
    slopes.forEach((row, i) => {
      for (let k = 0; k < n; k += 1) a[i * n + k] = row[k]!;
    });
    this.transfer = new Transfer(
      n,
      a,
      slopes.map((row) => row[n + 1]!),
      control.slice(0, n),
      control[n + 1]!,
    );
  }

  /** The minus sign of the summing point left out. */
  at(frequency: number): Complex {
    return scaled(this.transfer.at(frequency), -1);
  }
}
