/** Many records at once: the same change for a selection, copies under other names, and removal with a look before it. */
import type { Command } from 'commander';
import type { BulkReply, RemovalReply } from '@zpine/contract/bulkRoutes';
import { problemOf, Refusal } from '@zpine/contract/errors';
import { typeOf, type Value } from '@zpine/contract/fields';
import { splitKey, type KindDescription } from '@zpine/contract/kind';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { cellsOf, linesOf, separatorOf } from '@zpine/core/lists/cells';
import { expandSeries } from '@zpine/core/naming/series';
import { clientOf, outputOf } from './context.ts';
import { readTable } from './files.ts';
import { confirmed, wanted } from './prompt.ts';
import { err, out, pairs, refusedWord, table } from './print.ts';
import { status, UsageError } from './refusals.ts';
import { fieldText } from './settings.ts';

type Options = Record<string, string | boolean | undefined>;

export interface BulkChange {
  where?: string | undefined;
  refs?: string[];
  changes: Record<string, Value>;
  addLabels: string[];
  dropLabels: string[];
}

export const labelsFrom = (text: unknown): string[] =>
  typeof text === 'string' ? text.split(/[\s,]+/).filter((word) => word !== '') : [];

const SHOWN = 20;
export const many = (k: KindDescription, n: number): string =>
  `${n} ${(n === 1 ? k.title : k.titles).replace(/^[A-Z](?![A-Z])/, (c) => c.toLowerCase())}`;

/** Shows what would come of it, asks by number, saves. */
export async function editMany(kind: KindName, change: BulkChange, options: Options, command: Command): Promise<void> {
  const k = kindOf(kind);
  const client = clientOf();
  const json = outputOf(command).json;
  const reason = options.reason as string | undefined;
  const seen = await client.editMany(kind, { ...change, apply: options.yes === true }, { reason });
  if (json) out(JSON.stringify(seen, null, 2));
  else showBulk(k, seen);
  if (seen.faults.length > 0) return void (process.exitCode = status.refused);
  if (seen.applied || seen.changed === 0) return;
  if (!(await confirmed(`edit ${many(k, seen.changed)}?`, seen.changed))) return;
  const done = await client.editMany(kind, { ...change, expect: seen.count, apply: true }, { reason });
  if (done.applied) out(`edited ${many(k, done.changed)}`);
  else {
    showBulk(k, done);
    process.exitCode = status.refused;
  }
}

function showBulk(k: KindDescription, { count, changed, applied, items, faults }: BulkReply): void {
  if (faults.length > 0) {
    err(`${refusedWord()}: ${faults.length} of ${many(k, count)}, nothing saved`);
    for (const f of faults) err(`  ${f.key}  ${f.field ?? ''}  ${f.detail}${f.remedy ? `; ${f.remedy}` : ''}`);
    return;
  }
  const rows = items
    .slice(0, SHOWN)
    .map((item) => [
      item.key,
      item.changes
        .map((c) => `${c.field} ${fieldText(k.name, c.field, c.before)} → ${fieldText(k.name, c.field, c.after)}`)
        .join(', '),
    ]);
  if (rows.length > 0) out(table([k.name, 'what'], rows));
  if (changed > rows.length) out(`and ${changed - rows.length} more`);
  const same = count - changed;
  out(
    `${many(k, count)} selected, ${changed} ${applied ? 'edited' : 'would be edited'}${same > 0 ? `, ${same} as they are already` : ''}`,
  );
}

/** `ske-acc-{2..9}`, or a plain list with commas. */
export function series(text: string): string[] {
  const read = expandSeries(text);
  if (read.ok) return read.value;
  throw new UsageError(problemOf(new Refusal(read.fault.code, read.fault.params)).detail);
}

export async function cloneRecord(
  kind: KindName,
  key: string,
  names: string[],
  options: Options,
  command: Command,
): Promise<void> {
  const k = kindOf(kind);
  const listed = typeof options.list === 'string' ? fromTable(k, options.list) : [];
  const named = names.flatMap(series).map((name) => keyFields(k, name));
  const records = [...named, ...listed];
  if (records.length === 0) throw new UsageError('name the copies: NEW…, or --list FILE');
  spread(k, records, options);
  const { json } = outputOf(command);
  const keys = records.map((record) => ownKey(k, record));
  if (!(await wanted(`add ${many(k, records.length)}?`, keys, { yes: options.yes, json }))) return;
  const made = await clientOf().clone(kind, key, records, { reason: options.reason as string | undefined });
  if (json) return out(JSON.stringify(made, null, 2));
  out(`added ${many(k, made.length)} like ${key}: ${made.map((record) => record.key).join(' ')}`);
}

/** The parts of a key that are the record's own. */
const ownKey = (k: KindDescription, record: Record<string, Value>): string =>
  k.key.parts.flatMap((name) => (record[name] === undefined ? [] : [String(record[name])])).join('/');

/** The fields of a key; numbers as numbers. */
export function keyFields(k: KindDescription, key: string): Record<string, Value> {
  // Where the key begins with another record, its own part is enough: the copy stays there.
  const own = k.key.parts.filter((part) => k.fields[part]?.type !== 'ref');
  const whole = splitKey(k, key);
  const parts = Object.keys(whole).length < k.key.parts.length && own.length === 1 ? { [own[0] ?? '']: key } : whole;
  return Object.fromEntries(
    Object.entries(parts).map(([name, text]) => {
      const field = k.fields[name];
      return [name, field ? (typeOf(field).fromText(text) as Value) : text];
    }),
  );
}

/** Values of options: one for all records, or one for each. */
export function spread(k: KindDescription, records: Record<string, Value>[], options: Options): void {
  const extra = k.name === 'device' ? ['serial', 'boxMac'] : [];
  for (const name of [...Object.keys(k.fields), ...extra]) {
    const text = options[name];
    if (typeof text !== 'string') continue;
    const field = k.fields[name];
    const whole =
      field !== undefined && ['labels', 'note', 'text', 'ranges', 'numbers', 'ports', 'slots'].includes(field.type);
    const values = whole ? [text] : series(text);
    if (values.length !== 1 && values.length !== records.length)
      throw new UsageError(`--${name} has ${values.length} values for ${records.length} records`);
    for (const [i, record] of records.entries()) {
      const value = values[values.length === 1 ? 0 : i] ?? '';
      record[name] = field ? (typeOf(field).fromText(value) as Value) : value;
    }
  }
}

/** A table whose head names fields; for devices also serial and mac of their boxes. */
function fromTable(k: KindDescription, file: string): Record<string, Value>[] {
  const lines = linesOf(readTable(file).text);
  const separator = separatorOf(lines.map((line) => line.text));
  const heads = cellsOf(lines[0]?.text ?? '', separator).map((head) => {
    const plain = head.toLowerCase();
    if (k.name === 'device' && plain === 'mac') return 'boxMac';
    if (k.name === 'device' && plain === 'serial') return 'serial';
    const found = Object.entries(k.fields).find(
      ([name, field]) => name.toLowerCase() === plain || field.title.toLowerCase() === plain,
    );
    if (!found) throw new UsageError(`${file}: no field of a ${k.name} is called "${head}"`);
    return found[0];
  });
  return lines.slice(1).map(({ line, text }) => {
    const cells = cellsOf(text, separator);
    if (cells.length > heads.length) throw new UsageError(`${file}: line ${line} has more cells than the head`);
    return Object.fromEntries(
      heads.flatMap((name, i) => {
        const cell = cells[i] ?? '';
        const field = k.fields[name];
        return cell === '' ? [] : [[name, field ? (typeOf(field).fromText(cell) as Value) : cell]];
      }),
    );
  });
}

export async function removeRecord(kind: KindName, key: string, options: Options, command: Command): Promise<void> {
  const k = kindOf(kind);
  const client = clientOf();
  const record = await client.show(kind, key);
  const told = await client.removal(kind, `#${record.id}`);
  if (told.blocks.length > 0) return refusedRemoval(told);
  const words = removalText(told, 1);
  if (words) out(words);
  const question = `remove ${k.title.toLowerCase()} ${record.key}?`;
  if (!options.yes && !(await confirmed(question, 1, 'not removed; --yes removes without asking'))) return;
  await client.remove(kind, `#${record.id}`, { version: record.version, reason: options.reason as string | undefined });
  if (outputOf(command).json) return out(JSON.stringify(told, null, 2));
  out(`removed ${kind} ${record.key}; zpine restore ${kind} ${record.key} brings it back`);
}

/** Lists what would go, asks by number, removes. */
export async function removeMany(
  kind: KindName,
  which: { where: string } | { refs: string[] },
  options: Options,
  command: Command,
): Promise<void> {
  const k = kindOf(kind);
  const client = clientOf();
  const reason = options.reason as string | undefined;
  const body = { ...which, contents: options.contents === true };
  const told = await client.removeMany(kind, body);
  const { json } = outputOf(command);
  if (told.blocks.length > 0) return refusedRemoval(told);
  if (told.chosen === 0) return out(json ? JSON.stringify(told, null, 2) : `no ${k.title.toLowerCase()} matches`);
  if (!json) {
    out(
      told.goes
        .slice(0, told.chosen)
        .slice(0, SHOWN)
        .map(({ key }) => key)
        .join('\n'),
    );
    if (told.chosen > SHOWN) out(`and ${told.chosen - SHOWN} more`);
    const words = removalText(told, told.chosen);
    if (words) out(words);
  }
  const others = told.count - told.chosen;
  const question = `remove ${many(k, told.chosen)}${others > 0 ? ` and ${others} records with ${told.chosen === 1 ? 'it' : 'them'}` : ''}?`;
  if (!options.yes && !(await confirmed(question, told.count, 'not removed; --yes removes without asking'))) return;
  const done = await client.removeMany(kind, { ...body, expect: told.count, apply: true }, { reason });
  if (!done.applied) return refusedRemoval(done);
  out(
    json ? JSON.stringify(done, null, 2) : `removed ${done.count} records; zpine history has the number for zpine undo`,
  );
}

function refusedRemoval({ blocks }: RemovalReply): void {
  for (const { detail, remedy } of blocks) err(`${refusedWord()}: ${detail}${remedy ? `\n  ${remedy}` : ''}`);
  process.exitCode = status.refused;
}

/** What goes with the records that were chosen, kind by kind, and what stays but is changed. */
function removalText({ goes, count, counts, changes }: RemovalReply, chosen: number): string {
  const others = goes.slice(chosen);
  const lines: string[] = [];
  const more = count - chosen;
  const kind = goes[0]?.kind;
  if (more > 0) {
    const rows = Object.entries(counts).flatMap(([of, all]) => {
      const along = of === kind ? all - chosen : all;
      const names = others.filter((one) => one.kind === of).map((one) => one.key);
      return along > 0 ? [[`  ${of}`, `${along}  ${listed(names, along)}`] as [string, string]] : [];
    });
    lines.push(`with ${chosen === 1 ? 'it' : 'them'} go ${more}:`, pairs(rows));
  }
  if (changes.length > 0) {
    const names = changes.map((one) => `${one.kind} ${one.key}`);
    lines.push(`${changes.length} would be changed: ${listed(names, changes.length)}`);
  }
  return lines.join('\n');
}

const NAMED = 8;
const listed = (names: string[], all: number): string =>
  `${names.slice(0, NAMED).join(', ')}${all > NAMED ? ` and ${all - Math.min(NAMED, names.length)} more` : ''}`;
