import { expose, transfer } from 'comlink';
import type { CompensatorParts, Corner, Design, DigitalParts, LoopCorners, Part, Place } from '@yundro/core';
import { answers, LONG_WITH_SHELF, longAnswers, shelfAnswers, type LongAnswers } from './answers.ts';
import { driveWhile, type Long, type Progress } from './long.ts';

/** The shelf as the server has it now; the browser keeps it while its mark stands, so that nothing is sent twice. */
let shelf: { mark: string; parts: Part[] } | undefined;
async function shelfParts(): Promise<readonly Part[]> {
  const response = await fetch('/api/shelf', { cache: 'no-cache' });
  if (!response.ok) throw new Error('the shelf could not be read');
  const mark = response.headers.get('ETag');
  if (shelf && mark !== null && shelf.mark === mark) return shelf.parts;
  const { parts } = (await response.json()) as { parts: Part[] };
  shelf = { mark: mark ?? '', parts };
  return parts;
}

type Answering = (this: void, design: Design, parts: readonly Part[], ask: unknown) => Long<unknown>;

/** What a drag began from: sent once, for it is large. */
let dragged: LoopCorners | undefined;

/** How often the long answers under way were halted. */
let halts = 0;

const remote = {
  ...answers,
  /** The traces lie in one buffer, which goes over to the page and is not copied. */
  view(design: Design, corner: Corner) {
    const viewed = answers.view(design, corner);
    return viewed.waveforms ? transfer(viewed, [viewed.waveforms.time.buffer]) : viewed;
  },
  dragFrom(corners: LoopCorners): void {
    dragged = corners;
  },
  dragged(parts: CompensatorParts | DigitalParts): LoopCorners {
    if (!dragged) throw new Error('a drag that did not begin here');
    return answers.dragged(dragged, parts);
  },
  async parts(design: Design) {
    return shelfAnswers.parts(design, await shelfParts());
  },
  async rank(design: Design, place: Place) {
    return shelfAnswers.rank(design, await shelfParts(), place);
  },
  async pairs(design: Design) {
    return shelfAnswers.pairs(design, await shelfParts());
  },
  async drive(design: Design) {
    return shelfAnswers.drive(design, await shelfParts());
  },
  async heatThen(design: Design) {
    return shelfAnswers.heatThen(design, await shelfParts());
  },
  async withPart(design: Design, place: Place, id: string) {
    return shelfAnswers.withPart(design, await shelfParts(), place, id);
  },
  async long(
    name: keyof LongAnswers,
    design: Design,
    tell: (progress: Progress<unknown>) => void,
    ask: unknown,
  ): Promise<unknown> {
    const before = halts;
    const parts = LONG_WITH_SHELF.has(name) ? await shelfParts() : [];
    const answers = longAnswers as Readonly<Record<string, Answering>>;
    return driveWhile(answers[name]!(design, parts, ask), tell, () => halts === before);
  },
  /** The long answer under way fails where it stands. */
  halt(): void {
    halts += 1;
  },
};
export type Remote = typeof remote;

expose(remote);
