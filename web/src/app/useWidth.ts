import { useLayoutEffect, useState, type RefObject } from 'react';

/** The width that an element is given, CSS pixels: a drawing lays itself out for it rather than being scaled. */
export function useWidth(element: RefObject<Element | null>, before: number): number {
  const [width, setWidth] = useState(before);
  useLayoutEffect(() => {
    const watched = element.current;
    if (!watched) return;
    const take = (): void => {
      const found = Math.round(watched.getBoundingClientRect().width);
      if (found > 0) setWidth(found);
    };
    take();
    const observer = new ResizeObserver(take);
    observer.observe(watched);
    return () => observer.disconnect();
  }, [element]);
  return width;
}
