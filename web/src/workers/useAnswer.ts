import { useCallback, useEffect, useState } from 'react';
import type { Design } from '@yundro/core';
import { useDocument } from '../stores/designStore.ts';
import type { LongAnswers, LongAsk } from './answers.ts';
import { askLong, type LongAnswer } from './solver.ts';

const CALM = 150;

/** An answer of the background worker that follows the open design a moment after it changes; none where it failed. */
export function useAnswer<R>(ask: (design: Design) => Promise<R>): R | undefined {
  const document = useDocument((state) => state.document);
  const [answer, setAnswer] = useState<R>();
  useEffect(() => {
    if (!document) return;
    let wanted = true;
    const timer = setTimeout(() => {
      ask(document).then(
        (found) => {
          if (wanted) setAnswer(() => found);
        },
        () => {
          if (wanted) setAnswer(undefined); // a stale picture would pass for this design's
        },
      );
    }, CALM);
    return () => {
      wanted = false;
      clearTimeout(timer);
    };
  }, [document, ask]);
  return answer;
}

/** How far a long answer is. */
export interface Running<R> {
  /** what there is so far; the whole once `state` says so */
  answer: R | undefined;
  part: number;
  state: 'working' | 'whole' | 'stopped' | 'failed';
  stop: () => void;
  again: () => void;
}

/**
 * A long answer that follows the open design: with its progress, and what it has when it is stopped.
 * @param ask what is asked beside the design; kept by the caller, for another one asks anew
 */
export function useLongAnswer<K extends keyof LongAnswers>(name: K, ask?: LongAsk<K>): Running<LongAnswer<K>> {
  const document = useDocument((state) => state.document);
  const [run, setRun] = useState<Pick<Running<LongAnswer<K>>, 'answer' | 'part' | 'state'>>({
    answer: undefined,
    part: 0,
    state: 'working',
  });
  const [times, setTimes] = useState(0);
  const [halt, setHalt] = useState<() => void>();
  useEffect(() => {
    if (!document) return;
    let end = (): void => undefined;
    const timer = setTimeout(() => {
      let wanted = true;
      setRun((before) => ({ ...before, part: 0, state: 'working' }));
      // what was told on the way may arrive after the whole
      let over = false;
      const tell = ({ part, soFar }: { part: number; soFar: LongAnswer<K> }): void => {
        if (wanted && !over) setRun({ answer: soFar, part, state: 'working' });
      };
      const asked = askLong(name, document, tell, ask);
      end = () => {
        wanted = false;
        asked.stop();
      };
      setHalt(() => end);
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
    }, CALM);
    return () => {
      clearTimeout(timer);
      end();
    };
  }, [document, name, times, ask]);
  const stop = useCallback(() => {
    halt?.();
    setRun((before) => ({ ...before, state: 'stopped' }));
  }, [halt]);
  const again = useCallback(() => setTimes((n) => n + 1), []);
  return { ...run, stop, again };
}
