/** A moment for the browser's own tracing, which the page's bench reads; nothing of it is kept in the page. */
export function mark(name: 'yundro-moved' | 'yundro-answered' | 'yundro-drawn'): void {
  performance.mark(name);
  performance.clearMarks(name);
}

/** A plot that follows a moving value has been drawn. */
export const markDrawn = (): void => mark('yundro-drawn');
