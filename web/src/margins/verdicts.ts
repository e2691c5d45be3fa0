import { useEffect } from 'react';
import { create } from 'zustand';
import type { QuantityId, Target } from '@yundro/core';
import { useDocument, useSolved } from '../stores/designStore.ts';
import { useLongAnswer, type Running } from '../workers/useAnswer.ts';
import { whilePending, type Shown } from './order.ts';

/** The open design's verdicts: composed once, read by rail and ladder. */
export interface OpenVerdicts {
  targets: Shown[];
  /** what keeps the design from working, or makes a figure doubtful */
  remarks: readonly string[];
  state: Running<unknown>['state'];
  part: number;
  stop: () => void;
  again: () => void;
}

const NOTHING: OpenVerdicts = {
  targets: [],
  remarks: [],
  state: 'due',
  part: 0,
  stop: () => undefined,
  again: () => undefined,
};

export const useVerdicts = create<OpenVerdicts>()(() => NOTHING);

/** What was judged last of a design, by the target's id. */
let last: { id: string | undefined; targets: ReadonlyMap<string, Target<QuantityId>> } = {
  id: undefined,
  targets: new Map(),
};

const remarksOf = (found: { warnings: readonly { message: string }[] } | undefined): string[] =>
  found?.warnings.map(({ message }) => message) ?? [];

/** Judges the open design a moment after it has come to rest, and tells everyone. Called once, by the design's page. */
export function useJudging(): void {
  const { answer, state, part, stop, again } = useLongAnswer('judge');
  const quick = useSolved((solved) => solved.result);
  const id = useDocument((open) => open.id);
  useEffect(() => {
    if (last.id !== id) last = { id, targets: new Map() };
    if (state === 'whole' && answer) {
      last = { id, targets: new Map(answer.targets.map((target) => [target.id, target])) };
      useVerdicts.setState({ targets: answer.targets, remarks: remarksOf(answer), state, part, stop, again });
      return;
    }
    // while a value moves the stage's own figures follow it
    const told = state === 'working' && answer ? answer.targets : (quick?.targets ?? []);
    const placed = told.map((target) => {
      const rung = target.rung ?? last.targets.get(target.id)?.rung;
      return rung ? { ...target, rung } : target;
    });
    const remarks = remarksOf(quick);
    useVerdicts.setState({ targets: whilePending(placed, last.targets), remarks, state, part, stop, again });
  }, [answer, state, part, stop, again, quick, id]);
}
