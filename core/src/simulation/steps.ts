import type { Brief } from '../design/schema.ts';
import { formatQuantity } from '../quantity/index.ts';
import { usualSlew } from '../estimates/loadStep.ts';

/** A step of the load: A, and A/s. */
export interface LoadStep {
  from: number;
  to: number;
  slewRate?: number | undefined;
}

/** Parts of full load between which stages are usually stepped, beside the ends. Common practice, no source. */
const USUAL = { half: 0.5, tenth: 0.1 };

/**
 * Steps of a load that are worth looking at: the brief's first, those between the loads that its profile draws, one
 * after another and round again, and those that stages are usually judged by; each up and down, none twice.
 * @returns with A/s that the brief gives, or the usual
 */
export function usualSteps({ outputCurrent: { min, max }, loadStep, loadProfile = [] }: Brief): (LoadStep & {
  words: string;
})[] {
  const slewRate = loadStep?.slewRate ?? usualSlew(max);
  const loads = loadProfile.map(({ current }) => current);
  const pairs: [number, number][] = [
    ...(loadStep ? ([[loadStep.from, loadStep.to]] as [number, number][]) : []),
    ...loads.map((from, k): [number, number] => [from, loads[(k + 1) % loads.length]!]),
    ...[min, USUAL.tenth * max, USUAL.half * max].flatMap((low): [number, number][] => [
      [low, max],
      [max, low],
    ]),
  ];
  const words = (current: number): string => formatQuantity(current, 'A');
  const seen = new Set<string>();
  return pairs.flatMap(([from, to]) => {
    const key = `${words(from)} to ${words(to)}`;
    if (words(from) === words(to) || seen.has(key)) return [];
    seen.add(key);
    return [{ from, to, slewRate, words: key }];
  });
}
