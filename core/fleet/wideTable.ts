/** Wide tables, as people have them: a head row that names its columns, one of which says which device a row is for. */
import type { Fault } from '../fault.ts';

export interface WideRow {
  /** Counted from one, the head row included. */
  row: number;
  device: string;
  /** By the head of the column, in small letters with dashes. */
  values: Record<string, string>;
  /** Lines or commands that stand in a column of their own. */
  lines: string[];
}

type WideFault = Fault<
  'wide-head-missing' | 'wide-head-twice' | 'wide-device-missing' | 'list-cell-lines' | 'list-empty'
>;

export interface WideTable {
  heads: string[];
  rows: WideRow[];
  faults: WideFault[];
}

const DEVICE = [
  'device',
  'devices',
  'device-name',
  'name',
  'host',
  'hostname',
  'host-name',
  'switch',
  'router',
  'box',
  'node',
  'address',
  'ip',
  'ip-address',
];
const LINES = ['commands', 'command', 'lines', 'line', 'configuration'];
const MOST_ROWS = 20_000;

const headOf = (cell: string): string =>
  cell
    .trim()
    .toLowerCase()
    .replace(/[\s_]+/g, '-');

/** Where the device of a row stands: the first of such words that a head has. */
const deviceAt = (heads: readonly string[]): number => heads.findIndex((head) => DEVICE.includes(head));

/** Whether the first row is a head of such a table: names of devices are no such heads. */
export function isWide(cells: readonly (readonly string[])[]): boolean {
  const heads = (cells[0] ?? []).map(headOf);
  return heads.filter((head) => head !== '').length > 1 && deviceAt(heads) >= 0;
}

/** All faults are gathered, each with its row and column, counted from one. */
export function wideTable(cells: readonly (readonly string[])[]): WideTable {
  const heads = (cells[0] ?? []).map(headOf);
  const at = deviceAt(heads);
  const rows: WideRow[] = [];
  const faults: WideFault[] = [];
  for (const [i, head] of heads.entries()) {
    const first = heads.indexOf(head);
    if (head !== '' && first < i)
      faults.push({ code: 'wide-head-twice', params: { head, column: i + 1, first: first + 1 } });
  }
  for (const [i, cellsOfRow] of cells.entries()) {
    if (i === 0 || cellsOfRow.every((cell) => cell.trim() === '')) continue;
    const device = (cellsOfRow[at] ?? '').trim();
    if (device === '') {
      faults.push({ code: 'wide-device-missing', params: { row: i + 1, column: at + 1 } });
      continue;
    }
    const row: WideRow = { row: i + 1, device, values: {}, lines: [] };
    for (const [j, cell] of cellsOfRow.entries()) {
      const head = heads[j] ?? '';
      const text = cell.trim();
      if (j === at || text === '') continue;
      if (head === '') faults.push({ code: 'wide-head-missing', params: { row: i + 1, column: j + 1, value: text } });
      else if (LINES.includes(head))
        row.lines.push(
          ...cell
            .replace(/\r\n/g, '\n')
            .split('\n')
            .filter((line) => line.trim() !== ''),
        );
      else if (/[\u0000-\u001f\u007f]/.test(text))
        faults.push({ code: 'list-cell-lines', params: { row: i + 1, device } });
      else row.values[head] = text;
    }
    rows.push(row);
  }
  if (faults.length === 0 && (rows.length === 0 || rows.length > MOST_ROWS))
    faults.push({ code: 'list-empty', params: { max: MOST_ROWS } });
  return { heads: heads.filter((head, j) => j !== at && head !== '' && !LINES.includes(head)), rows, faults };
}
