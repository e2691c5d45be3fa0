import { formatQuantity, inverts, type Design } from '@yundro/core';

/** A rail in its own words: input, output, load. */
export function railWords({ brief, decisions }: Design): string {
  const { min, max } = brief.inputVoltage;
  const highest = formatQuantity(max, 'V');
  const lowest = formatQuantity(min, 'V');
  // one unit where both have it
  const plain = lowest.replace(/\sV$/u, '');
  const input = min === max ? highest : `${/^[\d.]+$/u.test(plain) ? plain : lowest}–${highest}`;
  const below = brief.outputPolarity === 'negative' || (decisions.topology && inverts(decisions.topology));
  const output = formatQuantity(below ? -brief.outputVoltage : brief.outputVoltage, 'V');
  return `${input} → ${output}, ${formatQuantity(brief.outputCurrent.max, 'A')}`;
}
