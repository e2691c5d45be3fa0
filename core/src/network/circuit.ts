import type { Vector } from '../numbers/linear.ts';
import type { Bend } from './saturating.ts';

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
  'control' | 'through' | 'rectifier' | 'deadForward' | 'deadReverse' | 'deadThrough' | 'deadBoth' | 'idle';
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
  /** where the output is sensed and held; behind the section where it is not said */
  feedback?: 'after' | 'before' | undefined;
}

export interface Circuit {
  phases: number;
  /** s, one switching period: what is far shorter counts as at once */
  period: number;
  /** V */
  inputVoltage: number;
  /** H, self-inductance of one winding */
  inductance: number;
  /** Ω, of one winding */
  windingResistance: number;
  coupling?: Coupling | undefined;
  /** times the inductance and the winding's resistance, of each phase; all alike when absent */
  mismatch?: readonly { inductance: number; resistance: number }[] | undefined;
  /** A and H: the inductance over the current, where it depends on it; windings are then not coupled */
  curve?: readonly (readonly [number, number])[] | undefined;
  /** the same in steps, once the current's swing is about known; `roughly` where a bench's fineness is enough */
  bend?: Bend | undefined;
  roughly?: boolean | undefined;
  cells: Cells;
  outputBranches: readonly Branch[];
  load: Load;
  /** whether the load's own settling against inductive branches is followed; judged by its conductance when absent */
  followsLoad?: boolean | undefined;
  source?: SourceImpedance | undefined;
  filter?: FilterSection | undefined;
}

/** Groups of branches beyond which the most alike are taken together: the work grows with the cube of their number. */
export const MOST_BRANCHES = 12;
/** Relative difference within which two time constants are one. */
const SAME = 1e-9;
/** s; a time constant below which a branch counts as without resistance, or (squared) without inductance. */
const TINY = 1e-15;

/** Several branches as one: their capacitances add up, and resistance and inductance weigh by each one's share of a slow current. */
function together(branches: readonly Branch[]): Branch {
  const capacitance = branches.reduce((sum, branch) => sum + branch.capacitance, 0);
  const shared = (of: (branch: Branch) => number): number =>
    branches.reduce((sum, branch) => sum + of(branch) * (branch.capacitance / capacitance) ** 2, 0);
  return { capacitance, resistance: shared((b) => b.resistance), inductance: shared((b) => b.inductance) };
}

/**
 * Branches whose R·C and L·C agree share every current in proportion to their capacitance: each such group is one
 * branch, exactly. Ideal ones are a group of their own.
 */
export function likeBranches(branches: readonly Branch[]): Branch[] {
  return likeGroups(branches).map((group) => asOne(branches, group));
}

const asOne = (branches: readonly Branch[], group: readonly number[]): Branch =>
  group.length === 1 ? branches[group[0]!]! : together(group.map((at) => branches[at]!));

function likeGroups(branches: readonly Branch[]): number[][] {
  const same = (a: number, b: number): boolean => Math.abs(a - b) <= SAME * Math.max(a, b);
  const groups: number[][] = [];
  branches.forEach((branch, at) => {
    const group = groups.find((members) => {
      const first = branches[members[0]!]!;
      return (
        same(first.resistance * first.capacitance, branch.resistance * branch.capacitance) &&
        same(first.inductance * first.capacitance, branch.inductance * branch.capacitance)
      );
    });
    if (group) group.push(at);
    else groups.push([at]);
  });
  return groups;
}

/** Like branches as one, exactly; where more than {@link MOST_BRANCHES} unlike ones remain, the nearest pairs with them. */
export function mergeBranches(branches: readonly Branch[]): Branch[] {
  return groupBranches(branches).map((group) => asOne(branches, group));
}

/** Which of the branches {@link mergeBranches} takes together, by their places. */
export function groupBranches(branches: readonly Branch[]): number[][] {
  const groups = likeGroups(branches);
  const merged = groups.map((group) => asOne(branches, group));
  const place = (branch: Branch): [number, number] => [
    Math.log(Math.max(TINY, branch.resistance * branch.capacitance)),
    Math.log(Math.max(TINY ** 2, branch.inductance * branch.capacitance)) / 2,
  ];
  while (merged.length > MOST_BRANCHES) {
    const places = merged.map(place);
    let nearest = { distance: Infinity, i: 0, j: 1 };
    for (let i = 0; i < merged.length; i += 1)
      for (let j = i + 1; j < merged.length; j += 1) {
        const distance = Math.hypot(places[i]![0] - places[j]![0], places[i]![1] - places[j]![1]);
        if (distance < nearest.distance) nearest = { distance, i, j };
      }
    const pair = together([merged[nearest.i]!, merged[nearest.j]!]);
    merged.splice(nearest.j, 1);
    merged[nearest.i] = pair;
    groups[nearest.i]!.push(...groups.splice(nearest.j, 1)[0]!);
  }
  return groups;
}
