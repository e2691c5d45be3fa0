import { expect, test } from '@jest/globals';
import { newDesign } from '@yundro/core';
import { createLongAsker, latestOnly } from '../workers/solver.ts';
import { answers, longAnswers } from '../workers/answers.ts';
import { drive, type Progress } from '../workers/long.ts';

test('one job at a time, and of those asked for meanwhile only the newest', async () => {
  const started: number[] = [];
  const finished: number[] = [];
  const waiting: (() => void)[] = [];
  const ask = latestOnly(
    (n: number) =>
      new Promise<number>((resolve) => {
        started.push(n);
        waiting.push(() => resolve(n));
      }),
    (n) => finished.push(n),
    () => undefined,
  );
  for (const n of [1, 2, 3, 4]) ask(n);
  expect(started).toEqual([1]);
  waiting.shift()!();
  await new Promise((resolve) => setTimeout(resolve, 0));
  expect(started).toEqual([1, 4]);
  waiting.shift()!();
  await new Promise((resolve) => setTimeout(resolve, 0));
  expect(finished).toEqual([1, 4]);
});

test('what the worker answers is plain data that survives being copied to the page', () => {
  const design = newDesign('x');
  const corner = { inputVoltage: 12, outputCurrent: 3 };
  const solved = answers.solve(design);
  expect(JSON.parse(JSON.stringify(solved))).toEqual(solved);
  // the corner looked at is answered by itself, with the very figures that stand among all
  const viewed = answers.view(design, corner);
  expect(structuredClone(viewed)).toEqual(viewed);
  expect(solved.result.operatingPoints).toContainEqual(viewed.point);
  expect(viewed.decisions).toEqual(solved.result.decisions);
  expect(viewed.waveforms!.time.length).toBeGreaterThan(20);
  expect(answers.explain(design, corner, 'inductorRipple')?.formula?.numbers).toMatch(/12/u);
});

test('a long answer tells how far it is with what it has, and ends with the whole of it', () => {
  const told: Progress<unknown>[] = [];
  const whole = drive(longAnswers.sweeps(newDesign('x')), (progress) => told.push(structuredClone(progress)));
  const parts = told.map(({ part }) => part);
  expect(parts.length).toBeGreaterThan(3);
  expect(parts).toEqual([...parts].sort((a, b) => a - b));
  expect(parts[0]).toBeGreaterThan(0);
  expect(parts.at(-1)).toBeLessThan(1);
  // what there was on the way is part of what there is in the end, so that stopping keeps true figures
  const halfway = told[1]!.soFar as typeof whole;
  expect(halfway.overLoad).toHaveLength(2);
  expect(whole.overLoad.slice(0, 2)).toEqual(halfway.overLoad);
  expect(whole.overLine.length * whole.overDuty.length).toBeGreaterThan(0);
});

test('long answers: one worker serves those that end, stopping ends its own, and one that failed is not asked again', async () => {
  const workers: { ended: number; asked: { resolve: (value: unknown) => void; reject: (error: Error) => void }[] }[] =
    [];
  const ask = createLongAsker(() => {
    const worker: (typeof workers)[number] = { ended: 0, asked: [] };
    workers.push(worker);
    return {
      answers: { long: () => new Promise((resolve, reject) => worker.asked.push({ resolve, reject })) },
      end: () => (worker.ended += 1),
    };
  });
  const design = newDesign('x');
  const nothing = (): void => undefined;
  const first = ask('sweeps', design, nothing);
  workers[0]!.asked[0]!.resolve('whole');
  expect(await first.answer).toBe('whole');
  first.stop(); // too late: the worker has answered and is kept
  const second = ask('sweeps', design, nothing);
  expect(workers).toHaveLength(1);
  const beside = ask('sweeps', design, nothing);
  expect(workers).toHaveLength(2);
  second.stop();
  second.stop();
  expect(workers.map(({ ended }) => ended)).toEqual([1, 0]);
  workers[1]!.asked[0]!.reject(new Error('out of memory'));
  await expect(beside.answer).rejects.toThrow('out of memory');
  expect(workers[1]!.ended).toBe(1);
  ask('sweeps', design, nothing);
  expect(workers).toHaveLength(3);
});
