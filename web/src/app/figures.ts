import Papa from 'papaparse';

/* Tables of figures as instruments write them. */

/** Lines of a file's head among which the first row of figures has to come. */
const HEAD = 200;

/** A file's rows with what stands above them. */
export interface FigureTable {
  /** lines above the figures that have columns, each parted */
  heads: string[][];
  columns: number;
  /** every row of the file as text */
  rows: string[][];
  /** a field as a number; NaN where it is none */
  numberOf: (text: string | undefined) => number;
}

/** @returns whether decimals are written with a comma: never where the comma parts the columns */
function decimalComma(fields: readonly string[], delimiter: string): boolean {
  return delimiter !== ',' && fields.some((field) => /^\s*[-+]?\d*,\d+(?:[eE][-+]?\d+)?\s*$/u.test(field));
}

function plainNumber(text: string | undefined, comma: boolean): number {
  const plain = (comma ? text?.replace(',', '.') : text)?.trim();
  return plain === undefined || plain === '' ? Number.NaN : Number(plain);
}

/**
 * A table from text: tabs, semicolons or commas between columns, decimal commas where they cannot be mistaken, lines above
 * the figures kept as heads.
 * @returns undefined where no row has two figures or more
 */
export function figureTable(text: string): FigureTable | undefined {
  const lines = text.slice(0, 100_000).split(/\r?\n/u, HEAD);
  const delimiters = ['\t', ';', ','];
  const figures = (line: string, delimiter: string): boolean => {
    const fields = line.split(delimiter);
    if (fields.length < 2) return false;
    const comma = decimalComma(fields, delimiter);
    return fields.filter((field) => Number.isFinite(plainNumber(field, comma))).length >= 2;
  };
  for (const [first, line] of lines.entries()) {
    const delimiter = delimiters.find((one) => figures(line, one));
    if (delimiter === undefined) continue;
    const heads = lines
      .slice(0, first)
      .filter((head) => head.includes(delimiter))
      .map((head) => head.split(delimiter).map((field) => field.replaceAll('"', '').trim()));
    const comma = decimalComma(line.split(delimiter), delimiter);
    const { data } = Papa.parse<string[]>(text, { delimiter, skipEmptyLines: true });
    return {
      heads,
      columns: line.split(delimiter).length,
      rows: data,
      numberOf: (field) => plainNumber(field, comma),
    };
  }
  return undefined;
}
