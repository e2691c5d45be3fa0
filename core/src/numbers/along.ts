/** A curve at a place, linear between its points, the last value kept beyond them. */
export function along(curve: readonly (readonly [number, number])[], at: number): number {
  const next = curve.findIndex(([place]) => place >= at);
  if (next === 0) return curve[0]![1];
  if (next < 0) return curve[curve.length - 1]![1];
  const [from, low] = curve[next - 1]!;
  const [to, high] = curve[next]!;
  return low + ((high - low) * (at - from)) / (to - from);
}
