/** What the command line writes: aligned columns, no boxes, colour only for glyphs and `refused`. */
import { stages, type Stage } from '@zpine/contract/kinds/devices';

const colourful = (): boolean => Boolean(process.stdout.isTTY) && !process.env.NO_COLOR;
const paint = (code: number, text: string): string => (colourful() ? `\u001b[${code}m${text}\u001b[0m` : text);

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
  process.stderr.isTTY && !process.env.NO_COLOR ? '\u001b[31mrefused\u001b[0m' : 'refused';

const width = (text: string): number => [...text.replace(/\u001b\[[0-9;]*m/g, '')].length;
const padded = (text: string, to: number): string => text + ' '.repeat(Math.max(0, to - width(text)));

export const out = (text: string): void => void process.stdout.write(`${text}\n`);
export const err = (text: string): void => void process.stderr.write(`${text}\n`);

/** Aligned columns under their heads; a column that is empty everywhere is left out. */
export function table(heads: string[], rows: string[][], numeric: Set<number> = new Set()): string {
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
