import { LinearScale, LogarithmicScale, type Tick } from 'chart.js';

/** A figure of a lane's axis: one line high, and as wide as the axis leaves it room. */
const FIGURE = { width: 0, height: 12 };
const FIGURES = { first: FIGURE, last: FIGURE, widest: FIGURE, highest: FIGURE };

/*
 * Axes of lanes over one another: their width is given and their places are chosen by the plot, so nothing is measured
 * and no places are sought that are then replaced: a third of what redrawing a moving value took.
 */

export class LaneScale extends LinearScale {
  static override id = 'lane';
  override buildTicks(): Tick[] {
    return [];
  }
  // the library's own hook for what it measures, which its types leave out
  _getLabelSizes(): typeof FIGURES {
    return FIGURES;
  }
}

export class LogLaneScale extends LogarithmicScale {
  static override id = 'log-lane';
  override buildTicks(): Tick[] {
    return [];
  }
  _getLabelSizes(): typeof FIGURES {
    return FIGURES;
  }
}
