import { readFile } from 'node:fs/promises';
import { cpus } from 'node:os';
import {
  chooseParts,
  compareTopologies,
  completeDecisions,
  demoShelf,
  estimate,
  findTape,
  judge,
  judging,
  linePlaces,
  loop,
  loopCorners,
  optimiseNetwork,
  loadPlaces,
  losslessConditions,
  offered,
  pointsAlong,
  rankPairs,
  readDesign,
  readDesignText,
  simulate,
  solve,
  stressesAt,
  TAPES,
  topologyModel,
  waveformsAt,
  withNetwork,
  type Design,
} from '@yundro/core';

/** What a long answer gives in the end. */
function whole<R>(going: Generator<unknown, R>): R {
  for (;;) {
    const step = going.next();
    if (step.done) return step.value;
  }
}

interface Figure {
  name: string;
  milliseconds: { median: number; p95: number };
  runs: number;
}

/** Times `body` after a warm-up. */
function time(name: string, runs: number, body: () => unknown): Figure {
  for (let i = 0; i < Math.ceil(runs / 2); i += 1) body();
  const samples = Array.from({ length: runs }, () => {
    const start = performance.now();
    body();
    return performance.now() - start;
  }).sort((a, b) => a - b);
  return {
    name,
    runs,
    milliseconds: { median: samples[Math.floor(runs / 2)]!, p95: samples[Math.floor(runs * 0.95)]! },
  };
}

/**
 * A fixed piece of arithmetic that no change to the core touches: the machine's own speed, which every figure is given
 * as a multiple of. A hundred products of two 12 × 12 matrices, plainly written.
 */
function kernel(): number {
  const n = 12;
  const a = Array.from({ length: n * n }, (_, i) => Math.sin(i) / n);
  let b = a.slice();
  for (let round = 0; round < 100; round += 1) {
    const next = new Array<number>(n * n).fill(0);
    for (let i = 0; i < n; i += 1)
      for (let j = 0; j < n; j += 1) {
        let sum = 0;
        for (let k = 0; k < n; k += 1) sum += a[i * n + k]! * b[k * n + j]!;
        next[i * n + j] = sum;
      }
    b = next;
  }
  return b[0]!;
}

/** Times the kernel between figures, so that each is compared with the machine as it was then. */
function beside(figure: () => Figure): Figure & { kernels: number } {
  const before = time('', 40, kernel).milliseconds.median;
  const found = figure();
  const after = time('', 40, kernel).milliseconds.median;
  return { ...found, kernels: found.milliseconds.median / ((before + after) / 2) };
}

/** The speed figures of the core with the machine they were taken on: as a Markdown table, or as JSON. */
export async function runBench(json: boolean): Promise<string> {
  // the same folder from the source and from the built command
  const read = readDesignText(await readFile(new URL('../../sample/logic-rail.yundro.json', import.meta.url), 'utf8'));
  if (!read.ok) throw new Error('the sample design does not read');
  const { design } = read;
  const coupled = readDesignText(
    await readFile(new URL('../../sample/recognition-rail.yundro.json', import.meta.url), 'utf8'),
  );
  if (!coupled.ok) throw new Error('the four-phase sample design does not read');
  const fourPhase = coupled.design;
  const nineCorners = (): void => {
    const { inputVoltage, outputCurrent } = fourPhase.brief;
    const held: Design = { ...fourPhase, decisions: fourPhaseHeld };
    for (const vin of [inputVoltage.min, inputVoltage.nominal, inputVoltage.max])
      pointsAlong(held, 'outputCurrent', [outputCurrent.min, outputCurrent.max / 2, outputCurrent.max], vin);
  };
  const fourPhaseHeld = solve(fourPhase).decisions;
  const buck = topologyModel('buck');
  const conditions = losslessConditions(design.brief, 24, {
    phases: 1,
    switchingFrequency: 4e5,
    inductance: 4.7e-6,
    largestDuty: 0.95,
    smallestBoostDuty: 0.05,
  });
  const file = JSON.parse(JSON.stringify(design)) as unknown;
  const bare: Design = { ...design, decisions: {} };
  const result = solve(design);
  const shelf = demoShelf().parts;
  const held = chooseParts(bare, shelf).design;
  const straight: Design = {
    ...held,
    decisions: { ...held.decisions, inductor: { ...held.decisions.inductor, inductanceCurve: undefined } },
  };
  const { decisions } = completeDecisions(held);
  const { outputCurrent } = design.brief;
  const loads = Array.from({ length: 10 }, (_, i) => ({
    current: outputCurrent.min * (outputCurrent.max / outputCurrent.min) ** (i / 9),
    share: 0.1,
  }));
  const stresses = stressesAt({ ...held, brief: { ...held.brief, loadProfile: loads } }, decisions);
  const mosfets = offered(shelf, 'mosfet');
  const thousand = Array.from({ length: 1000 }, (_, i) => ({ part: mosfets[i % mosfets.length]!, count: 1 + (i % 3) }));
  const drive = { gateVoltage: 5, pullUp: 1.6, pullDown: 0.8, deadTime: 20e-9 };
  const rankMany = (): unknown =>
    rankPairs(thousand, thousand, { ...stresses, drive, phases: 1, ambient: design.brief.ambientTemperature });
  const corner = { inputVoltage: design.brief.inputVoltage.nominal, outputCurrent: design.brief.outputCurrent.max };
  const sixCorners = whole(loopCorners(design));
  const { network } = sixCorners;
  const moved = { ...network, feedbackCapacitor: 1.3 * (network?.feedbackCapacitor ?? 1e-9) };
  const figures = [
    () => time('read and check a design file', 400, () => readDesign(file)),
    () => time('solve, one corner', 400, () => solve(design, { at: corner })),
    () => time('solve, buck, six corners, sample decisions held', 400, () => solve(design)),
    () => time('solve, buck, six corners, everything free', 400, () => solve(bare)),
    () => time('waveforms, two periods', 400, () => waveformsAt(design, result.decisions, corner)),
    () => time('one operating point from closed forms', 4000, () => estimate(buck, conditions)),
    () => time('solve, four coupled phases, nine corners, exact', 100, nineCorners),
    () => time('topology comparison, four topologies and a linear regulator', 60, () => compareTopologies(design)),
    () => time('first verdicts of a bare brief: its stage judged, the rest open', 40, () => judging(bare).next()),
    () => time('whole judgement of a bare brief', 9, () => judge(bare)),
    () => time('whole judgement of the sample’s logic rail', 9, () => judge(design)),
    () =>
      time('400 exact points: 20 over the line, each over 20 loads', 10, () => {
        for (const vin of linePlaces(design.brief, 20))
          pointsAlong(design, 'outputCurrent', loadPlaces(design.brief, 20), vin);
      }),
    () => time('one tape, all stretches', 20, () => findTape(design, TAPES[0]!.path)),
    () =>
      time('losses and heat of one operating point, settled, parts fixed', 60, () =>
        solve(straight, { at: corner, areas: [] }),
      ),
    () =>
      time('one operating point settled, with an inductance that bends over current', 20, () =>
        solve(held, { at: corner, areas: [] }),
      ),
    () => time('solve, buck, six corners, parts fixed', 40, () => solve(straight)),
    () => time('solve, buck, six corners, parts fixed, with an inductance that bends', 10, () => solve(held)),
    () => time('ranking 1,000 × 1,000 pairs of switches at ten loads', 5, rankMany),
    () => time('every place of a bare brief filled from the demo shelf', 5, () => chooseParts(bare, shelf)),
    () =>
      time('closed loop, type 3: 20,000 switching cycles with their measurements', 7, () =>
        simulate(design, { scenario: 'load-step', duration: 0.05, waveforms: false }),
      ),
    () =>
      time('load step of 5 ms at 400 kHz with its waveforms', 15, () =>
        simulate(design, { scenario: 'load-step', duration: 5e-3 }),
      ),
    () =>
      time('closed steady state, four coupled phases', 10, () =>
        simulate(fourPhase, { scenario: 'steady-state', waveforms: false }),
      ),
    () => time('loop of one corner: every curve at 400 points, and margins, averaged', 40, () => loop(design)),
    () => time('the same with the exact response at 400 points', 7, () => loop(design, { exact: true })),
    () => time('loop of six corners as the page draws them, 161 points', 40, () => whole(loopCorners(design))),
    () => time('the same with a zero dragged', 100, () => withNetwork(sixCorners, moved)),
    () =>
      time('a network searched over 18 corners of line, load and parts', 9, () =>
        whole(optimiseNetwork(design, 'bandwidth')),
      ),
  ].map(beside);
  const cpu = cpus()[0]?.model ?? 'unknown processor';
  const machine = `${cpu}, ${cpus().length} cores, Node ${process.version}`;
  if (json) return `${JSON.stringify({ format: 'yundro-speed', version: 1, machine, figures }, null, 2)}\n`;
  const rows = figures.map(
    (f) =>
      `| ${f.name} | ${f.milliseconds.median.toFixed(3)} | ${f.milliseconds.p95.toFixed(3)} | ${f.kernels.toPrecision(3)} | ${f.runs} |`,
  );
  return [
    machine,
    '',
    '| figure | median, ms | 95th percentile, ms | in kernels | runs |',
    '| --- | --- | --- | --- | --- |',
    ...rows,
    '',
  ].join('\n');
}
