/** Parts of a period: between events in haste; that diodes then rest, at first and at most. And how many in haste. */
const HASTE = 1e-7;
const CALM = 1e-3;
const LONGEST_CALM = 0.05;
const MOST_HASTY = 60;

/**
 * Diodes that turn on and off with hardly any time between carry no current worth the name: they rest for a while, the
 * longer the oftener it happens, so that a run always ends.
 */
export class Chattering {
  /** s until which diodes at rest are left to rest */
  calmUntil = -Infinity;
  private readonly period: number;
  private last = -Infinity;
  private hasty = 0;
  private calm = CALM;

  /** @param period s */
  constructor(period: number) {
    this.period = period;
  }

  /** Something happened at a time, s. */
  event(time: number): void {
    const { period } = this;
    if (time - this.last > HASTE * period) {
      this.hasty = 0;
      if (time > this.calmUntil + period) this.calm = CALM;
    } else if ((this.hasty += 1) > MOST_HASTY) {
      this.hasty = 0;
      this.calmUntil = time + this.calm * period;
      this.calm = Math.min(LONGEST_CALM, 2 * this.calm);
    }
    this.last = time;
  }

  /** Puts every moment so much earlier. */
  rebase(by: number): void {
    this.last -= by;
    this.calmUntil -= by;
  }

  reset(): void {
    this.last = this.calmUntil = -Infinity;
    this.hasty = 0;
    this.calm = CALM;
  }
}
