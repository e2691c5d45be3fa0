import { scaledNorm, zeros, type Propagator, type Vector } from './linear.ts';

/**
 * A stage as a switched linear network, in the one structure that all of its topologies share: each phase's inductor
 * is joined by the switches to the input (or not) on one side and to the output (or not) on the other.
 *
 *   input ──b──┐                       ┌──a── output node ──┬── banks ──┬── load
 *              ├── L, winding, switch ─┤                    │           │
 *   return ────┘                       └── return           └───────────┘
 *
 *   L di/dt = b·Vin − a·vo − (winding + switch resistance)·i − drop
 *   current into the output node: Σ a·i,   current out of the input: Σ b·i
 */
export interface Cell {
  /** 1 when the winding's near end is at the input, 0 when at return */
  fromInput: 0 | 1;
  /** 1 when the winding's far end feeds the output node, 0 when at return */
  toOutput: 0 | 1;
  /** Ω, of the switches in the path (the winding's own is added) */
  resistance: number;
  /** V, against positive current; negative for a diode that carries negative current */
  drop: number;
  /** true when no switch conducts and the current rests at zero */
  blocked: boolean;
}

/** What a phase's switches do, one after another through the period. */
export type CellName = 'control' | 'rectifier' | 'deadForward' | 'deadReverse' | 'idle';

/** One branch at a node: capacitance F, series resistance Ω, series inductance H. Equal parts are already combined. */
export interface Branch {
  capacitance: number;
  resistance: number;
  inductance: number;
}

/** What the load is: a conductance (S) and a constant current (A) in parallel. */
export interface Load {
  conductance: number;
  current: number;
}

export interface Circuit {
  phases: number;
  /** V */
  inputVoltage: number;
  /** H, of one winding */
  inductance: number;
  /** Ω, of one winding */
  windingResistance: number;
  cells: Readonly<Record<CellName, Cell>>;
  outputBranches: readonly Branch[];
  load: Load;
}

/** The network's matrices for one switch configuration. States: phase currents, then branch states, then 1. */
export interface Configuration {
  cells: readonly CellName[];
  matrix: Vector;
  norm: number;
  /** rows that give, from the state: output voltage, current into the output bank, current out of the input */
  outputVoltage: Vector;
  bankCurrent: Vector;
  inputCurrent: Vector;
  /** rows for each output branch's current, in the order of the network's branches */
  branchCurrents: Vector[];
  /** the last propagator made for this configuration: dead times keep their length while the duty is sought */
  last?: { duration: number; propagator: Propagator };
}

/** Combines branches without resistance and inductance into one, since together they are one state. */
export function mergeIdealBranches(branches: readonly Branch[]): Branch[] {
  const ideal = branches.filter((branch) => branch.resistance === 0 && branch.inductance === 0);
  if (ideal.length < 2) return branches.slice();
  const capacitance = ideal.reduce((sum, branch) => sum + branch.capacitance, 0);
  return [
    { capacitance, resistance: 0, inductance: 0 },
    ...branches.filter((branch) => branch.resistance > 0 || branch.inductance > 0),
  ];
}

/**
 * A circuit with its state numbering fixed, giving the matrices of any switch configuration.
 *
 * Where every branch has series inductance, the currents at the output node are not independent. The first branch's
 * current then follows from Kirchhoff's law instead of being a state, and the node voltage from the branch's own
 * voltage, with the load's share of its slope left out: the load would answer within (inductance × load conductance),
 * a fraction of a nanosecond. So series inductance shows in the slopes of the ripple and in its steps, exactly; the
 * spike that an ideal edge would make in a chopped current has no width and is left out.
 */
export class Network {
  readonly circuit: Circuit;
  readonly branches: readonly Branch[];
  /** number of states, the constant included */
  readonly size: number;
  /** natural unit of each state, so that norms compare volts with amperes */
  readonly scale: Vector;
  private readonly known = new Map<string, Configuration>();
  /** state index of each branch's capacitor voltage, and of its inductance's current (-1: not a state) */
  private readonly voltageState: number[] = [];
  private readonly currentState: number[] = [];
  /** the branch whose current is not a state because all have inductance; -1 otherwise */
  private readonly dependent: number;

  constructor(circuit: Circuit) {
    this.circuit = circuit;
    this.branches = mergeIdealBranches(circuit.outputBranches);
    this.dependent = this.branches.every((branch) => branch.inductance > 0) ? 0 : -1;
    let next = circuit.phases;
    this.branches.forEach((branch, index) => {
      this.voltageState.push(next++);
      this.currentState.push(branch.inductance > 0 && index !== this.dependent ? next++ : -1);
    });
    this.size = next + 1;
    const total = this.branches.reduce((sum, branch) => sum + branch.capacitance, 0);
    const impedance = Math.sqrt(circuit.inductance / total);
    this.scale = zeros(this.size).map(() => 1);
    for (const at of this.voltageState) this.scale[at] = impedance;
  }

  /** The matrices while phase k's switches are in state `cells[k]`. */
  configuration(cells: readonly CellName[]): Configuration {
    const key = cells.join();
    const found = this.known.get(key);
    if (found) return found;
    const made = this.assemble(cells.slice());
    this.known.set(key, made);
    return made;
  }

  private assemble(cells: CellName[]): Configuration {
    const { circuit, branches, size, voltageState, currentState, dependent } = this;
    const one = size - 1;
    const matrix = zeros(size * size);
    const feed = zeros(size); // Σ a·i, less the constant part of the load
    const inputCurrent = zeros(size);
    const gain = 1 / circuit.inductance;
    // the phases' equations without the output node's voltage, and how much of that voltage each takes
    cells.forEach((name, phase) => {
      const cell = circuit.cells[name];
      if (cell.blocked) return;
      feed[phase] = cell.toOutput;
      inputCurrent[phase] = cell.fromInput;
      matrix[phase * size + phase] = -(cell.resistance + circuit.windingResistance) * gain;
      matrix[phase * size + one] = (cell.fromInput * circuit.inputVoltage - cell.drop) * gain;
    });
    feed[one] = -circuit.load.current;

    const outputVoltage = this.outputNode(cells, feed, matrix);
    cells.forEach((name, phase) => {
      const cell = circuit.cells[name];
      if (cell.blocked || !cell.toOutput) return;
      for (let k = 0; k < size; k += 1) matrix[phase * size + k]! -= outputVoltage[k]! * gain;
    });

    const bankCurrent = feed.slice();
    for (let k = 0; k < size; k += 1) bankCurrent[k]! -= circuit.load.conductance * outputVoltage[k]!;

    const currents = branches.map((branch, index) => {
      const row = zeros(size);
      const current = currentState[index]!;
      if (current >= 0) row[current] = 1;
      else if (branch.resistance > 0 && branch.inductance === 0) {
        for (let k = 0; k < size; k += 1) row[k] = outputVoltage[k]! / branch.resistance;
        row[voltageState[index]!]! -= 1 / branch.resistance;
      }
      return row;
    });
    // an ideal capacitor, or the branch whose current is not a state, takes what the others leave
    const rest = dependent >= 0 ? dependent : this.idealBranch();
    if (rest >= 0) {
      const row = bankCurrent.slice();
      currents.forEach((other, index) => {
        if (index !== rest) for (let k = 0; k < size; k += 1) row[k]! -= other[k]!;
      });
      currents[rest] = row;
    }
    branches.forEach((branch, index) => {
      const voltage = voltageState[index]! * size;
      for (let k = 0; k < size; k += 1) matrix[voltage + k] = currents[index]![k]! / branch.capacitance;
      const current = currentState[index]!;
      if (current < 0) return;
      const row = current * size;
      for (let k = 0; k < size; k += 1) matrix[row + k] = outputVoltage[k]! / branch.inductance;
      matrix[row + current]! -= branch.resistance / branch.inductance;
      matrix[row + voltageState[index]!]! -= 1 / branch.inductance;
    });
    const norm = scaledNorm(size, matrix, this.scale);
    return { cells, matrix, norm, outputVoltage, bankCurrent, inputCurrent, branchCurrents: currents };
  }

  private idealBranch(): number {
    return this.branches.findIndex((branch) => branch.resistance === 0 && branch.inductance === 0);
  }

  /**
   * The output voltage as a row over the state: an ideal capacitor's own; else Kirchhoff's current law at the node;
   * or, where every branch has inductance L0 first, v = L0·d/dt(Σ a·i − Σ other) + R0·i0 + v0 solved for v.
   */
  private outputNode(cells: readonly CellName[], feed: Vector, matrix: Vector): Vector {
    const { circuit, branches, size, voltageState, currentState, dependent } = this;
    const ideal = this.idealBranch();
    if (ideal >= 0) {
      const own = zeros(size);
      own[voltageState[ideal]!] = 1;
      return own;
    }
    const row = feed.slice();
    branches.forEach((_, index) => {
      const current = currentState[index]!;
      if (current >= 0) row[current]! -= 1;
    });
    let divisor = circuit.load.conductance;
    if (dependent < 0) {
      branches.forEach((branch, index) => {
        if (branch.inductance > 0) return;
        divisor += 1 / branch.resistance;
        row[voltageState[index]!]! += 1 / branch.resistance;
      });
    } else {
      const first = branches[dependent]!;
      divisor = 1 + first.resistance * divisor;
      for (let k = 0; k < size; k += 1) row[k]! *= first.resistance;
      row[voltageState[dependent]!]! += 1;
      cells.forEach((name, phase) => {
        const cell = circuit.cells[name];
        if (cell.blocked || !cell.toOutput) return;
        divisor += first.inductance / circuit.inductance;
        for (let k = 0; k < size; k += 1) row[k]! += first.inductance * matrix[phase * size + k]!;
      });
      branches.forEach((branch, index) => {
        const current = currentState[index]!;
        if (current < 0) return;
        const ratio = first.inductance / branch.inductance;
        divisor += ratio;
        row[current]! += ratio * branch.resistance;
        row[voltageState[index]!]! += ratio;
      });
    }
    for (let k = 0; k < size; k += 1) row[k]! /= divisor;
    return row;
  }
}
