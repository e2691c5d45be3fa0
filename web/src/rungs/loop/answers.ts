import {
  compareLoops,
  fitLoop,
  injectionSheet,
  loop,
  inputFilterOf,
  loopCorners,
  optimiseNetwork,
  placeNetwork,
  placeOnFeatures,
  SimulationError,
  simulatedMeasurement,
  steppedOf,
  witnessesAt,
  withNetwork,
  type Comparison,
  type ComparisonOf,
  type CompensatorParts,
  type Corner,
  type Design,
  type Fit,
  type InjectionSheet,
  type InputFilter,
  type LoopCorners,
  type MeasuredLoop,
  type Objective,
  type Optimised,
  type Placed,
  type PredictedStep,
  type ResponseCurve,
  type Uncertain,
  type Wanted,
  type Witnesses,
  placeDigital,
  type DigitalForm,
  type DigitalParts,
  type PlacedDigital,
} from '@yundro/core';
import type { Long } from '../../workers/long.ts';
import type { Standing } from '../../workers/standing.ts';

/** An answer, or why there is none. */
export interface Told<T> {
  found?: T;
  trouble?: string;
}

function told<T>(make: () => T): Told<T> {
  try {
    return { found: make() };
  } catch (error) {
    if (error instanceof SimulationError) return { trouble: error.message };
    throw error;
  }
}

export const loopAnswers = {
  /** A network by the k-factor. */
  place: (design: Design, wanted: Wanted): Told<Placed> => told(() => placeNetwork(design, wanted)),
  /** A digital controller's coefficients by its form. */
  placeDigital: (design: Design, form: DigitalForm, wanted: Wanted): Told<PlacedDigital> =>
    told(() => placeDigital(design, form, wanted)),
  /** A network with its zeros and poles on the plant's features. */
  placeFeatures: (design: Design, crossover: number): Told<CompensatorParts> =>
    told(() => placeOnFeatures(design, crossover)),
  /** Every corner with another network, from the plants that are known. */
  dragged: (corners: LoopCorners, parts: CompensatorParts | DigitalParts): LoopCorners => withNetwork(corners, parts),
  witnesses: (design: Design, at: Corner): Told<Witnesses> => told(() => witnessesAt(design, at)),
  predictedLoop: (design: Design, at: Corner): Told<ResponseCurve> => told(() => loop(design, { at }).response),
  inputFilter: (design: Design): Told<InputFilter> => told(() => inputFilterOf(design)),
  sheet: (design: Design, at: Corner): Told<InjectionSheet> => told(() => injectionSheet(design, at)),
  fit: (design: Design, measured: MeasuredLoop, which: readonly Uncertain[]): Told<Fit> =>
    told(() => fitLoop(design, measured, which)),
  measure: (design: Design, at: Corner, seed: number): Told<string> =>
    told(() => simulatedMeasurement(design, at, seed)),
  compared: (design: Design, of: ComparisonOf): Told<Comparison> => told(() => compareLoops(design, of)),
  predictedStep: (design: Design, at: Corner): Told<PredictedStep> => told(() => steppedOf(design, at)),
};

/** An optimum, or why there is none. */
export type OptimumAnswer = Told<Optimised>;

export const loopLongAnswers = {
  *loop(design: Design, _standing: Standing, spread: boolean): Long<LoopCorners> {
    return yield* loopCorners(design, spread);
  },
  *optimum(design: Design, _standing: Standing, objective: Objective): Long<OptimumAnswer> {
    try {
      const going = optimiseNetwork(design, objective);
      for (;;) {
        const step = going.next();
        if (step.done) return { found: step.value };
        yield { part: step.value.part, soFar: {} };
      }
    } catch (error) {
      if (error instanceof SimulationError) return { trouble: error.message };
      throw error;
    }
  },
};
