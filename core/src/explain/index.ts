import { splitQuantity, type Unit } from '../quantity/index.ts';
import { valueAt } from '../design/decision.ts';
import type { Form, Kind, Quantity, Scene } from './form.ts';
import { isQuantityId, QUANTITIES, type QuantityId } from '../stage/quantities/given.ts';

/** An input or a user of an explained quantity, with its value at the same point. */
export interface Link {
  id: QuantityId;
  name: string;
  value: number;
  unit: Unit;
}

/** Why a number is what it is: one sheet's worth. */
export interface Explanation {
  id: QuantityId;
  name: string;
  symbol: string;
  unit: Unit;
  kind: Kind;
  value: number;
  /** typeset form, with symbols and with this design's numbers; absent for what was given */
  formula?: { symbols: string; numbers: string; value: number; holds: string; source: string };
  /** relative difference between the exact waveform's value and the form's; absent when they are the same thing */
  difference?: number;
  /** where a given value comes from: the brief, the person's hold, or the rule that decided it */
  origin?: { path: string; by: 'brief' | 'held' | 'decided'; rule?: string };
  inputs: Link[];
  usedBy: Link[];
}

const all: Readonly<Record<QuantityId, Quantity>> = QUANTITIES;

/** Explains one quantity at one operating point; undefined when it has no value there. */
export function explain(scene: Scene, id: QuantityId): Explanation | undefined {
  const quantity = all[id];
  const value = quantity.value(scene);
  if (value === undefined || !Number.isFinite(value)) return undefined;
  const form = quantity.form?.(scene);
  const read = (of: string): number => (isQuantityId(of) ? all[of].value(scene) : undefined) ?? 0;
  const byForm = form ? form.evaluate(read) : undefined;
  const origin = originOf(scene, quantity);
  const differs = byForm !== undefined && quantity.exact === true && value !== 0;
  return {
    id,
    name: quantity.name,
    symbol: quantity.symbol,
    unit: quantity.unit,
    kind: quantity.kind,
    value,
    ...(form && byForm !== undefined && Number.isFinite(byForm)
      ? {
          formula: {
            symbols: typeset(form, (input) => all[input].symbol),
            numbers: typeset({ ...form, tex: form.tex.replace(/\\,(?=\\q\{)/gu, '\\cdot ') }, (input) =>
              figure(read(input), all[input].unit),
            ),
            value: byForm,
            holds: form.holds,
            source: form.source,
          },
        }
      : {}),
    ...(differs ? { difference: byForm / value - 1 } : {}),
    ...(origin ? { origin } : {}),
    inputs: (form?.inputs ?? []).flatMap((input) => linkTo(scene, input)),
    usedBy: (Object.keys(all) as QuantityId[])
      .filter((other) => all[other].form?.(scene)?.inputs.includes(id))
      .flatMap((other) => linkTo(scene, other)),
  };
}

function linkTo(scene: Scene, id: string): Link[] {
  if (!isQuantityId(id)) return [];
  const value = all[id].value(scene);
  return value === undefined ? [] : [{ id, name: all[id].name, value, unit: all[id].unit }];
}

function originOf({ design, result }: Scene, { setBy }: Quantity): Explanation['origin'] {
  if (setBy === undefined) return undefined;
  if (setBy.startsWith('brief.')) return { path: setBy, by: 'brief' };
  const path = setBy.replace(/^decisions\./u, '');
  const rule = result.decided.find((d) => d.path === path || d.path.startsWith(`${path}.`))?.rule;
  if (rule !== undefined) return { path, by: 'decided', rule };
  return valueAt(design.decisions, path) === undefined ? undefined : { path, by: 'held' };
}

/** Puts symbols or figures in the places that a form's text keeps for its inputs. */
function typeset(form: Form, show: (id: QuantityId) => string): string {
  return form.tex.replace(/\\q\{(\w+)\}/gu, (whole, id: string) => (isQuantityId(id) ? `{${show(id)}}` : whole));
}

const TEX_UNITS: Partial<Record<Unit, string>> = { Ω: '\\Omega', '%': '\\%', '°C': '^\\circ\\mathrm C' };

function figure(value: number, unit: Unit): string {
  const { number, prefix } = splitQuantity(value, unit, { digits: 4 });
  if (unit === '') return number;
  const letter = prefix === 'µ' ? '\\mu' : prefix === '' ? '' : `\\mathrm{${prefix}}`;
  const name = TEX_UNITS[unit] ?? `\\mathrm{${unit}}`;
  return `${number.replace('−', '-')}\\,${letter}${name}`;
}

/** Name, symbol and unit of every quantity, for finding one by its words. */
export function listQuantities(): { id: QuantityId; name: string; symbol: string; unit: Unit; kind: Kind }[] {
  return (Object.keys(all) as QuantityId[]).map((id) => {
    const { name, symbol, unit, kind } = all[id];
    return { id, name, symbol, unit, kind };
  });
}

export type { Scene } from './form.ts';
export type { QuantityId } from '../stage/quantities/given.ts';
