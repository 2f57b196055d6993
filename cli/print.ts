/** What the command line writes: aligned columns, no boxes, colour only for glyphs and `refused`. */
import { cellsToCsv } from '@zpine/contract/csv';
import { visible } from '@zpine/core/text/visible';
import { stages, type Stage } from '@zpine/contract/kinds/devices';

const colourful = (): boolean => Boolean(process.stdout.isTTY) && !process.env.NO_COLOR;
/**
 * Colours are marked by what nobody else can write, and become those of the terminal at the very end: what steers a
 * terminal in any other text is shown, not done.
 */
const mark = `\ue000${Math.random().toString(36).slice(2)}:`;
const paint = (code: number, text: string): string =>
  colourful() ? `${mark}${code}\ue001${text}${mark}0\ue001` : text;
const marks = new RegExp(`${mark}(\\d+)\ue001`, 'g');
/** As it may go to a terminal. */
const shown = (text: string): string => visible(text).replace(marks, '\u001b[$1m');

const stageColours: Record<Stage, number> = {
  sketched: 90,
  prepared: 36,
  arriving: 33,
  proving: 33,
  serving: 32,
  unproved: 90,
  faulty: 31,
  retired: 90,
};

export const stageText = (stage: string): string =>
  stage in stages ? `${paint(stageColours[stage as Stage], stages[stage as Stage])} ${stage}` : stage;

export const refusedWord = (): string =>
  process.stderr.isTTY && !process.env.NO_COLOR ? `${mark}31\ue001refused${mark}0\ue001` : 'refused';

const bare = (text: string): string => text.replace(marks, '');
const width = (text: string): number => [...bare(text)].length;
const padded = (text: string, to: number): string => text + ' '.repeat(Math.max(0, to - width(text)));

/** Whether tables are wanted as CSV: said once on the command line, for all of them. */
const csv = process.argv.includes('--csv');
/** Words beside a table in CSV are no part of it; where there was none, they are the answer. */
const aside: string[] = [];
let tables = 0;
if (csv) {
  process.on('exit', () => {
    const words = aside.join('');
    if (words !== '') (tables > 0 ? process.stderr : process.stdout).write(words);
  });
}

/** A table under its heads: aligned columns for people, CSV where that was asked for. */
export class Table {
  private readonly heads: string[];
  private readonly rows: string[][];
  private readonly numeric: Set<number>;

  constructor(heads: string[], rows: string[][], numeric: Set<number>) {
    this.heads = heads;
    this.rows = rows;
    this.numeric = numeric;
  }

  toCsv(): string {
    // A column of remedies or marks has no head for people; programs need one for each.
    const heads = this.heads.map((head, i) => head || (i === 0 ? 'name' : `column ${i + 1}`));
    return cellsToCsv(
      heads,
      this.rows.map((row) => heads.map((_, i) => bare(row[i] ?? ''))),
    );
  }

  /** A column that is empty everywhere is left out. */
  toString(): string {
    const { heads, rows, numeric } = this;
    const used = heads.map((_, i) => i).filter((i) => i === 0 || rows.some((row) => row[i]));
    const widths = used.map((i) => Math.max(width(heads[i] ?? ''), ...rows.map((row) => width(row[i] ?? ''))));
    const line = (cells: string[]) =>
      used
        .map((i, n) => {
          const cell = cells[i] ?? '';
          return numeric.has(i)
            ? ' '.repeat(Math.max(0, (widths[n] ?? 0) - width(cell))) + cell
            : padded(cell, widths[n] ?? 0);
        })
        .join('  ')
        .trimEnd();
    return [line(heads), ...rows.map(line)].join('\n');
  }
}

export const table = (heads: string[], rows: string[][], numeric: Set<number> = new Set()): Table =>
  new Table(heads, rows, numeric);

export function out(...parts: (string | Table)[]): void {
  for (const part of parts) {
    if (csv && part instanceof Table) {
      tables += 1;
      raw(part.toCsv());
    } else if (csv && !process.argv.includes('--json')) aside.push(`${shown(String(part))}\n`);
    else process.stdout.write(`${shown(String(part))}\n`);
  }
}
export const err = (text: string): void => void process.stderr.write(`${shown(text)}\n`);

/** A whole text of its own, such as a configuration: letter by letter into a file or a pipe, harmless on a terminal. */
export const raw = (text: string): void => void process.stdout.write(process.stdout.isTTY ? visible(text) : text);

/** Names and values, the names in one column. */
export function pairs(entries: [string, string][]): string {
  const wide = Math.max(...entries.map(([name]) => width(name)));
  return entries
    .map(([name, value]) => {
      const [first = '', ...rest] = value.split('\n');
      return [`${padded(name, wide)}  ${first}`.trimEnd(), ...rest.map((line) => `${' '.repeat(wide)}  ${line}`)].join(
        '\n',
      );
    })
    .join('\n');
}

/** How long ago, as people say it. */
export function ago(iso: string, now = Date.now()): string {
  const seconds = Math.max(0, Math.round((now - Date.parse(iso)) / 1000));
  if (seconds < 90) return `${seconds} s`;
  if (seconds < 90 * 60) return `${Math.round(seconds / 60)} min`;
  if (seconds < 36 * 3600) return `${Math.round(seconds / 3600)} h`;
  return `${Math.round(seconds / 86400)} days`;
}

const two = (n: number): string => String(n).padStart(2, '0');

/** The time of day, as it is here. */
export const clock = (iso: string): string => {
  const at = new Date(iso);
  return `${two(at.getHours())}:${two(at.getMinutes())}:${two(at.getSeconds())}`;
};

/** A day and time that nobody reads wrong: `2026-11-30 11:41 +01:00`. */
export function moment(iso: string): string {
  const at = new Date(iso);
  const ahead = -at.getTimezoneOffset();
  const zone =
    ahead === 0
      ? 'UTC'
      : `${ahead < 0 ? '-' : '+'}${two(Math.floor(Math.abs(ahead) / 60))}:${two(Math.abs(ahead) % 60)}`;
  const day = `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}`;
  return `${day} ${two(at.getHours())}:${two(at.getMinutes())} ${zone}`;
}
