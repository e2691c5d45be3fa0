import { mergeBranches, type Branch, type Cell, type CellName, type Circuit } from './circuit.ts';
import { scaledNorm, solveLinear, zeros, type Vector } from '../numbers/linear.ts';

/** The network's matrices for one switch configuration. States: phase currents, then branch states, then 1. */
export interface Configuration {
  cells: readonly CellName[];
  /** each phase's step of an inductance that depends on the current */
  levels?: readonly number[] | undefined;
  matrix: Vector;
  norm: number;
  /** rows that give, from the state: voltage of the output bank's node, current into that bank */
  outputVoltage: Vector;
  bankCurrent: Vector;
  /** current out of the input node into the switches, and that node's voltage */
  inputCurrent: Vector;
  inputVoltage: Vector;
  /** voltage at the load and current into the second section's bank; the output bank's where there is no section */
  loadVoltage: Vector;
  filterBankCurrent: Vector | undefined;
  /** voltage that the controller senses and holds: the load's, or the output bank's before a second section */
  sensedVoltage: Vector;
  /** rows for each branch's current, in the order of the network's branches, and of the other two banks' */
  branchCurrents: Vector[];
  filterBranchCurrents: Vector[];
  inputBranchCurrents: Vector[];
  /** Σ a·i, for the step that a chopped current makes in branches with series inductance */
  feed: Vector;
}

/** The branches of one node with the numbers of their states. */
interface Bank {
  branches: Branch[];
  /** state index of each branch's capacitor voltage, and of its inductance's current (-1: not a state) */
  voltageState: number[];
  currentState: number[];
  /** whether every branch has inductance, so that an ideal edge's step of current must divide among them */
  inductive: boolean;
  /** the branch whose current is not a state because all have inductance and nothing else takes a part; -1 otherwise */
  dependent: number;
  /** the branch with neither resistance nor inductance; -1 otherwise */
  ideal: number;
}

/** Part of a bank's shortest natural time, and of its own damping, below which the load's answer counts as at once. */
const AT_ONCE = 2e-3;

/**
 * Whether a load's conductance (S) at a node fed by nothing but inductive branches answers so slowly that its settling
 * is followed: within (their inductance × the conductance), against the branches' own natural times and what their own
 * resistances damp, or against the period where there is only one and nothing rings.
 */
export function answersSlowly(branches: readonly Branch[], conductance: number, period: number): boolean {
  const inductance = 1 / branches.reduce((sum, branch) => sum + 1 / branch.inductance, 0);
  const shortest =
    branches.length === 1
      ? period / 20
      : Math.min(
          ...branches.map((b) => Math.min(Math.sqrt(b.inductance * b.capacitance), b.resistance * b.capacitance)),
        );
  return inductance * conductance > AT_ONCE * shortest;
}

function numberBank(
  given: readonly Branch[],
  first: number,
  conductance: number,
  period: number,
  followsLoad: boolean | undefined,
): { bank: Bank; next: number } {
  const branches = mergeBranches(given);
  const inductive = branches.every((branch) => branch.inductance > 0);
  // a load that answers slowly takes its part of the currents: then none of them follows from the others
  const follows = followsLoad ?? answersSlowly(branches, conductance, period);
  const dependent = inductive && !(follows && conductance > 0) ? 0 : -1;
  const bank: Bank = {
    branches,
    voltageState: [],
    currentState: [],
    inductive,
    dependent,
    ideal: branches.findIndex((branch) => branch.resistance === 0 && branch.inductance === 0),
  };
  let next = first;
  branches.forEach((branch, index) => {
    bank.voltageState.push(next++);
    bank.currentState.push(branch.inductance > 0 && index !== dependent ? next++ : -1);
  });
  return { bank, next };
}

/** What flows into a node, as a row over the state, and its rate of change: slope − perVolt · (the node's voltage). */
interface Feed {
  row: Vector;
  slope: Vector;
  perVolt: number;
}

/**
 * A circuit with its state numbering fixed, giving the matrices of any switch configuration.
 *
 * Where every branch of a node has series inductance, a resistive load is what the node's voltage stands on: it answers
 * within (inductance × load conductance), and damps what rings between the branches. Where that is slow enough to show
 * against the branches' own ringing, all currents are states and the voltage is what they leave to the load. Where it
 * is not, or there is no such load, the first branch's current follows from Kirchhoff's law instead of being a state,
 * and the node voltage from that branch's own voltage. The spike that an ideal edge would make in a chopped current is
 * left out in both, and the step of the current divides among the branches as that spike divides it, inversely to
 * their inductances.
 */
export class Network {
  readonly circuit: Circuit;
  /** of the output bank, like ones merged */
  readonly branches: readonly Branch[];
  readonly filterBranches: readonly Branch[];
  readonly inputBranches: readonly Branch[];
  /** number of states, the constant included */
  readonly size: number;
  /** natural unit of each state, so that norms compare volts with amperes */
  readonly scale: Vector;
  /** state and share of each independent branch current that a step of the feed divides into; empty when none does */
  readonly stepShares: readonly { state: number; share: number }[];
  /** whether currents of series inductances are among the states, which may ring */
  readonly rings: boolean;
  /** rad/s: the fastest resonance of an inductance beside the windings (second section, source) with its banks; 0 without one */
  readonly resonance: number;
  private readonly known = new Map<string, Configuration>();
  private readonly inverses = new Map<string, Vector>();
  private readonly output: Bank;
  private readonly filter: Bank | undefined;
  private readonly input: Bank | undefined;
  /** state of the second section's current and of the source's; -1 where there is none */
  readonly filterCurrent: number = -1;
  readonly sourceCurrent: number = -1;

  constructor(circuit: Circuit) {
    this.circuit = circuit;
    const { conductance } = circuit.load;
    const { period } = circuit;
    const output = numberBank(
      circuit.outputBranches,
      circuit.phases,
      circuit.filter ? 0 : conductance,
      period,
      circuit.followsLoad,
    );
    this.output = output.bank;
    let { next } = output;
    if (circuit.filter) {
      this.filterCurrent = next++;
      const numbered = numberBank(circuit.filter.branches, next, conductance, period, circuit.followsLoad);
      this.filter = numbered.bank;
      next = numbered.next;
    }
    if (circuit.source) {
      if (circuit.source.inductance > 0) this.sourceCurrent = next++;
      const flat = circuit.source.branches.map(({ capacitance, resistance }) => ({
        capacitance,
        resistance,
        inductance: 0,
      }));
      const numbered = numberBank(flat, next, 0, period, false);
      this.input = numbered.bank;
      next = numbered.next;
    }
    this.branches = this.output.branches;
    this.filterBranches = this.filter?.branches ?? [];
    this.inputBranches = this.input?.branches ?? [];
    this.size = next + 1;
    this.scale = zeros(this.size).map(() => 1);
    for (const bank of [this.output, this.filter, this.input]) {
      if (!bank) continue;
      const total = bank.branches.reduce((sum, branch) => sum + branch.capacitance, 0);
      const impedance = Math.sqrt(circuit.inductance / total);
      for (const at of bank.voltageState) this.scale[at] = impedance;
    }
    this.stepShares = sharesOf(this.output);
    this.resonance = resonanceOf(circuit);
    this.rings = [this.output, this.filter].some((bank) => bank?.currentState.some((at) => at >= 0));
  }

  /** A state to start a search from: the windings carrying `current` (A) each, every capacitor at its node's average. */
  stateAt(outputVoltage: number, current: number): Vector {
    const state = zeros(this.size);
    for (let phase = 0; phase < this.circuit.phases; phase += 1) state[phase] = current;
    const { conductance, current: drawn } = this.circuit.load;
    for (const at of this.output.voltageState) state[at] = outputVoltage;
    for (const at of this.filter?.voltageState ?? []) state[at] = outputVoltage;
    for (const at of this.input?.voltageState ?? []) state[at] = this.circuit.inputVoltage;
    const load = conductance * outputVoltage + drawn;
    if (this.filterCurrent >= 0) state[this.filterCurrent] = load;
    if (this.sourceCurrent >= 0) state[this.sourceCurrent] = (load * outputVoltage) / this.circuit.inputVoltage;
    state[this.size - 1] = 1;
    return state;
  }

  /** C, in the output bank and the second section's. */
  outputCharge(state: Vector): number {
    let charge = 0;
    for (const bank of [this.output, this.filter])
      bank?.branches.forEach(({ capacitance }, at) => (charge += capacitance * state[bank.voltageState[at]!]!));
    return charge;
  }

  /** The matrices while phase k's switches are in state `cells[k]`, and its current in step `levels[k]` of a bent inductance. */
  configuration(cells: readonly CellName[], levels?: readonly number[]): Configuration {
    const key = levels ? `${cells.join()};${levels.join()}` : cells.join();
    const found = this.known.get(key);
    if (found) return found;
    const made = this.assemble(cells.slice(), levels?.slice());
    this.known.set(key, made);
    return made;
  }

  cell(name: CellName): Cell {
    const cell = this.circuit.cells[name];
    if (!cell) throw new RangeError(`This stage has no switch state "${name}".`);
    return cell;
  }

  private assemble(names: CellName[], levels: number[] | undefined): Configuration {
    const { circuit, size } = this;
    const one = size - 1;
    const matrix = zeros(size * size);
    const cells = names.map((name) => this.cell(name));

    const inputCurrent = zeros(size);
    cells.forEach((cell, phase) => {
      if (!cell.blocked) inputCurrent[phase] = cell.fromInput;
    });
    const { inputVoltage, inputBranchCurrents } = this.inputSide(inputCurrent, matrix);

    // the windings' equations without the output node's voltage, and how much of that voltage each takes
    const feedRow = zeros(size);
    const volts = cells.map((cell, phase) => {
      const row = zeros(size);
      if (cell.blocked) return row;
      feedRow[phase] = cell.toOutput;
      if (cell.fromInput) for (let k = 0; k < size; k += 1) row[k] = inputVoltage[k]!;
      row[phase]! -= cell.resistance + circuit.windingResistance * (circuit.mismatch?.[phase]?.resistance ?? 1);
      row[one]! -= cell.drop;
      return row;
    });
    const inverse = this.inverseInductance(cells, levels);
    const { phases } = circuit;
    const pull = zeros(phases);
    for (let i = 0; i < phases; i += 1) {
      for (let j = 0; j < phases; j += 1) {
        const gain = inverse[i * phases + j]!;
        if (gain === 0) continue;
        const row = volts[j]!;
        for (let k = 0; k < size; k += 1) matrix[i * size + k]! += gain * row[k]!;
        pull[i]! += gain * cells[j]!.toOutput;
      }
    }

    const into: Feed = { row: feedRow.slice(), slope: zeros(size), perVolt: 0 };
    if (this.output.dependent >= 0) {
      for (let i = 0; i < phases; i += 1) {
        if (feedRow[i] === 0) continue;
        for (let k = 0; k < size; k += 1) into.slope[k]! += matrix[i * size + k]!;
        into.perVolt += pull[i]!;
      }
    }
    const nodes = this.outputSide(into);
    const { outputVoltage } = nodes;
    for (let i = 0; i < phases; i += 1) {
      if (pull[i] === 0) continue;
      for (let k = 0; k < size; k += 1) matrix[i * size + k]! -= outputVoltage[k]! * pull[i]!;
    }

    const branchCurrents = this.bankEquations(this.output, outputVoltage, nodes.bankCurrent, matrix);
    let filterBranchCurrents: Vector[] = [];
    if (this.filter && nodes.filterBankCurrent) {
      const { inductance, resistance } = circuit.filter!;
      const row = this.filterCurrent * size;
      for (let k = 0; k < size; k += 1) matrix[row + k] = (outputVoltage[k]! - nodes.loadVoltage[k]!) / inductance;
      matrix[row + this.filterCurrent]! -= resistance / inductance;
      filterBranchCurrents = this.bankEquations(this.filter, nodes.loadVoltage, nodes.filterBankCurrent, matrix);
    }
    const norm = scaledNorm(size, matrix, this.scale);
    return {
      cells: names,
      levels,
      matrix,
      norm,
      inputCurrent,
      inputVoltage,
      inputBranchCurrents,
      branchCurrents,
      filterBranchCurrents,
      feed: feedRow,
      sensedVoltage: circuit.filter?.feedback === 'before' ? outputVoltage : nodes.loadVoltage,
      ...nodes,
    };
  }

  /** The input node: stiff, or fed through the source's impedance with the bank beside it. */
  private inputSide(taken: Vector, matrix: Vector): { inputVoltage: Vector; inputBranchCurrents: Vector[] } {
    const { circuit, size } = this;
    const one = size - 1;
    const { source } = circuit;
    if (!source || !this.input) {
      const stiff = zeros(size);
      stiff[one] = circuit.inputVoltage;
      return { inputVoltage: stiff, inputBranchCurrents: [] };
    }
    // what flows into the bank: from the source, less what the switches take
    const row = zeros(size);
    for (let k = 0; k < size; k += 1) row[k] = -taken[k]!;
    let conductance = 0;
    if (this.sourceCurrent >= 0) row[this.sourceCurrent] = 1;
    else {
      conductance = 1 / source.resistance;
      row[one]! += circuit.inputVoltage * conductance;
    }
    const inputVoltage = this.nodeVoltage(this.input, { row, slope: row, perVolt: 0 }, conductance).row;
    const bankCurrent = row;
    for (let k = 0; k < size; k += 1) bankCurrent[k]! -= conductance * inputVoltage[k]!;
    const inputBranchCurrents = this.bankEquations(this.input, inputVoltage, bankCurrent, matrix);
    if (this.sourceCurrent >= 0) {
      const at = this.sourceCurrent * size;
      for (let k = 0; k < size; k += 1) matrix[at + k] = -inputVoltage[k]! / source.inductance;
      matrix[at + this.sourceCurrent]! -= source.resistance / source.inductance;
      matrix[at + one]! += circuit.inputVoltage / source.inductance;
    }
    return { inputVoltage, inputBranchCurrents };
  }

  /** Voltages of the output bank's node and of the load, which are one node where there is no second section. */
  private outputSide(
    into: Feed,
  ): Pick<Configuration, 'outputVoltage' | 'bankCurrent' | 'loadVoltage' | 'filterBankCurrent'> {
    const { circuit, size } = this;
    const one = size - 1;
    const { load, filter } = circuit;
    if (!this.filter || !filter) {
      into.row[one]! -= load.current;
      const outputVoltage = this.nodeVoltage(this.output, into, load.conductance).row;
      const bankCurrent = into.row;
      for (let k = 0; k < size; k += 1) bankCurrent[k]! -= load.conductance * outputVoltage[k]!;
      return { outputVoltage, bankCurrent, loadVoltage: outputVoltage, filterBankCurrent: undefined };
    }
    const at = this.filterCurrent;
    const gain = 1 / filter.inductance;
    // the load's node, as a row and as a share of the output bank's voltage (through the section's slope)
    const through: Feed = { row: zeros(size), slope: zeros(size), perVolt: gain };
    through.row[at] = 1;
    through.row[one] = -load.current;
    through.slope[at] = -filter.resistance * gain;
    const loadNode = this.nodeVoltage(this.filter, through, load.conductance);
    const share = loadNode.perSlope * gain;
    // the section's current leaves the output node: its slope is (v1 − v2 − R·i)/L with v2 = row + share·v1
    into.row[at]! -= 1;
    if (this.output.dependent >= 0) {
      for (let k = 0; k < size; k += 1) into.slope[k]! += loadNode.row[k]! * gain;
      into.slope[at]! += filter.resistance * gain;
      into.perVolt += (1 - share) * gain;
    }
    const outputVoltage = this.nodeVoltage(this.output, into, 0).row;
    const loadVoltage = loadNode.row;
    for (let k = 0; k < size; k += 1) loadVoltage[k]! += share * outputVoltage[k]!;
    const filterBankCurrent = through.row;
    for (let k = 0; k < size; k += 1) filterBankCurrent[k]! -= load.conductance * loadVoltage[k]!;
    return { outputVoltage, bankCurrent: into.row, loadVoltage, filterBankCurrent };
  }

  /** Writes the state equations of a node's branches and returns a row for each branch's current. */
  private bankEquations(bank: Bank, node: Vector, into: Vector, matrix: Vector): Vector[] {
    const { size } = this;
    const { branches, voltageState, currentState } = bank;
    const currents = branches.map((branch, index) => {
      const row = zeros(size);
      const current = currentState[index]!;
      if (current >= 0) row[current] = 1;
      else if (branch.resistance > 0 && branch.inductance === 0) {
        for (let k = 0; k < size; k += 1) row[k] = node[k]! / branch.resistance;
        row[voltageState[index]!]! -= 1 / branch.resistance;
      }
      return row;
    });
    // an ideal capacitor, or the branch whose current is not a state, takes what the others leave
    const rest = bank.dependent >= 0 ? bank.dependent : bank.ideal;
    if (rest >= 0) {
      const row = into.slice();
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
      for (let k = 0; k < size; k += 1) matrix[row + k] = node[k]! / branch.inductance;
      matrix[row + current]! -= branch.resistance / branch.inductance;
      matrix[row + voltageState[index]!]! -= 1 / branch.inductance;
    });
    return currents;
  }

  /**
   * A node's voltage as a row over the state: an ideal capacitor's own; else Kirchhoff's current law at the node; or,
   * where every branch has inductance L0 first, v = L0·d/dt(feed − Σ other) + R0·i0 + v0 solved for v. `perSlope` is
   * what one unit of the feed's slope adds to the voltage.
   */
  private nodeVoltage(bank: Bank, feed: Feed, conductance: number): { row: Vector; perSlope: number } {
    const { size } = this;
    const { branches, voltageState, currentState, dependent, ideal } = bank;
    if (ideal >= 0) {
      const own = zeros(size);
      own[voltageState[ideal]!] = 1;
      return { row: own, perSlope: 0 };
    }
    const row = feed.row.slice();
    branches.forEach((_, index) => {
      const current = currentState[index]!;
      if (current >= 0) row[current]! -= 1;
    });
    let divisor = conductance;
    let perSlope = 0;
    if (dependent < 0) {
      branches.forEach((branch, index) => {
        if (branch.inductance > 0) return;
        divisor += 1 / branch.resistance;
        row[voltageState[index]!]! += 1 / branch.resistance;
      });
    } else {
      const first = branches[dependent]!;
      divisor = 1 + first.resistance * divisor + first.inductance * feed.perVolt;
      for (let k = 0; k < size; k += 1) row[k] = row[k]! * first.resistance + first.inductance * feed.slope[k]!;
      row[voltageState[dependent]!]! += 1;
      perSlope = first.inductance;
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
    return { row, perSlope: perSlope / divisor };
  }

  /** Inverse of the inductance matrix over the windings that conduct; rows and columns of the others are zero. */
  private inverseInductance(cells: readonly Cell[], levels: readonly number[] | undefined): Vector {
    const { phases, inductance, coupling, bend, mismatch } = this.circuit;
    // the inductances' matrix is scaled on both sides, its inverse by what that leaves
    const scale = (i: number, j: number): number =>
      mismatch ? 1 / Math.sqrt((mismatch[i]?.inductance ?? 1) * (mismatch[j]?.inductance ?? 1)) : 1;
    if (levels && bend) {
      const bent = zeros(phases * phases);
      cells.forEach((cell, phase) => {
        if (!cell.blocked) bent[phase * phases + phase] = scale(phase, phase) / bend.inductances[levels[phase]!]!;
      });
      return bent;
    }
    const key = cells.map((cell) => (cell.blocked ? '0' : '1')).join('');
    const found = this.inverses.get(key);
    if (found) return found;
    const conducting = cells.flatMap((cell, phase) => (cell.blocked ? [] : [phase]));
    const inverse = zeros(phases * phases);
    if (!coupling) for (const phase of conducting) inverse[phase * phases + phase] = scale(phase, phase) / inductance;
    else {
      const m = conducting.length;
      conducting.forEach((column, j) => {
        const left = zeros(m * m);
        conducting.forEach((row, i) => {
          conducting.forEach((other, k) => (left[i * m + k] = coupling.matrix[row * phases + other]!));
        });
        const unit = zeros(m);
        unit[j] = 1 / inductance;
        const solved = solveLinear(m, left, unit);
        conducting.forEach(
          (row, i) => (inverse[row * phases + column] = solved ? solved[i]! * scale(row, column) : Number.NaN),
        );
      });
    }
    this.inverses.set(key, inverse);
    return inverse;
  }
}

function resonanceOf({ filter, source, outputBranches }: Circuit): number {
  const total = (branches: readonly Branch[]): number =>
    branches.reduce((sum, { capacitance }) => sum + capacitance, 0);
  const after = filter ? Math.sqrt((1 / total(outputBranches) + 1 / total(filter.branches)) / filter.inductance) : 0;
  const before = source && source.inductance > 0 ? 1 / Math.sqrt(source.inductance * total(source.branches)) : 0;
  return Math.max(after, before);
}

function sharesOf(bank: Bank): { state: number; share: number }[] {
  if (!bank.inductive) return [];
  const total = bank.branches.reduce((sum, branch) => sum + 1 / branch.inductance, 0);
  return bank.branches.flatMap((branch, index) => {
    const state = bank.currentState[index]!;
    return state < 0 ? [] : [{ state, share: 1 / branch.inductance / total }];
  });
}
