import type { CellName } from '../network/circuit.ts';
import { over, plus, times, type Complex } from '../numbers/complex.ts';
import { solveLinear, zeros, type Vector } from '../numbers/linear.ts';
import { Transfer } from '../numbers/resolvent.ts';
import { bandAt } from '../simulation/modulator.ts';
import { Plant } from '../simulation/plant.ts';
import type { Ready } from '../simulation/setup.ts';

/*
 * State-space averaging of the stage's own network about its exact operating point: every parasitic, bank, section and
 * winding that the network has. Source: Middlebrook and Ćuk, "A general unified approach to modelling switching-converter
 * power stages", 1976; Erickson and Maksimović, chapter 7; recalled from memory.
 */

/** What may be disturbed: the duty of the leg that regulates, the source (V), what the load draws (A). */
export type Disturbed = 'duty' | 'source' | 'drawn';
/** What is asked: the voltage at the load, where it is sensed and at the input node (V), the current out of that and in one winding (A). */
export type Asked = 'output' | 'sensed' | 'input' | 'winding' | 'node';

/** The averaged stage in continuous conduction at one corner. */
export class AveragedStage {
  private readonly n: number;
  private readonly a: Vector;
  private readonly columns: Record<Disturbed, Vector>;
  private readonly rows: Record<Asked, Vector>;
  private readonly direct: Record<Asked, Record<Disturbed, number>>;
  /** V at the stage's input node, on average */
  readonly inputVoltage: number;
  private readonly known = new Map<string, Transfer>();

  /** @param ready of a design whose corner has a continuous steady state */
  constructor({ setup, solved }: Ready) {
    const { source, ...segment } = setup.segments[0]!;
    const band = setup.bands[bandAt(setup.bands, setup.target)]!;
    const conductance = segment.conductance + segment.current * band.conductance;
    const current = segment.current * band.current;
    const circuit = setup.roles.circuit(conductance);
    // a chopped current's step among inductive branches is not averaged: their inductance acts far above what this is for
    const chopped = Object.values(circuit.cells).some((cell) => cell.toOutput === 0 && !cell.blocked);
    const still = (branches: typeof circuit.outputBranches): typeof circuit.outputBranches =>
      chopped ? branches.map((branch) => ({ ...branch, inductance: 0 })) : branches;
    const plant = new Plant(
      { ...circuit, outputBranches: still(circuit.outputBranches), bend: undefined },
      setup.roles.node,
    );
    const n = plant.states;
    this.n = n;
    const { periodic } = solved.state!;
    const { phases } = setup;
    const total = periodic.intervals.reduce((sum, { duration }) => sum + duration, 0);
    const average = zeros(n * (n + 3));
    const output = zeros(n + 3);
    const sensed = zeros(n + 3);
    const input = zeros(n + 3);
    const node = zeros(n + 3);
    const add = (to: Vector, row: Vector, weight: number, at = 0): void => {
      for (let k = 0; k < row.length; k += 1) to[at + k]! += weight * row[k]!;
    };
    const parts: { cells: readonly CellName[]; weight: number }[] = [];
    for (let part = 0; part < phases; part += 1)
      for (const { duration, configuration } of periodic.intervals) {
        const cells = configuration.cells.map((_, k) => configuration.cells[(k - part + phases) % phases]!);
        parts.push({ cells, weight: duration / total / phases });
      }
    for (const { cells, weight } of parts) {
      const made = plant.configuration(cells);
      made.matrix.forEach((row, i) => add(average, row, weight, i * (n + 3)));
      add(output, made.loadVoltage, weight);
      add(sensed, made.sensedVoltage, weight);
      add(input, made.inputCurrent, weight);
      add(node, made.inputVoltage, weight);
    }
    // the equilibrium: A x + b = 0
    const drives = [source, current, 1];
    const left = zeros(n * n);
    const right = zeros(n);
    for (let i = 0; i < n; i += 1) {
      for (let k = 0; k < n; k += 1) left[i * n + k] = average[i * (n + 3) + k]!;
      for (let k = 0; k < 3; k += 1) right[i]! -= average[i * (n + 3) + n + k]! * drives[k]!;
    }
    this.a = left.slice();
    const rest = [...(solveLinear(n, left, right) ?? zeros(n)), ...drives];
    const valueOf = (row: Vector): number => row.reduce((sum, value, k) => sum + value * rest[k]!, 0);
    // the pulse that ends later: each phase's, with the others as they stand then
    const byDuty = zeros(n);
    let outputByDuty = 0;
    let sensedByDuty = 0;
    let inputByDuty = 0;
    let nodeByDuty = 0;
    const { transition } = setup.roles;
    const ending: CellName = transition?.open === 'duty' ? 'through' : 'control';
    const following: CellName = transition?.open === 'boostDuty' ? 'through' : 'rectifier';
    for (let k = 0; k < phases; k += 1) {
      const at = parts.findIndex(
        ({ cells }, index) => cells[k] === ending && parts[(index + 1) % parts.length]!.cells[k] !== ending,
      );
      if (at < 0) continue;
      const before = plant.configuration(parts[at]!.cells);
      const after = plant.configuration(parts[at]!.cells.map((name, other) => (other === k ? following : name)));
      for (let i = 0; i < n; i += 1) byDuty[i]! += valueOf(before.matrix[i]!) - valueOf(after.matrix[i]!);
      outputByDuty += valueOf(before.loadVoltage) - valueOf(after.loadVoltage);
      sensedByDuty += valueOf(before.sensedVoltage) - valueOf(after.sensedVoltage);
      inputByDuty += valueOf(before.inputCurrent) - valueOf(after.inputCurrent);
      nodeByDuty += valueOf(before.inputVoltage) - valueOf(after.inputVoltage);
    }
    const columnOf = (drive: number): Vector => Array.from({ length: n }, (_, i) => average[i * (n + 3) + n + drive]!);
    this.columns = { duty: byDuty, source: columnOf(0), drawn: columnOf(1) };
    const winding = zeros(n);
    winding[0] = 1;
    this.inputVoltage = valueOf(node);
    this.rows = {
      output: output.slice(0, n),
      sensed: sensed.slice(0, n),
      input: input.slice(0, n),
      node: node.slice(0, n),
      winding,
    };
    this.direct = {
      output: { duty: outputByDuty, source: output[n]!, drawn: output[n + 1]! },
      sensed: { duty: sensedByDuty, source: sensed[n]!, drawn: sensed[n + 1]! },
      input: { duty: inputByDuty, source: input[n]!, drawn: input[n + 1]! },
      node: { duty: nodeByDuty, source: node[n]!, drawn: node[n + 1]! },
      winding: { duty: 0, source: 0, drawn: 0 },
    };
  }

  /** What is asked over what is disturbed, at a frequency. */
  at(asked: Asked, disturbed: Disturbed, frequency: number): Complex {
    const key = `${asked}/${disturbed}`;
    let transfer = this.known.get(key);
    if (!transfer) {
      transfer = new Transfer(this.n, this.a, this.columns[disturbed], this.rows[asked], this.direct[asked][disturbed]);
      this.known.set(key, transfer);
    }
    return transfer.at(frequency);
  }
}

/**
 * The output under average current mode, over its control voltage.
 * @param amplified gain of the current's amplifier; @param output and @param sensed V over the voltage at the ramp
 */
export const byCurrent = (amplified: Complex, output: Complex, sensed: Complex): Complex =>
  over(times(plus([1, 0], amplified), output), plus([1, 0], times(amplified, sensed)));
