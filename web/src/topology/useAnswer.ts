import { useEffect, useState } from 'react';
import type { Design } from '@yundro/core';
import { useDesign } from '../stores/designStore.ts';

const CALM = 150;

/** An answer of the background worker that follows the open design a moment after it changes. */
export function useAnswer<R>(ask: (design: Design) => Promise<R>): R | undefined {
  const document = useDesign((state) => state.document);
  const [answer, setAnswer] = useState<R>();
  useEffect(() => {
    if (!document) return;
    let wanted = true;
    const timer = setTimeout(() => {
      void ask(document).then((found) => {
        if (wanted) setAnswer(() => found);
      });
    }, CALM);
    return () => {
      wanted = false;
      clearTimeout(timer);
    };
  }, [document, ask]);
  return answer;
}
