import { splitQuantity, type Unit } from '../quantity/index.ts';
import { valueAt } from '../design/decision.ts';
import { expressionOf } from './expression.ts';
import type { Catalogue, Form, Kind, Quantity, Scene } from './form.ts';

/** An input or a user of an explained quantity, with its value at the same point. */
export interface Link<Q extends string = string> {
  id: Q;
  name: string;
  value: number;
  unit: Unit;
}

/** Why a number is what it is: one sheet's worth. */
export interface Explanation<Q extends string = string> {
  id: Q;
  name: string;
  symbol: string;
  unit: Unit;
  kind: Kind;
  value: number;
  /** typeset form, with symbols and with this design's numbers; absent for what was given */
  formula?: { symbols: string; numbers: string; value: number; holds: string; source: string };
  /** how it was found, where no form computes it */
  told?: string;
  /** relative difference between the exact waveform's value and the form's; absent when they are the same thing */
  difference?: number;
  /** where a given value comes from: the brief, the person's hold, or the rule that decided it */
  origin?: { path: string; by: 'brief' | 'held' | 'decided'; rule?: string };
  inputs: Link<Q>[];
  usedBy: Link<Q>[];
}

/** Explains one quantity of a catalogue in a scene; undefined when it has no value there. */
export function explainBy<S extends Scene, Q extends string>(
  all: Catalogue<S, Q>,
  scene: S,
  id: Q,
): Explanation<Q> | undefined {
  const has = (of: string): of is Q => Object.hasOwn(all, of);
  const linkTo = (of: string): Link<Q>[] => {
    const found = has(of) ? all[of].value(scene) : undefined;
    return found === undefined || !has(of) ? [] : [{ id: of, name: all[of].name, value: found, unit: all[of].unit }];
  };
  const quantity = all[id];
  const value = quantity.value(scene);
  if (value === undefined || !Number.isFinite(value)) return undefined;
  const form = quantity.form?.(scene);
  const read = (of: string): number => {
    // a name that is in no catalogue is a slip in the form, not a zero
    if (!has(of)) throw new RangeError(`The form of "${id}" names "${of}", which is no quantity.`);
    return all[of].value(scene) ?? 0;
  };
  const byForm = form ? evaluateForm(form, read) : undefined;
  const inputs = form ? inputsOf(form) : [];
  const origin = originOf(scene, quantity);
  const told = quantity.told?.(scene);
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
            symbols: typeset(
              quantity.symbol,
              form,
              (input) => (has(input) ? all[input].symbol : input),
              (set) => set,
              true,
            ).replace(/\\cdot(?=\s*(?:\{|\\(?:sqrt|left|max|pi)))/gu, '\\,'),
            numbers: typeset(
              quantity.symbol,
              form,
              (input) => (has(input) ? figure(read(input), all[input].unit) : input),
              // a unit takes the exponent for its own
              (set) => `\\left(${set}\\right)`,
              false,
            ),
            value: byForm,
            holds: form.holds,
            source: form.source,
          },
        }
      : {}),
    ...(told === undefined ? {} : { told }),
    ...(differs ? { difference: byForm / value - 1 } : {}),
    ...(origin ? { origin } : {}),
    inputs: inputs.flatMap(linkTo),
    usedBy: (Object.keys(all) as Q[])
      .filter((other) => {
        const its = all[other].form?.(scene);
        return its !== undefined && inputsOf(its).includes(id);
      })
      .flatMap(linkTo),
  };
}

function originOf({ design, result }: Scene, { setBy }: Pick<Quantity, 'setBy'>): Explanation['origin'] {
  if (setBy === undefined) return undefined;
  if (setBy.startsWith('brief.')) return { path: setBy, by: 'brief' };
  const path = setBy.replace(/^decisions\./u, '');
  const rule = result.decided.find((d) => d.path === path || d.path.startsWith(`${path}.`))?.rule;
  if (rule !== undefined) return { path, by: 'decided', rule };
  return valueAt(design.decisions, path) === undefined ? undefined : { path, by: 'held' };
}

/** The quantities that a form names, each once, in the order in which it names them. */
function inputsOf({ expression, where = {}, figures = {} }: Form): string[] {
  const named = [expression, ...Object.values(where).map((part) => part.expression)].flatMap(
    (text) => expressionOf(text).names,
  );
  return [...new Set(named)].filter((name) => !Object.hasOwn(where, name) && !Object.hasOwn(figures, name));
}

function evaluateForm({ expression, where = {}, figures = {}, functions }: Form, read: (id: string) => number): number {
  const parts = new Map<string, number>();
  const value = (name: string): number => parts.get(name) ?? figures[name]?.value ?? read(name);
  for (const [name, part] of Object.entries(where))
    parts.set(name, expressionOf(part.expression).evaluate(value, functions));
  return expressionOf(expression).evaluate(value, functions);
}

/** The form with symbols or figures for its quantities; figures of its own stand as they are, its parts follow it. */
function typeset(
  symbol: string,
  { expression, relation = '=', where = {}, figures = {}, functions }: Form,
  show: (id: string) => string,
  base: (set: string) => string,
  symbols: boolean,
): string {
  const set = (text: string): string =>
    expressionOf(text).typeset(
      (name) => {
        const own = figures[name];
        if (own) return own.symbol !== undefined && symbols ? own.symbol : figure(own.value, own.unit);
        return `{${where[name]?.symbol ?? show(name)}}`;
      },
      base,
      functions,
    );
  const parts = Object.values(where).map((part) => `${part.symbol} = ${set(part.expression)}`);
  return [`${symbol} ${relation} ${set(expression)}`, ...parts].join(',\\quad ');
}

const TEX_UNITS: Partial<Record<Unit, string>> = { Ω: '\\Omega', '%': '\\%', '°C': '^\\circ\\mathrm C' };

function figure(value: number, unit: Unit): string {
  const { number, prefix } = splitQuantity(value, unit, { digits: 4 });
  if (unit === '') {
    const plain = String(Number(value.toPrecision(4)));
    return value < 0 ? `\\left(${plain}\\right)` : plain;
  }
  const letter = prefix === 'µ' ? '\\mu' : prefix === '' ? '' : `\\mathrm{${prefix}}`;
  const name = TEX_UNITS[unit] ?? `\\mathrm{${unit}}`;
  return `${number.replace('−', '-')}\\,${letter}${name}`;
}
