import {
  assess,
  formatQuantity,
  lossScopeWords,
  tabulate,
  TOPOLOGY_WORDS,
  type Alternative,
  type Design,
  type OperatingPoint,
  type QuantityId,
  type Result,
  VERDICTS,
  type Target,
  type Unit,
  type Verdicts,
} from '@yundro/core';

/** Quantities that stand in a corner's line, in the order of its heads. */
const CORNER_COLUMNS = [
  'duty',
  'inductorRipple',
  'inductorPeak',
  'outputRipple',
  'inputCapacitorRms',
  'lossTotal',
  'efficiency',
] as const satisfies readonly QuantityId[];

const MARK = { met: '+', marginal: '~', missed: '!', open: '?' } as const;

/** A result as text for people: decisions, corners, targets, notices. */
export function describeResult(design: Design, result: Verdicts): string {
  const lines: string[] = [
    `${design.name}: ${TOPOLOGY_WORDS[result.decisions.topology]}, ${result.verdict}`,
    '',
    'Decisions',
  ];
  const { decisions } = result;
  const rule = (path: string): string =>
    result.decided.find((d) => d.path === path || path.startsWith(`${d.path}.`))?.rule ?? 'held';
  const banks = (list: typeof decisions.outputCapacitors): string =>
    list.map((bank) => `${bank.count} × ${value(bank.capacitance, 'F')}`).join(' + ');
  const rows: [string, string, string][] = [
    ['switching frequency', value(decisions.switchingFrequency, 'Hz'), rule('switchingFrequency')],
    ['phases', String(decisions.phases), rule('phases')],
    ['inductance', value(decisions.inductor.inductance, 'H'), rule('inductor.inductance')],
    ['winding resistance', value(decisions.inductor.resistance, 'Ω'), rule('inductor.resistance')],
    ['saturation current', value(decisions.inductor.saturationCurrent, 'A'), rule('inductor.saturationCurrent')],
    ['control switch', value(decisions.controlSwitch.onResistance, 'Ω'), rule('controlSwitch.onResistance')],
    [
      'rectifier',
      decisions.rectifier.kind === 'diode'
        ? `diode, ${value(decisions.rectifier.forwardVoltage ?? 0, 'V')}`
        : `synchronous, ${value(decisions.rectifier.onResistance ?? 0, 'Ω')}`,
      rule(decisions.rectifier.kind === 'diode' ? 'rectifier.forwardVoltage' : 'rectifier.onResistance'),
    ],
    ['output bank', banks(decisions.outputCapacitors), rule('outputCapacitors')],
    ['input bank', banks(decisions.inputCapacitors), rule('inputCapacitors')],
    ['control', decisions.control.method.replaceAll('-', ' '), rule('control.method')],
  ];
  const { compensator, control } = decisions;
  if (compensator?.type !== undefined) rows.push(['network', `type ${compensator.type}`, rule('compensator')]);
  if (control.digital)
    rows.push(['coefficients', `order ${control.digital.denominator.length - 1}`, rule('control.digital')]);
  for (const [name, text, why] of rows) lines.push(`  ${name.padEnd(20)} ${text.padEnd(22)} ${why}`);

  lines.push(
    '',
    'Corners',
    '     Vin     Iout  mode    duty    ripple     peak  out ripple  in RMS    loss*  efficiency*',
  );
  const columns = tabulate(design, result, CORNER_COLUMNS);
  result.operatingPoints.forEach((p, at) => {
    const cells = columns.map(({ id, unit, values }) => {
      const found = values[at];
      return (found === undefined ? '—' : value(found, unit)).padStart(id === 'outputRipple' ? 9 : 8);
    });
    const where = [value(p.inputVoltage, 'V').padStart(7), value(p.outputCurrent, 'A').padStart(7)];
    lines.push(`  ${[...where, p.conductionMode.padStart(4), ...cells].join('  ')}`);
  });
  lines.push(`  * ${lossScopeWords(result.lossScope)}`, '', 'Targets');
  const order = (t: Target): number => VERDICTS.indexOf(t.verdict);
  for (const t of [...result.targets].sort((a, b) => order(a) - order(b))) {
    const sense = t.sense === 'below' ? '≤' : '≥';
    const where = `${value(t.at.inputVoltage, 'V')}, ${value(t.at.outputCurrent, 'A')}`;
    lines.push(
      `  ${MARK[t.verdict]} ${t.name.padEnd(28)} ${predictedOf(t).padStart(9)} ${sense} ${value(t.required, t.unit).padEnd(9)} ${t.verdict.padEnd(9)} at ${where}` +
        (t.why === undefined ? '' : `; ${t.why}`) +
        (t.verdict === 'missed' && !t.advice && t.held.length > 0 ? `; let go of ${t.held.join(' or ')}` : ''),
    );
    for (const { words, gives, verdict, misses = [] } of t.advice ?? [])
      lines.push(
        `      tried: ${words} gives ${value(gives, t.unit)}${verdict === 'missed' ? ', still missed' : ''}${misses.length > 0 ? `, but misses ${misses.join(', ')}` : ''}`,
      );
  }
  if (result.places) {
    lines.push('', 'Parts');
    for (const { place, parts, words } of result.places)
      lines.push(
        `  ${place.padEnd(18)} ${(parts.map(({ id, count }) => `${count} × ${id}`).join(' + ') || 'none').padEnd(44)} ${words}`,
      );
  }
  const full = result.operatingPoints.reduce<OperatingPoint | undefined>(
    (best, at) =>
      at.inputVoltage === design.brief.inputVoltage.nominal && (!best || at.outputCurrent > best.outputCurrent)
        ? at
        : best,
    undefined,
  );
  if (full) {
    lines.push('', `Losses at ${value(full.inputVoltage, 'V')}, ${value(full.outputCurrent, 'A')}`);
    const { total, ...each } = full.losses;
    for (const [name, loss] of Object.entries(each).sort(([, a], [, b]) => b - a))
      lines.push(`  ${name.padEnd(28)} ${value(loss, 'W').padStart(9)}`);
    lines.push(`  ${'total'.padEnd(28)} ${value(total, 'W').padStart(9)}`);
    for (const [name, temperature] of Object.entries(full.temperatures ?? {}))
      lines.push(`  ${`temperature of ${name}`.padEnd(28)} ${value(temperature, '°C').padStart(9)}`);
  }
  const { linearRegulator } = result;
  lines.push(
    '',
    linearRegulator.feasible
      ? `Linear regulator instead: ${value(linearRegulator.efficiency, '%')}, ${value(linearRegulator.heat, 'W')} of heat. ${linearRegulator.words}`
      : `Linear regulator instead: ${linearRegulator.words}`,
  );
  for (const w of result.warnings) lines.push(`Warning: ${w.message}`);
  for (const c of result.cautions) lines.push(`Caution: ${c.message}`);
  return `${lines.join('\n')}\n`;
}

interface Compared {
  design: Design;
  result: Result;
}

/** Designs side by side, for programs: each with the figures that people compare. */
export function comparisonOf(compared: readonly Compared[]): object {
  return {
    format: 'yundro-comparison',
    version: 1,
    designs: compared.map(({ design, result }) => {
      const { result: _, name: __, ...figures } = assess(design, result);
      return { name: design.name, ...figures, warnings: result.warnings, cautions: result.cautions };
    }),
  };
}

/** Designs side by side, for people: a row for each figure, a column for each design. */
export function describeComparison(compared: readonly Compared[]): string {
  const columns = compared.map(({ design, result }) => ({ design, result, figures: assess(design, result) }));
  const row = (name: string, show: (figures: Alternative, design: Design, result: Result) => string): string[] => [
    name,
    ...columns.map(({ figures, design, result }) => show(figures, design, result)),
  ];
  const rows = [
    row('', (_, design) => design.name),
    row('topology', (f) => `${TOPOLOGY_WORDS[f.topology]}${f.phases > 1 ? `, ${f.phases} phases` : ''}`),
    row('output', (_, { brief }) => `${value(brief.outputVoltage, 'V')}, ${value(brief.outputCurrent.max, 'A')}`),
    row('verdict', (f) => f.verdict),
    row('frequency', (f) => value(f.switchingFrequency, 'Hz')),
    row('duty', (f) => `${value(f.duty.min, '%')} to ${value(f.duty.max, '%')}`),
    row('boost leg’s duty', (f) =>
      f.boostDuty ? `${value(f.boostDuty.min, '%')} to ${value(f.boostDuty.max, '%')}` : 'none',
    ),
    row('control switch', (f) => `${value(f.control.voltage, 'V')}, ${value(f.control.rmsCurrent, 'A')} RMS`),
    row('rectifier', (f) => `${value(f.rectifier.voltage, 'V')}, ${value(f.rectifier.rmsCurrent, 'A')} RMS`),
    row('total switch stress', (f) => value(f.switchProduct, 'V·A')),
    row('inductor', (f) => `${value(f.inductor.inductance, 'H')}, peak ${value(f.inductor.peak, 'A')}`),
    row('energy at the peak', (f) => value(f.inductor.energy, 'J')),
    row('input bank', (f) => `${value(f.inputCapacitorRms, 'A')} RMS`),
    row('output bank', (f) => `${value(f.outputCapacitorRms, 'A')} RMS`),
    row('pulsating current', (f) => f.pulsating),
    row('right-half-plane zero', (f) =>
      f.rightHalfPlaneZero === undefined ? 'none' : value(f.rightHalfPlaneZero, 'Hz'),
    ),
    row('parts', (f) => `${f.parts.switches} switches, ${f.parts.inductors} cores, ${f.parts.capacitors} capacitors`),
    row('conduction loss, nominal', (f) => `${value(f.loss, 'W')}, ${value(f.efficiency, '%')}`),
    row('warnings', (_, __, result) => String(result.warnings.length)),
  ];
  const widths = rows[0]!.map((_, column) => Math.max(...rows.map((cells) => cells[column]!.length)));
  return `${rows
    .map((cells) =>
      cells
        .map((cell, column) => cell.padEnd(widths[column]!))
        .join('  ')
        .trimEnd(),
    )
    .join('\n')}\n`;
}

/** What a target comes to; an estimate says that it is one. */
const predictedOf = ({ predicted, unit, estimate }: Target): string =>
  Number.isNaN(predicted) ? '—' : predicted === Infinity ? 'never' : `${estimate ? '≈ ' : ''}${value(predicted, unit)}`;

function value(number: number, unit: Unit): string {
  return formatQuantity(number, unit).replace('\u00a0', ' ');
}
