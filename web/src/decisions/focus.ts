/** Moves to the first of these decisions that is on screen: scrolls to it, focuses it and lights it for a moment. */
export function focusDecision(paths: readonly string[]): void {
  for (const path of paths) {
    const place = document.querySelector<HTMLElement>(`[data-decision="${CSS.escape(path)}"]`);
    if (!place) continue;
    place.scrollIntoView({ block: 'center', behavior: 'auto' });
    (place.querySelector<HTMLElement>('[role=slider], input, select, button') ?? place).focus({ preventScroll: true });
    place.dataset['lit'] = '';
    setTimeout(() => delete place.dataset['lit'], 1200);
    return;
  }
}
