import type { InjectionNetwork } from '../design/complete.ts';
import { zeros, type Vector } from '../numbers/linear.ts';

/** The network that adds ripple to a constant on-time's feedback, with the divider it works on: Ω and F. */
export interface InjectionParts extends InjectionNetwork {
  top: number;
  /** S of the divider's lower resistor */
  bottom: number;
}

/**
 * A resistor from the switch node to a node x, a capacitor from x to the output, and one from x to the divider's tap.
 * States: the voltages of both capacitors (x over output, x over tap). It does not load the stage.
 */
export class Injection {
  private readonly parts: InjectionParts;
  constructor(parts: InjectionParts) {
    this.parts = parts;
  }

  assemble({ size, first, sensed, node }: { size: number; first: number; sensed: Vector; node: Vector }): {
    slopes: [Vector, Vector];
    tap: Vector;
  } {
    const { resistor, capacitor, coupling, top, bottom } = this.parts;
    const over = sensed.slice();
    over[first]! += 1;
    const tap = over.slice();
    tap[first + 1]! -= 1;
    const into = zeros(size);
    const slope = zeros(size);
    for (let k = 0; k < size; k += 1) {
      into[k] = tap[k]! * bottom - (sensed[k]! - tap[k]!) / top;
      slope[k] = ((node[k]! - over[k]!) / resistor - into[k]!) / capacitor;
    }
    return { slopes: [slope, into.map((value) => value / coupling)], tap };
  }
}
