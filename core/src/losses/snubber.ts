import type { Decisions } from '../design/schema.ts';

/**
 * Loss in a resistor and capacitor across a switch node, W of one leg: f·C·Vb², half at each edge, whatever the
 * resistor, as long as the edges are short against R·C. Common practice, no source.
 */
export function snubberLoss(
  snubber: Decisions['snubber'],
  { blocking, frequency }: { blocking: number; frequency: number },
): number | undefined {
  return snubber && frequency * snubber.capacitance * blocking ** 2;
}
