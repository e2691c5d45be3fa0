import { useEffect, useState } from 'react';
import type { Design } from '@yundro/core';
import { useDocument } from '../stores/designStore.ts';

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
