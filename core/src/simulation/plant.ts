import type { CellName, Circuit } from '../network/circuit.ts';
import { Network, type Configuration } from '../network/network.ts';
import { zeros, type Vector } from '../numbers/linear.ts';
import type { SwitchNode } from '../topology/index.ts';

/**
 * The power stage with one load conductance, linear in its states and in what drives it. Rows and matrices stand over
 * [states, source voltage, load current, 1], so that both drives may move while it runs.
 */
export class Plant {
  readonly network: Network;
  /** states of the stage, drives and constant apart */
  readonly states: number;
  private readonly doubled: Network;
  private readonly drawn: Network;
  private readonly node: SwitchNode;
  private readonly known = new Map<string, PlantConfiguration>();

  /** @param circuit with any source voltage above 0; its load's constant current is a drive here */
  constructor(circuit: Circuit, node: SwitchNode) {
    const load = { ...circuit.load, current: 0 };
    this.network = new Network({ ...circuit, load });
    this.doubled = new Network({ ...circuit, load, inputVoltage: 2 * circuit.inputVoltage });
    this.drawn = new Network({ ...circuit, load: { ...load, current: 1 } });
    this.states = this.network.size - 1;
    this.node = node;
  }

  /** @param levels each phase's step of a bent inductance */
  configuration(cells: readonly CellName[], levels?: readonly number[]): PlantConfiguration {
    const key = levels ? `${cells.join()};${levels.join()}` : cells.join();
    const found = this.known.get(key);
    if (found) return found;
    const made = this.assemble(cells, levels);
    this.known.set(key, made);
    return made;
  }

  private assemble(cells: readonly CellName[], levels?: readonly number[]): PlantConfiguration {
    const { states: s, network } = this;
    const volts = network.circuit.inputVoltage;
    const [base, doubled, drawn] = [this.network, this.doubled, this.drawn].map((one) =>
      one.configuration(cells, levels),
    ) as [Configuration, Configuration, Configuration];
    const rowOf = (of: (configuration: Configuration) => Vector, from = 0): Vector => {
      const [a, b, c] = [of(base), of(doubled), of(drawn)];
      const row = zeros(s + 3);
      for (let k = 0; k < s; k += 1) row[k] = a[from + k]!;
      const constant = a[from + s]!;
      row[s] = (b[from + s]! - constant) / volts;
      row[s + 1] = c[from + s]! - constant;
      row[s + 2] = 2 * constant - b[from + s]!;
      return row;
    };
    const matrix = Array.from({ length: s }, (_, i) => rowOf(({ matrix: m }) => m, i * (s + 1)));
    const outputVoltage = rowOf((c) => c.outputVoltage);
    const inputVoltage = rowOf((c) => c.inputVoltage);
    const induced = cells.map((_, phase) => this.inducedRow(matrix, phase));
    return {
      cells: cells.slice(),
      matrix,
      outputVoltage,
      inputVoltage,
      inputCurrent: rowOf((c) => c.inputCurrent),
      loadVoltage: rowOf((c) => c.loadVoltage),
      sensedVoltage: rowOf((c) => c.sensedVoltage),
      switchNodes: cells.map((name, phase) => this.nodeRow(name, phase, inputVoltage, outputVoltage, induced[phase]!)),
      induced,
    };
  }

  /** V that the other windings' currents induce in a winding. */
  private inducedRow(matrix: readonly Vector[], phase: number): Vector {
    const { coupling, inductance, mismatch, phases } = this.network.circuit;
    const row = zeros(this.states + 3);
    if (!coupling) return row;
    for (let other = 0; other < phases; other += 1) {
      const scale = mismatch ? Math.sqrt((mismatch[phase]?.inductance ?? 1) * (mismatch[other]?.inductance ?? 1)) : 1;
      const mutual = inductance * coupling.matrix[phase * phases + other]! * scale;
      if (other === phase || mutual === 0) continue;
      for (let k = 0; k < row.length; k += 1) row[k]! += mutual * matrix[other]![k]!;
    }
    return row;
  }

  /** The voltage that a cell would put across a winding without current. */
  appliedRow(name: CellName, { inputVoltage, outputVoltage }: PlantConfiguration): Vector {
    const cell = this.network.cell(name);
    const row = zeros(this.states + 3);
    for (let k = 0; k < row.length; k += 1)
      row[k] = cell.fromInput * inputVoltage[k]! - cell.toOutput * outputVoltage[k]!;
    row[this.states + 2]! -= cell.drop;
    return row;
  }

  private nodeRow(name: CellName, phase: number, input: Vector, output: Vector, induced: Vector): Vector {
    const { fromInput, toOutput, resistance, drop, blocked } = this.network.cell(name);
    const row = zeros(this.states + 3);
    const add = (other: Vector, times: number): void => {
      for (let k = 0; k < row.length; k += 1) row[k]! += times * other[k]!;
    };
    if (blocked) {
      // no current, no drop: the node stands where the winding's other end and what is induced in it put it
      if (this.node === 'near') add(output, 1);
      if (this.node === 'far') add(input, 1);
      add(induced, this.node === 'far' ? -1 : 1);
      return row;
    }
    const sign = this.node === 'far' ? 1 : -1;
    if (this.node !== 'far') add(input, fromInput);
    if (this.node === 'far') add(output, toOutput);
    if (this.node === 'between') add(output, -toOutput);
    row[phase]! += sign * resistance;
    row[this.states + 2]! += sign * drop;
    return row;
  }
}

/** The stage while its switches stand in one way. */
export interface PlantConfiguration {
  cells: readonly CellName[];
  /** a row for each state's slope */
  matrix: Vector[];
  outputVoltage: Vector;
  inputVoltage: Vector;
  inputCurrent: Vector;
  loadVoltage: Vector;
  sensedVoltage: Vector;
  /** of each phase */
  switchNodes: Vector[];
  induced: Vector[];
}
