import { PRACTICE, type Quantity } from '../explain/form.ts';
import { formatQuantity } from '../quantity/index.ts';
import type { LoopScene } from './scene.ts';

const BODE = 'Bode, 1945, as every textbook of control has it (recalled from memory)';

/** The closed loop's margins, and its output impedance where it is highest. */
export const loopQuantities = {
  loopCrossover: {
    name: 'Crossover of the loop',
    symbol: 'f_c',
    unit: 'Hz',
    kind: 'frequency',
    value: ({ loop }) => loop?.crossover,
    told: ({ loop }) =>
      loop?.there &&
      `Found on the response itself: the frequency at which the loop gain falls through one. The plant, from control voltage to output, stands at ${decibels(loop.there.plant.decibels)} there and the network at ${decibels(loop.there.network.decibels)}.`,
  },
  phaseMargin: {
    name: 'Phase margin, degrees',
    symbol: '\\varphi_m',
    unit: '',
    kind: 'ratio',
    value: ({ loop }) => loop?.phaseMargin,
    form: ({ loop }) =>
      loop?.there && {
        expression: '180 + plantPhase + networkPhase',
        figures: {
          plantPhase: { value: loop.there.plant.degrees, unit: '', symbol: '\\varphi_\\mathrm{plant}' },
          networkPhase: { value: loop.there.network.degrees, unit: '', symbol: '\\varphi_\\mathrm{network}' },
        },
        holds: `Degrees left before the loop sustains itself, at the crossover of ${formatQuantity(loop.crossover!, 'Hz')}: the plant’s phase there and the network’s.`,
        source: BODE,
      },
  },
  gainMargin: {
    name: 'Gain margin, dB',
    symbol: 'G_m',
    unit: '',
    kind: 'ratio',
    value: ({ loop }) => loop?.gainMargin,
    form: ({ loop }) =>
      loop?.reversal && {
        expression: '-(plantGain + networkGain)',
        figures: {
          plantGain: { value: loop.reversal.plant.decibels, unit: '', symbol: 'G_\\mathrm{plant}' },
          networkGain: { value: loop.reversal.network.decibels, unit: '', symbol: 'G_\\mathrm{network}' },
        },
        holds: `What the loop gain lacks to one where its phase passes −180°, at ${formatQuantity(loop.reversal.frequency, 'Hz')}: the plant’s gain there and the network’s, in dB.`,
        source: BODE,
      },
  },
  vectorMargin: {
    name: 'Distance of the loop gain to −1',
    symbol: '|1+T|_\\mathrm{min}',
    unit: '',
    kind: 'ratio',
    value: ({ loop }) => loop?.vectorMargin,
    told: ({ loop }) =>
      loop?.vectorMargin === undefined
        ? undefined
        : 'Found on the response itself: how near Nyquist’s curve comes to −1, where the loop sustains itself. A half lets what disturbs the loop grow to twice at most.',
  },
  loopGrowth: {
    name: 'Disturbance left after a period',
    symbol: '|\\lambda|',
    unit: '',
    kind: 'ratio',
    value: ({ loop }) => loop?.growth,
    told: ({ loop }) =>
      loop?.growth === undefined
        ? undefined
        : 'The largest eigenvalue of the map over one period of the closed loop, carried through every switching: below one a disturbance dies away, above it grows.',
  },
  closedImpedance: {
    name: 'Output impedance at its highest',
    symbol: 'Z_\\mathrm{out}',
    unit: 'Ω',
    kind: 'part',
    value: ({ loop }) => loop && loop.impedance.open / loop.impedance.dividedBy,
    form: ({ loop }) =>
      loop && {
        expression: 'open / beside',
        figures: {
          open: { value: loop.impedance.open, unit: 'Ω', symbol: 'Z_\\mathrm{open}' },
          beside: { value: loop.impedance.dividedBy, unit: '', symbol: '|1+T|' },
        },
        holds: `At ${formatQuantity(loop.impedance.frequency, 'Hz')}: the stage’s own impedance there, divided by one and the loop gain together. Where the load draws its step over and over at that rate, the output swings by so many volts an ampere; the step’s deviation over its current is what may be.`,
        source: PRACTICE,
      },
  },
} as const satisfies Record<string, Quantity<LoopScene>>;

export type LoopQuantity = keyof typeof loopQuantities;

/** Whether a quantity is told by the closed loop, which a scene then has to hold. */
export const isLoopQuantity = (id: string): id is LoopQuantity => Object.hasOwn(loopQuantities, id);

const decibels = (value: number): string => `${value.toFixed(1).replace('-', '−')} dB`;
