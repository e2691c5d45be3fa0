import { formatQuantity, frontOf, type Part, type Ranked, type Unit } from '@yundro/core';
import type { Lane } from '../../plots/model.ts';

/** What a part's worth is drawn against. */
export type Against = 'cost' | 'area' | 'height';

/** What the parts of a kind are weighed by: less is better, but of capacitance. */
const LOSS: Worth = { name: 'Loss over the load profile', unit: 'W', of: ({ loss }) => loss };
export const WORTH: Partial<Record<Part['kind'], Worth>> = {
  mosfet: LOSS,
  diode: LOSS,
  inductor: LOSS,
  capacitor: { name: 'Capacitance left of one', unit: 'F', of: ({ effective }) => effective, more: true },
  controller: { ...LOSS, name: 'Loss of its own current' },
  converter: { ...LOSS, name: 'Loss of its own current' },
};
interface Worth {
  name: string;
  unit: Unit;
  of: (ranked: Ranked) => number | undefined;
  more?: boolean;
}

/** From the first mark to the last, with room for what they are drawn as. */
export function roomFor(lanes: readonly Lane[], log: boolean): { min: number; max: number } | undefined {
  const all = lanes.flatMap(({ traces }) => traces.flatMap(({ x }) => Array.from(x)));
  if (all.length === 0) return undefined;
  const [min, max] = [Math.min(...all), Math.max(...all)];
  if (log) return { min: min / 1.25, max: max * 1.25 };
  const room = 0.05 * (max - min || max);
  return { min: Math.max(0, min - room), max: max + room };
}

/** Share of the picture's height that a reason takes. */
const ROW = 0.24;

/**
 * Marks of what fits, the front that no part beats in both, and the part in force; in a lane below it what does not fit,
 * by what rules it out first. Each mark says which part it is, and of what.
 */
export function lanesOf(ranked: readonly Ranked[], against: Against, standing: readonly string[]): Lane[] {
  const worth = WORTH[ranked[0]?.part.kind ?? 'mosfet'];
  const placed = ranked
    .flatMap((at) => {
      const value = against === 'cost' ? at.cost : against === 'area' ? at.area && at.area * 1e6 : at.height;
      return value === undefined || !(value > 0) ? [] : [{ at, x: value }];
    })
    .sort((a, b) => a.x - b.x);
  const named = ({ part, count }: Ranked): string => `${count > 1 ? `${count} × ` : ''}${part.name}`;
  const priced = (x: number): string =>
    against === 'cost' ? `cost ${x.toFixed(2)}` : against === 'area' ? `${x.toFixed(1)} mm²` : formatQuantity(x, 'm');
  const places = placed
    .flatMap(({ at, x }) => {
      const y = at.reasons.length > 0 || !worth ? undefined : worth.of(at);
      if (y === undefined || !(y > 0)) return [];
      return [{ id: at.part.id, x, y, tells: `${named(at)}: ${formatQuantity(y, worth!.unit)}, ${priced(x)}` }];
    })
    .sort((a, b) => a.x - b.x || a.y - b.y);
  const front = worth?.more ? [] : frontOf(places);
  const own = places.filter(({ id }) => standing.includes(id));
  const of = (list: typeof places) => ({ x: list.map(({ x }) => x), y: list.map(({ y }) => y) });
  const out = placed.filter(({ at }) => at.reasons.length > 0);
  const names = [...new Set(out.map(({ at }) => at.reasons[0]!.by))].sort();
  return [
    ...(worth && places.length > 0
      ? [
          {
            id: 'y',
            name: '',
            unit: worth.unit,
            log: true,
            weight: 3,
            traces: [
              {
                name: 'fits',
                ...of(places),
                ink: '--power',
                marks: 'circle' as const,
                tells: places.map((p) => p.tells),
              },
              ...(worth.more ? [] : [{ name: 'no part beats it in both', ...of(front), ink: '--power' }]),
              { name: 'in force', ...of(own), ink: '--ink', marks: 'triangle' as const },
            ],
          },
        ]
      : []),
    ...(out.length > 0
      ? [
          {
            id: 'out',
            name: '',
            unit: '' as const,
            weight: ROW * (names.length + 1),
            names,
            traces: [
              {
                name: 'ruled out',
                x: out.map(({ x }) => x),
                y: out.map(({ at }) => names.indexOf(at.reasons[0]!.by)),
                ink: '--soft',
                marks: 'ring' as const,
                tells: out.map(({ at }) => `${named(at)}: ${at.reasons.map(({ words }) => words).join('; ')}`),
              },
            ],
          },
        ]
      : []),
  ];
}
