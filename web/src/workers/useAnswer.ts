import { useCallback, useEffect, useRef, useState } from 'react';
import type { Design } from '@yundro/core';
import { followCalmly } from '../stores/designStore.ts';
import type { LongAnswers, LongAsk } from './answers.ts';
import { askLong, latestOnly, type LongAnswer } from './solver.ts';
import type { InForce } from './standing.ts';

/**
 * An answer of the background worker that follows the open design a moment after it changes; none where it failed.
 * @param ask is given the design as it would be built, and what it is made of
 */
export function useAnswer<R>(ask: (design: Design, inForce: InForce) => Promise<R>): R | undefined {
  const [answer, setAnswer] = useState<R>();
  useEffect(() => {
    let wanted = {};
    // of the states that pass while one is being answered only the last is asked about
    const follow = latestOnly(
      ({ inForce, own }: { inForce: InForce; own: object }) =>
        wanted === own ? ask(inForce.choice.design, inForce) : Promise.reject(new Error('no longer asked')),
      (found, { own }) => {
        if (wanted === own) setAnswer(() => found);
      },
      (_, { own }) => {
        if (wanted === own) setAnswer(undefined); // a stale picture would pass for this design's
      },
    );
    const end = followCalmly({
      moved: () => (wanted = {}),
      rested: (inForce) => follow({ inForce, own: wanted }),
    });
    return () => {
      wanted = {};
      end();
    };
  }, [ask]);
  return answer;
}

/** How far a long answer is. */
export interface Running<R> {
  /** what there is so far; the whole once `state` says so */
  answer: R | undefined;
  part: number;
  /** `due`: what there is, is of an earlier state of the design, which has yet to come to rest */
  state: 'due' | 'working' | 'whole' | 'stopped' | 'failed';
  stop: () => void;
  again: () => void;
}

/**
 * A long answer that follows the open design: with its progress, and what it has when it is stopped.
 * @param ask what is asked beside the design; kept by the caller, for another one asks anew
 */
export function useLongAnswer<K extends keyof LongAnswers>(name: K, ask?: LongAsk<K>): Running<LongAnswer<K>> {
  const [run, setRun] = useState<Pick<Running<LongAnswer<K>>, 'answer' | 'part' | 'state'>>({
    answer: undefined,
    part: 0,
    state: 'due',
  });
  const [times, setTimes] = useState(0);
  const halt = useRef((): void => undefined);
  useEffect(() => {
    let end = (): void => undefined;
    let stopped = false;
    halt.current = () => {
      stopped = true;
      end();
    };
    const moved = (): void => {
      end();
      stopped = false;
      setRun((before) => (before.state === 'due' ? before : { ...before, part: 0, state: 'due' }));
    };
    const rested = (inForce: InForce): void => {
      if (stopped) return;
      let wanted = true;
      setRun((before) => ({ ...before, part: 0, state: 'working' }));
      // what was told on the way may arrive after the whole
      let over = false;
      const tell = ({ part, soFar }: { part: number; soFar: LongAnswer<K> }): void => {
        if (wanted && !over) setRun({ answer: soFar, part, state: 'working' });
      };
      const asked = askLong(name, inForce, tell, ask);
      end = () => {
        wanted = false;
        asked.stop();
      };
      asked.answer.then(
        (answer) => {
          over = true;
          if (wanted) setRun({ answer, part: 1, state: 'whole' });
        },
        () => {
          over = true;
          if (wanted) setRun({ answer: undefined, part: 0, state: 'failed' });
        },
      );
    };
    const stopFollowing = followCalmly({ moved, rested });
    return () => {
      stopFollowing();
      end();
    };
  }, [name, times, ask]);
  const stop = useCallback(() => {
    halt.current();
    setRun((before) => ({ ...before, state: 'stopped' }));
  }, []);
  const again = useCallback(() => setTimes((n) => n + 1), []);
  return { ...run, stop, again };
}
