import { expect, jest, test } from '@jest/globals';
import { newDesign, type Choice } from '@yundro/core';
import { createLongAsker, HALT, latestOnly } from '../workers/solver.ts';
import { answers, longAnswers } from '../workers/answers.ts';
import { drive, driveWhile, type Long, type Progress } from '../workers/long.ts';

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
  const choice: Choice = { design, chosen: [], decided: [], anew: [] };
  const inForce = { given: design, choice };
  const solved = answers.solve(inForce);
  expect(JSON.parse(JSON.stringify(solved))).toEqual(solved);
  // the corner looked at is answered by itself, with the very figures that stand among all
  const viewed = answers.view(choice, corner);
  expect(structuredClone(viewed)).toEqual(viewed);
  expect(solved.result.operatingPoints).toContainEqual(viewed.point);
  expect(viewed.decisions).toEqual(solved.result.decisions);
  expect(viewed.waveforms!.time.length).toBeGreaterThan(20);
  expect(answers.explain(inForce, corner, 'inductorRipple')?.formula?.numbers).toMatch(/12/u);
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

test('long answers: one worker serves those that end, stopping halts its own, and one that failed is not asked again', async () => {
  jest.useFakeTimers();
  type Asked = { resolve: (value: unknown) => void; reject: (error: Error) => void };
  const workers: { ended: number; halted: number; asked: Asked[] }[] = [];
  const ask = createLongAsker(() => {
    const worker: (typeof workers)[number] = { ended: 0, halted: 0, asked: [] };
    workers.push(worker);
    return {
      answers: {
        long: () => new Promise((resolve, reject) => worker.asked.push({ resolve, reject })),
        halt: () => (worker.halted += 1),
      },
      end: () => (worker.ended += 1),
    };
  });
  const design = newDesign('x');
  const nothing = (): void => undefined;
  const asked = () => ask('sweeps', { given: design }, nothing);
  const first = asked();
  workers[0]!.asked[0]!.resolve('whole');
  expect(await first.answer).toBe('whole');
  first.stop(); // too late: the worker has answered and is kept
  const second = asked();
  expect(workers).toHaveLength(1);
  const beside = asked();
  expect(workers).toHaveLength(2);
  // one that halts where it stands is kept, warm as it is
  second.stop();
  second.stop();
  workers[0]!.asked[1]!.reject(new Error('halted'));
  await expect(second.answer).rejects.toThrow('halted');
  const third = asked();
  expect(workers.map(({ ended, halted }) => [ended, halted])).toEqual([
    [0, 1],
    [0, 0],
  ]);
  // one that does not is ended in the end
  third.stop();
  jest.advanceTimersByTime(HALT - 1);
  expect(workers[0]!.ended).toBe(0);
  jest.advanceTimersByTime(2);
  expect(workers[0]!.ended).toBe(1);
  workers[1]!.asked[0]!.reject(new Error('out of memory'));
  await expect(beside.answer).rejects.toThrow('out of memory');
  expect(workers[1]!.ended).toBe(1);
  asked();
  expect(workers).toHaveLength(3);
  jest.useRealTimers();
});

test('a long answer that is no longer wanted halts where it stands, and one that is ends', async () => {
  let reached = 0;
  function* slow(): Long<number> {
    for (let k = 1; k <= 20; k += 1) {
      const until = performance.now() + 8;
      while (performance.now() < until);
      reached = k;
      yield { part: k / 20, soFar: k };
    }
    return 20;
  }
  let wanted = true;
  const halted = driveWhile(
    slow(),
    () => undefined,
    () => wanted,
  );
  setTimeout(() => (wanted = false), 60);
  await expect(halted).rejects.toThrow('halted');
  expect(reached).toBeLessThan(20);
  await expect(
    driveWhile(
      slow(),
      () => undefined,
      () => true,
    ),
  ).resolves.toBe(20);
});
