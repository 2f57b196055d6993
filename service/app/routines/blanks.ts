/** The blanks of a routine: read from their text, and filled in from what was said and from a table. */
import { parseDocument } from 'yaml';
import { z } from 'zod';
import { blankFaults, blankSchema, blankValues, type Blanks } from '@zpine/core/dialect/blanks';
import type { WideRow } from '@zpine/core/fleet/wideTable';
import { nearest } from '@zpine/core/naming/names';
import { Refusal, type FieldFault } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import type { BlankValues } from '../fleet/blankNames.ts';

const blanksSchema = z.record(
  z
    .string()
    .regex(/^[a-z][A-Za-z0-9]{0,29}$/, 'a blank is named by letters and digits, and begins with a small letter'),
  blankSchema,
);

/** All faults of the text, each with its line. */
export function readBlanks(text: string | null): { blanks: Blanks; faults: { line: number; why: string }[] } {
  if (text === null || text.trim() === '') return { blanks: {}, faults: [] };
  const document = parseDocument(text, { prettyErrors: false });
  const lineAt = (offset: number): number => text.slice(0, offset).split('\n').length;
  if (document.errors.length > 0)
    return { blanks: {}, faults: document.errors.map(({ message, pos }) => ({ line: lineAt(pos[0]), why: message })) };
  const read = blanksSchema.safeParse(document.toJS());
  if (read.success) return { blanks: read.data, faults: [] };
  return {
    blanks: {},
    faults: read.error.issues.map(({ path, message }) => {
      const node = path[0] === undefined ? undefined : document.getIn([path[0]], true);
      const range =
        typeof node === 'object' && node !== null && 'range' in node ? (node.range as number[] | null) : null;
      return { line: lineAt(range?.[0] ?? 0), why: `${path.join('.')}: ${message}` };
    }),
  };
}

/** Heads are written in many ways: `Access port`, `access_port` and accessPort are one. */
const folded = (name: string): string => name.toLowerCase().replace(/[^a-z0-9]/g, '');

/** Which blank a column is for; one that is nearly the name of a blank is a fault, all others are nobody's. */
function columnsFor(routine: Stored<'routine'>, blanks: Blanks, heads: readonly string[]): Map<string, string> {
  const byFold = new Map(Object.keys(blanks).map((name) => [folded(name), name]));
  const out = new Map<string, string>();
  for (const head of heads) {
    const name = byFold.get(folded(head));
    const meant = name === undefined ? nearest(folded(head), byFold.keys()) : undefined;
    if (meant !== undefined)
      throw Refusal.at(['perDevice', 'text'], 'routine-column', {
        head,
        routine: routine.key,
        meant: byFold.get(meant) ?? meant,
      });
    if (name !== undefined) out.set(head, name);
  }
  return out;
}

/** A blank that nobody fills in, and for which there is no column, is told once and not for each row. */
function mustHaveColumns(
  routine: Stored<'routine'>,
  blanks: Blanks,
  { columns, heads, said }: { columns: Map<string, string>; heads: readonly string[]; said: Record<string, string> },
): void {
  const filled = new Set([...columns.values(), ...Object.keys(said)]);
  const without = Object.entries(blanks).filter(([name, { usual }]) => usual === undefined && !filled.has(name));
  if (without.length === 0) return;
  throw Refusal.of(
    without.map(([blank]) => ({
      path: ['perDevice', 'text'],
      code: 'routine-no-column',
      params: { blank, routine: routine.key, heads: heads.join(', ') || 'none' },
    })),
  );
}

interface Given {
  devices: readonly Stored<'device'>[];
  heads: readonly string[];
  rows: ReadonlyMap<number, readonly WideRow[]> | undefined;
  /** What was said for all, names of templates filled in for each device. */
  said: (device: Stored<'device'>) => Record<string, string>;
}

/** For each device what stands in the blanks, once for each of its rows; all faults together. */
export function filledBlanks(
  routine: Stored<'routine'>,
  blanks: Blanks,
  { devices, heads, rows, said }: Given,
): Map<number, BlankValues[]> {
  const columns = columnsFor(routine, blanks, heads);
  if (rows) mustHaveColumns(routine, blanks, { columns, heads, said: devices[0] ? said(devices[0]) : {} });
  const out = new Map<number, BlankValues[]>();
  const faults = new Map<string, FieldFault>();
  const now = new Date();
  for (const device of devices) {
    const own: BlankValues[] = [];
    for (const row of rows?.get(device.id) ?? [undefined]) {
      const inRow = Object.fromEntries(
        [...columns].flatMap(([head, name]) => (row?.values[head] === undefined ? [] : [[name, row.values[head]]])),
      );
      const given = { ...said(device), ...inRow };
      for (const { code, params, blank } of blankFaults(blanks, given)) {
        const fault: FieldFault =
          row && (inRow[blank] !== undefined || code === 'blank-missing')
            ? {
                path: ['perDevice', 'text'],
                code: 'wide-cell',
                params: { row: row.row, head: blank, why: why(code, params) },
              }
            : { path: ['blanks', blank], code, params };
        faults.set(JSON.stringify(fault), fault);
      }
      own.push(typed(blanks, blankValues(blanks, given, { portName: (name) => name, now })));
    }
    out.set(device.id, own);
  }
  if (faults.size > 0) throw Refusal.of([...faults.values()]);
  return out;
}

const why = (code: string, params: Readonly<Record<string, string | number>>): string =>
  code === 'blank-missing' ? 'nothing stands there' : `"${params.value ?? ''}": ${params.why ?? ''}`;

const typed = (blanks: Blanks, values: Record<string, string>): BlankValues =>
  Object.fromEntries(
    Object.entries(values).map(([name, value]) => [name, blanks[name]?.is === 'number' ? Number(value) : value]),
  );
