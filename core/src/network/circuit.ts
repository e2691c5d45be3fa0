import type { Vector } from './linear.ts';

/**
 * A stage as a switched linear network, in the one structure that all of its topologies share: each phase's inductor
 * is joined by the switches to the input (or not) on one side and to the output (or not) on the other. Windings may be
 * coupled, the source may have an impedance of its own, and a second LC section may stand before the load.
 *
 *   source ─R─L─┬── input node ──b──┐                       ┌──a── output node ──┬── banks ──┬─(R─L─┬── banks)─┬── load
 *             banks                 ├── L, winding, switch ─┤                    │           │      │          │
 *   return ─────┴───────────────────┘                       └── return           └───────────┴──────┴──────────┘
 *
 *   Σ Lₖⱼ diⱼ/dt = b·vin − a·vo − (winding + switch resistance)·iₖ − drop
 *   current into the output node: Σ a·i,   current out of the input node: Σ b·i
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
  /** the devices that carry the winding's current */
  conducting: readonly Conduction[];
  /** the devices that are off, with what stands across them */
  blocking: readonly Blocking[];
}

/** The switches of one phase. The boost leg is a four-switch stage's second one. */
export type Device = 'control' | 'rectifier' | 'boostControl' | 'boostRectifier';

/** A device that carries the winding's current: its share of the cell's resistance (Ω) and drop (V). */
export interface Conduction {
  device: Device;
  resistance: number;
  drop: number;
  /** true for a body diode in the dead time */
  dead: boolean;
}

/** The voltage across an off device: input·vin + output·vo + current·i + constant (V, per V, per V, Ω, V). */
export interface Blocking {
  device: Device;
  input: number;
  output: number;
  current: number;
  constant: number;
}

/**
 * What a phase's switches do, one after another through the period. `through` joins input and output by the inductor
 * (a four-switch stage's transition); the dead cells are carried by body diodes, for currents of either sign.
 */
export type CellName =
  | 'control'
  | 'through'
  | 'rectifier'
  | 'deadForward'
  | 'deadReverse'
  | 'deadThrough'
  | 'deadBoth'
  | 'deadBothReverse'
  | 'idle';
export type Cells = Readonly<Partial<Record<CellName, Cell>>>;

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

/** Magnetic coupling of the windings: mutual inductance over self-inductance of each two, negative when inverse. */
export interface Coupling {
  /** N × N, 1 on the diagonal */
  matrix: Vector;
}

/** A source that is not stiff: then the input bank is part of the network. Ω and H; not both zero. */
export interface SourceImpedance {
  resistance: number;
  inductance: number;
  /** branches of the input bank; their series inductance is left out */
  branches: readonly Branch[];
}

/** A second LC section between the output bank and the load. */
export interface FilterSection {
  /** H */
  inductance: number;
  /** Ω */
  resistance: number;
  branches: readonly Branch[];
}

export interface Circuit {
  phases: number;
  /** V */
  inputVoltage: number;
  /** H, self-inductance of one winding */
  inductance: number;
  /** Ω, of one winding */
  windingResistance: number;
  coupling?: Coupling | undefined;
  cells: Cells;
  outputBranches: readonly Branch[];
  load: Load;
  source?: SourceImpedance | undefined;
  filter?: FilterSection | undefined;
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
