/** Real and imaginary part. */
export type Complex = readonly [number, number];

export const plus = (a: Complex, b: Complex): Complex => [a[0] + b[0], a[1] + b[1]];
export const times = (a: Complex, b: Complex): Complex => [a[0] * b[0] - a[1] * b[1], a[0] * b[1] + a[1] * b[0]];
export const scaled = (a: Complex, by: number): Complex => [a[0] * by, a[1] * by];
export function over(a: Complex, b: Complex): Complex {
  const size = b[0] * b[0] + b[1] * b[1];
  return [(a[0] * b[0] + a[1] * b[1]) / size, (a[1] * b[0] - a[0] * b[1]) / size];
}
/** Not by `Math.hypot`, which takes ten times as long to save sizes that no circuit has. */
export const magnitude = (a: Complex): number => Math.sqrt(a[0] * a[0] + a[1] * a[1]);
/** degrees, −180 to 180 */
export const degrees = (a: Complex): number => (Math.atan2(a[1], a[0]) * 180) / Math.PI;
