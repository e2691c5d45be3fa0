import type { Change } from './design/words.ts';
import type { Design } from './design/schema.ts';
import type { Part } from './shelf/part.ts';
import { judge } from './judge.ts';
import { formatQuantity } from './quantity/index.ts';
import type { Target } from './verdict/target.ts';

/** Part by which a figure has to move to be told: less is rounding of what is shown. */
const TOLD = 2e-3;

const words = ({ predicted, unit, verdict }: Target): string =>
  Number.isNaN(predicted)
    ? verdict
    : `${predicted === Infinity ? 'never' : formatQuantity(predicted, unit)}, ${verdict}`;

function moved(from: Target, to: Target): boolean {
  if (from.verdict !== to.verdict) return true;
  const [a, b] = [from.predicted, to.predicted];
  if (Number.isNaN(a) || Number.isNaN(b)) return Number.isNaN(a) !== Number.isNaN(b);
  return a !== b && !(Math.abs(a - b) <= TOLD * Math.max(Math.abs(a), Math.abs(b)));
}

/**
 * What two designs come to, judged whole, where they part: every target whose figure or verdict is another, by its name, and
 * those that one alone has. In the order of the second.
 */
export function resultsApart(from: Design, to: Design, parts?: readonly Part[]): Change[] {
  const [before, after] = [from, to].map((design) => judge(design, { unadvised: true, parts }).targets);
  const was = new Map(before!.map((target) => [target.id, target]));
  const is = new Set(after!.map(({ id }) => id));
  const changes = after!.flatMap((target): Change[] => {
    const old = was.get(target.id);
    if (old && !moved(old, target)) return [];
    return [{ path: target.id, name: target.name, from: old ? words(old) : 'none', to: words(target) }];
  });
  const gone = before!
    .filter(({ id }) => !is.has(id))
    .map((target): Change => ({ path: target.id, name: target.name, from: words(target), to: 'none' }));
  return [...changes, ...gone];
}
