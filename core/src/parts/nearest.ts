import type { Design } from '../design/schema.ts';
import type { Nearest, PartClass } from '../shelf/classes.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { blockedBy, windingsOf } from './candidates.ts';
import { opened, PLACES } from './places.ts';
import { deratingOf } from './fits.ts';

/** The largest power of a step that is not above a value: a class stays the same while a value moves a little. */
const below = (value: number, step: number): number =>
  Number((step ** Math.floor(Math.log(value) / Math.log(step) + 1e-9)).toPrecision(6));

const OCTAVE = 2;
const FINE = 2 ** 0.25;
/** V below which what is made for more is as good. Common practice, no source. */
const LOW_SWITCH = 40;
const LOW_CAPACITOR = 25;
/** Times the wanted rating beyond which a part is one of another class. Our own starting point. */
const MOST_RATING = 4;

/**
 * The classes of parts among which a design's places are chosen on a large shelf, wide enough for a frequency that the
 * parts then lower, and the parts that it names.
 */
export function nearestFor(design: Design): Nearest {
  const named = Object.values(design.decisions)
    .flat()
    .flatMap((value) => (value as { partId?: string } | undefined)?.partId ?? []);
  let open = design.decisions;
  for (const place of PLACES) open = opened(open, place);
  const bare: Design = { ...design, decisions: open };
  const { decisions } = completeDecisions(bare);
  const { brief } = design;
  const by = deratingOf(design.decisions);
  const { inductor } = decisions;
  const blocked = blockedBy(bare, decisions, []);

  const inductance = below(inductor.inductance, OCTAVE);
  const carried = below(inductor.saturationCurrent, FINE);
  const inductors = [0.5, 1, 2, 4].map((from): PartClass => ({
    kind: 'inductor',
    within: [
      { key: 'inductance', least: from * inductance, most: 2 * from * inductance },
      // ten times too large is out
      { key: 'saturationCurrent', least: 0.8 * carried, most: 10 * carried },
      ...(decisions.coupling ? [{ key: 'windings', least: windingsOf(decisions), most: windingsOf(decisions) }] : []),
    ],
    orders: [{ cost: 1 }, { resistance: 1 }, { length: 1 }],
    most: 50,
  }));

  // two in parallel carry the load; in a step-down of high duty a part of it
  const carrying = below(brief.outputCurrent.max / decisions.phases / 4, FINE);
  const switchClasses = (kind: 'mosfet' | 'diode', blocking: number, orders: PartClass['orders']): PartClass[] => {
    const least = below(blocking * by.ringing, FINE);
    return [
      [least, 1.6 * least],
      [1.6 * least, Math.max(MOST_RATING * least, LOW_SWITCH)],
    ].map(([from, to]) => ({
      kind,
      within: [
        { key: 'voltageRating', least: from!, most: to! },
        ...(kind === 'diode' ? [{ key: 'currentRating', least: carrying }] : []),
      ],
      orders,
      most: 30,
    }));
  };
  const switches = [...new Set([blocked.control, blocked.rectifier].map((volts) => below(volts, FINE)))].flatMap(
    (blocking) => [
      ...switchClasses('mosfet', blocking, [
        { cost: 1 },
        { onResistance: 1, gateCharge: 1 },
        { onResistance: 1, outputCharge: 1 },
        { onResistance: 1 },
        { gateCharge: 1 },
      ]),
      ...switchClasses('diode', blocking, [{ cost: 1 }, { forwardVoltage: 1 }, { forwardVoltage: 1, cost: 1 }]),
    ],
  );

  const capacitors = [...new Set([brief.outputVoltage, brief.inputVoltage.max].map((volts) => below(volts, FINE)))]
    .flatMap((bias) => [
      [bias, 2 * bias],
      [2 * bias, Math.max(2 * MOST_RATING * bias, LOW_CAPACITOR)],
    ])
    .map(([from, to]): PartClass => ({
      kind: 'capacitor',
      within: [{ key: 'voltageRating', least: from!, most: to! }],
      orders: [{ cost: 1, capacitance: -1 }, { cost: 1 }, { capacitance: -1 }, { esr: 1 }],
      most: 12,
    }));

  const across = brief.inputVoltage.max + (decisions.topology === 'inverting-buck-boost' ? brief.outputVoltage : 0);
  const controllers = (['controller', 'converter'] as const).map((kind): PartClass => ({
    kind,
    within: [
      { key: 'inputVoltageMaximum', least: below(across, FINE) },
      { key: 'inputVoltageMinimum', most: brief.inputVoltage.min * FINE },
    ],
    orders: [{ cost: 1 }, { quiescentCurrent: 1 }, { minimumOnTime: 1 }],
    most: 50,
  }));
  return { classes: [...inductors, ...switches, ...capacitors, ...controllers], ids: [...new Set(named)] };
}
