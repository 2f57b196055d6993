/** Which device is asked or told what: lists as people have them in files and spreadsheets. */
import { fail, ok, type Parsed } from '../fault.ts';

/** Lines by device name. */
export type PerDevice = Map<string, string[]>;

type Code = 'list-empty' | 'list-device-missing' | 'list-cell-lines';
const MOST_DEVICES = 10_000;

const hasBreak = (cell: string): boolean => /[\u0000-\u0008\u000a-\u001f\u007f]/.test(cell);

/**
 * A table as cells. By `columns`: the head of a column is a device, what stands below it are its lines, and columns may be
 * of unequal length. By `rows`: the first cell of a row is a device, the others are its lines. Blank cells are nothing.
 */
export function perDevice(cells: readonly (readonly string[])[], by: 'columns' | 'rows'): Parsed<PerDevice, Code> {
  const out: PerDevice = new Map();
  const put = (device: string, line: string, row: number): Parsed<null, Code> => {
    if (hasBreak(line)) return fail('list-cell-lines', { row, device });
    out.set(device, [...(out.get(device) ?? []), line.trimEnd()]);
    return ok(null);
  };
  const heads = (cells[0] ?? []).map((cell) => cell.trim().toLowerCase());
  for (const [i, row] of cells.entries()) {
    if (by === 'columns' && i === 0) continue;
    const name = row[0]?.trim().toLowerCase() ?? '';
    for (const [j, cell] of row.entries()) {
      if ((by === 'rows' && j === 0) || cell.trim() === '') continue;
      const device = by === 'rows' ? name : (heads[j] ?? '');
      if (device === '') return fail('list-device-missing', { row: i + 1, column: j + 1, line: cell.trim() });
      const put_ = put(device, cell, i + 1);
      if (!put_.ok) return put_;
    }
  }
  if (out.size === 0 || out.size > MOST_DEVICES) return fail('list-empty', { max: MOST_DEVICES });
  return ok(out);
}

/** Which way a table lies, where nobody says: the names of known devices are heads, or they are first cells. */
export function liesBy(cells: readonly (readonly string[])[], isDevice: (name: string) => boolean): 'columns' | 'rows' {
  const heads = (cells[0] ?? []).filter((cell) => isDevice(cell.trim().toLowerCase())).length;
  const firsts = cells.filter((row) => isDevice((row[0] ?? '').trim().toLowerCase())).length;
  return firsts > heads ? 'rows' : 'columns';
}
