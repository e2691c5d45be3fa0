import { expose, transfer } from 'comlink';
import {
  keepParts,
  nearestFor,
  type Choice,
  type CompensatorParts,
  type Corner,
  type Design,
  type DigitalParts,
  type LoopCorners,
  type Part,
  type Place,
} from '@yundro/core';
import { answers, LONG_WITH_SHELF, longAnswers, shelfAnswers, type LongAnswers } from './answers.ts';
import type { ScopeAsk } from '../rungs/scope/answers.ts';
import { chosenFor } from './filled.ts';
import { driveWhile, type Long, type Progress } from './long.ts';
import type { InForce, Standing } from './standing.ts';

/** What the server last handed over, by what was asked; the browser keeps it while its mark stands, so that nothing is sent twice. */
interface Near {
  asked: string;
  mark: string;
  whole: boolean;
  parts: readonly Part[];
}
let near: Near | undefined;

async function fetchNear(asked: string): Promise<Near> {
  let response: Response | undefined;
  try {
    response = await fetch(`/api/shelf/near${asked}`, { cache: 'no-cache' });
  } catch {
    // told below
  }
  if (!response?.ok) {
    // while the server is away what was read last stands
    if (near) return near;
    throw new Error('the shelf could not be read');
  }
  const mark = response.headers.get('ETag') ?? '';
  // the same list stays the same object, by which what was chosen from it is found again
  if (near?.asked === asked && mark !== '' && near.mark === mark) return near;
  const { whole, parts } = (await response.json()) as { whole: boolean; parts: Part[] };
  return { asked, mark, whole, parts };
}

/** The shelf as the server has it now: the whole of it, or of a large one what may come into question for a design. */
async function shelfParts(design: Design, also?: string): Promise<readonly Part[]> {
  const nearest = (): string => {
    const { classes, ids } = nearestFor(design);
    const wanted = { classes, ids: also === undefined ? ids : [...ids, also] };
    return `?for=${encodeURIComponent(JSON.stringify(wanted))}`;
  };
  let found = await fetchNear(near && !near.whole ? nearest() : '');
  if (!found.whole && found.asked === '') found = await fetchNear(nearest());
  near = found;
  return found.parts;
}

type Answering = (this: void, design: Design, standing: Standing, ask: unknown) => Long<unknown>;

/** What a drag began from: sent once, for it is large. */
let dragged: LoopCorners | undefined;

/** How often the long answers under way were halted. */
let halts = 0;

const remote = {
  ...answers,
  /**
   * A corner of a design on the parts that it would be built with: chosen anew, or those that stand while a value moves.
   * The traces lie in one buffer, which goes over to the page and is not copied.
   */
  async view(given: Design, corner: Corner, standing: Choice | undefined) {
    const choice = (standing && keepParts(given, standing)) ?? chosenFor(given, await shelfParts(given));
    const viewed = { ...answers.view(choice, corner), choice };
    return viewed.waveforms ? transfer(viewed, [viewed.waveforms.time.buffer]) : viewed;
  },
  dragFrom(corners: LoopCorners): void {
    dragged = corners;
  },
  dragged(parts: CompensatorParts | DigitalParts): LoopCorners {
    if (!dragged) throw new Error('a drag that did not begin here');
    return answers.dragged(dragged, parts);
  },
  async parts(inForce: InForce) {
    return shelfAnswers.parts(inForce, await shelfParts(inForce.given));
  },
  async scopeOf(design: Design, ask: ScopeAsk) {
    return shelfAnswers.scopeOf(design, await shelfParts(design), ask);
  },
  async summary(design: Design) {
    return shelfAnswers.summary(design, await shelfParts(design));
  },
  async resultsApart(design: Design, other: Design) {
    return shelfAnswers.resultsApart(design, await shelfParts(design), other);
  },
  async rank(design: Design, place: Place) {
    return shelfAnswers.rank(design, await shelfParts(design), place);
  },
  async pairs(design: Design) {
    return shelfAnswers.pairs(design, await shelfParts(design));
  },
  async drive(design: Design) {
    return shelfAnswers.drive(design, await shelfParts(design));
  },
  async heatThen(design: Design) {
    return shelfAnswers.heatThen(design, await shelfParts(design));
  },
  async withPart(design: Design, place: Place, id: string) {
    return shelfAnswers.withPart(design, await shelfParts(design, id), place, id);
  },
  async long(
    name: keyof LongAnswers,
    given: Design,
    known: Choice | undefined,
    tell: (progress: Progress<unknown>) => void,
    ask: unknown,
  ): Promise<unknown> {
    const before = halts;
    const parts = known && !LONG_WITH_SHELF.has(name) ? [] : await shelfParts(given);
    const choice = known ?? chosenFor(given, parts);
    const answers = longAnswers as Readonly<Record<string, Answering>>;
    return driveWhile(answers[name]!(choice.design, { given, choice, parts }, ask), tell, () => halts === before);
  },
  /** The long answer under way fails where it stands. */
  halt(): void {
    halts += 1;
  },
};
export type Remote = typeof remote;

expose(remote);
