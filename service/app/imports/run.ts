/** An import that comes in one request: all of its texts in one unit of work. */
import { problemOf, Refusal } from '@zpine/contract/errors';
import type { ImportFault, ImportKind, ImportOutcome } from '@zpine/contract/importRoutes';
import type { BodyOf } from '@zpine/contract/routes';
import { kindNames, type KindName } from '@zpine/contract/kinds';
import type { Tx } from '../../store/tx.ts';
import { Import, SHOWN } from './engine.ts';
import { rememberHeads, rememberedHeads } from './headMapping.ts';
import { readText } from './read.ts';
import type { Format, Head, ImportRow, RowFault } from './rows.ts';
import { Stretches, type StretchOptions } from './stretches.ts';

export async function importText(tx: Tx, input: BodyOf<'import.run'>): Promise<ImportOutcome> {
  const files = input.files ?? (input.text === undefined ? [] : [{ name: null, text: input.text, kind: undefined }]);
  if (files.length === 0) throw Refusal.at(['text'], 'import-nothing');
  const read = [];
  for (const { name, text, kind } of files) {
    const remembered = (of: ImportKind) => rememberedHeads(tx, of);
    const { as, columns } = input;
    read.push(await readText({ text, file: name, kind: kind ?? input.kind, as, columns, remembered }));
  }
  const rows = read.flatMap((one) => one.rows);
  const outcome = await importRows(
    tx,
    rows,
    read.flatMap((one) => one.faults),
    {
      apply: input.apply,
      format: read[0]?.format ?? 'csv',
      heads: read.length === 1 ? (read[0]?.heads ?? []) : [],
    },
  );
  const [{ kind } = { kind: undefined }] = rows;
  if (outcome.applied && kind) await rememberHeads(tx, kind, input.columns);
  return outcome;
}

/** Rows of any kinds, all at hand. */
export async function importRows(
  tx: Tx,
  rows: ImportRow[],
  faults: RowFault[],
  { format, heads = [], ...how }: StretchOptions & { format: Format; heads?: Head[] },
): Promise<ImportOutcome> {
  const work = new Import(tx, new Set(rows.map((row) => row.kind)));
  work.faults.push(...faults);
  const stretches = new Stretches(work, how);
  await stretches.importAll(rows);
  return outcomeOf(tx, work, { apply: how.apply, format, heads, rows: rows.length, tree: stretches.tree });
}

const place = (kind: string): number => kindNames.indexOf(kind as KindName) + (kind === 'value' ? 1000 : 0);

/** What came of it; without `apply`, or with a fault, all of it is taken back. */
export function outcomeOf(
  tx: Tx,
  work: Import,
  { apply, format, heads, rows, tree }: Pick<ImportOutcome, 'format' | 'heads' | 'rows' | 'tree'> & { apply: boolean },
): ImportOutcome {
  const { counts, items, faults } = work;
  const applied = apply && faults.length === 0;
  if (!applied) tx.discarded = true;
  return {
    format,
    applied,
    rows,
    counts,
    items: items.sort((a, b) => place(a.kind) - place(b.kind) || a.row - b.row),
    faults: faults
      .slice(0, SHOWN)
      .map(worded)
      .sort(
        (a, b) =>
          (a.file ?? '').localeCompare(b.file ?? '') || place(a.kind ?? '') - place(b.kind ?? '') || a.row - b.row,
      ),
    faultCount: faults.length,
    heads,
    tree: faults.length === 0 ? tree : null,
  };
}

/** Faults as people read them. */
function worded({ code, params, ...at }: RowFault): ImportFault {
  const { detail, remedy } = problemOf(new Refusal(code, params));
  return { ...at, code, detail, remedy: remedy ?? null };
}
