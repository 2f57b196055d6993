/** From what clients send to drafts that may be written: checked, with defaults, references found. */
import { isAscii } from '@zpine/core/text/ascii';
import { columnOf, fieldsOf, keyFields, refsOf, type KindDescription } from '@zpine/contract/kind';
import { addSchema, editSchema } from '@zpine/contract/kindSchemas';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { faultsOf } from '@zpine/contract/faults';
import { gather, MOST_FAULTS, Refusal, type Faults } from '@zpine/contract/errors';
import type { Value } from '@zpine/contract/fields';
import { type AnyStored, byKeys } from '../../store/records.ts';
import { plannedKeys } from '../../store/recordWrites.ts';
import type { Tx } from '../../store/tx.ts';
import { rulesOf } from '../kinds/rules.ts';
import { Draft, throwFaults } from './draft.ts';
import { findRefs, unknownRef } from './refs.ts';

type Fields = Record<string, Value>;
type Path = (string | number)[];

const namesOf = (k: KindDescription): string[] => fieldsOf(k).map(([name]) => name);

/** Schemas are made once a kind. */
const schemas = new Map<string, { add: ReturnType<typeof addSchema>; edit: ReturnType<typeof editSchema> }>();
function schemasOf(k: KindDescription) {
  let made = schemas.get(k.name);
  if (!made) schemas.set(k.name, (made = { add: addSchema(k), edit: editSchema(k) }));
  return made;
}

function parse(k: KindDescription, verb: 'add' | 'edit', input: unknown, at: Path, faults: Faults): Fields | undefined {
  const read = schemasOf(k)[verb].safeParse(input);
  if (read.success) return read.data as Fields;
  gather(faults, faultsOf(read.error, input, namesOf(k), at, MOST_FAULTS - faults.length));
  return undefined;
}

const withDefaults = (k: KindDescription, fields: Fields): Fields =>
  Object.fromEntries(fieldsOf(k).map(([name, field]) => [name, fields[name] ?? field.default ?? null]));

/** Drafts of new records. `at(i)` is where the i-th input stands in the request. */
export async function draftNew(tx: Tx, kind: KindName, inputs: unknown[], at: (i: number) => Path): Promise<Draft[]> {
  const k = kindOf(kind);
  const faults: Faults = [];
  const drafts = inputs.flatMap((input, i) => {
    const fields = parse(k, 'add', input, at(i), faults);
    return fields ? [new Draft(null, withDefaults(k, fields), givenIn(fields), at(i))] : [];
  });
  // References of the sound inputs are looked at too, so that one answer names all faults.
  await resolve(tx, kind, drafts);
  for (const draft of drafts) gather(faults, draft.faults);
  if (faults.length > 0) throw Refusal.of(faults);
  return checkDrafts(tx, kind, drafts);
}

/** Drafts of changed records. */
export async function draftEdits(
  tx: Tx,
  kind: KindName,
  edits: { before: AnyStored; changes: unknown }[],
  at: (i: number) => Path,
): Promise<Draft[]> {
  const k = kindOf(kind);
  const faults: Faults = [];
  const drafts = edits.flatMap(({ before, changes }, i) => {
    const fields = parse(k, 'edit', changes, at(i), faults);
    if (!fields) return [];
    const cleared = Object.entries(fields).map(([name, value]): [string, Value] => [
      name,
      value ?? k.fields[name]?.default ?? null,
    ]);
    return [new Draft(before, { ...before, ...Object.fromEntries(cleared) }, givenIn(fields), at(i))];
  });
  await resolve(tx, kind, drafts);
  for (const draft of drafts) {
    for (const [name, field] of fieldsOf(k))
      if (field.fixed && draft.changes(name)) draft.fault(name, 'field-fixed', { field: name });
  }
  for (const draft of drafts) gather(faults, draft.faults);
  if (faults.length > 0) throw Refusal.of(faults);
  return checkDrafts(tx, kind, drafts);
}

const givenIn = (fields: Fields): Set<string> =>
  new Set(Object.entries(fields).flatMap(([name, value]) => (value === undefined ? [] : [name])));

/** Puts ids in the place of references, kind by kind. */
async function resolve(tx: Tx, kind: KindName, drafts: Draft[]): Promise<void> {
  for (const [name, { to }] of refsOf(kindOf(kind))) {
    await rulesOf(kind).spell?.(tx, drafts, name);
    const open = drafts.filter((d) => typeof d.after[name] === 'string');
    const found = await findRefs(
      tx,
      to as KindName,
      open.map((d) => String(d.after[name])),
    );
    for (const draft of open) {
      const ref = String(draft.after[name]);
      const record = found.get(ref);
      if (record) draft.after[name] = record.id;
      else draft.fault(name, 'ref-unknown', await unknownRef(tx, to as KindName, ref));
    }
  }
}

/** Rules and what is taken: the checks behind schemas and references. */
export async function checkDrafts(tx: Tx, kind: KindName, drafts: Draft[]): Promise<Draft[]> {
  await rulesOf(kind).prepare?.(tx, drafts);
  await checkTaken(tx, kind, drafts);
  throwFaults(drafts);
  return drafts;
}

/**
 * Finds what is taken before the database does, so that every case is named, with who has it. The constraints stay
 * the last word when two writes race.
 */
async function checkTaken(tx: Tx, kind: KindName, drafts: Draft[]): Promise<void> {
  const k = kindOf(kind);
  const keyField = k.key.parts.findLast((part) => k.fields[part]?.type !== 'ref') ?? k.key.parts[0] ?? '';
  // A record that keeps its key takes nobody else's.
  const named = drafts.flatMap((draft, i) => (keyFields(k).some((part) => draft.changes(part)) ? [{ draft, i }] : []));
  const keys = await plannedKeys(
    tx,
    kind,
    named.map(({ draft }) => draft.after),
  );
  const holders = await byKeys(tx, kind, keys);
  const seen = new Map<string, number>();
  for (const [at, { draft, i }] of named.entries()) {
    const key = keys[at] ?? '';
    if (!isAscii(key)) draft.fault(keyField, 'key-letters', { value: key });
    // The rules of the kind may have said it already, in better words.
    if (draft.faults.some((fault) => fault.path.at(-1) === keyField)) continue;
    const holder = holders.get(key);
    if (holder && holder.id !== draft.before?.id)
      draft.fault(keyField, 'taken', { value: key, by: `${kind} ${holder.key}` });
    else if (seen.has(key))
      draft.fault(keyField, 'taken', { value: key, by: `row ${(seen.get(key) ?? 0) + 1} of this request` });
    seen.set(key, i);
  }
  for (const [name, field] of fieldsOf(k)) {
    if (!field.unique || field.type === 'ref') continue;
    const wanted = drafts.filter((d) => d.changes(name) && d.after[name] !== null);
    const held = await holdersOf(
      tx,
      kind,
      name,
      wanted.map((d) => String(d.after[name])),
    );
    const twice = new Set<string>();
    for (const draft of wanted) {
      const value = String(draft.after[name]);
      const by = held.get(value);
      if (by) draft.fault(name, 'taken', { value, by });
      else if (twice.has(value)) draft.fault(name, 'taken', { value, by: 'another row of this request' });
      twice.add(value);
    }
  }
}

/** Who has these values of a unique field: `box lf24-0188-01`. MACs are unique across kinds. */
async function holdersOf(tx: Tx, kind: KindName, name: string, values: string[]): Promise<Map<string, string>> {
  if (values.length === 0) return new Map();
  if (kindOf(kind).fields[name]?.type !== 'mac') {
    const column = columnOf(name);
    const rows = await tx.select<{ value: string; natural_key: string }>(
      `SELECT \`${column}\` AS value, natural_key FROM \`${kind}\` WHERE \`${column}\` IN (?)`,
      [values],
    );
    return new Map(rows.map((row) => [row.value, `${kind} ${row.natural_key}`]));
  }
  const bytes = values.map((mac) => Buffer.from(mac.replaceAll(':', ''), 'hex'));
  const claims = await tx.select<{ mac: Buffer; kind: KindName; record_id: number }>(
    'SELECT mac, kind, record_id FROM mac_claim WHERE mac IN (?)',
    [bytes],
  );
  const held = new Map<string, string>();
  for (const claim of claims) {
    const [record] = await tx.select<{ natural_key: string }>(
      `SELECT natural_key FROM \`${claim.kind}\` WHERE id = ?`,
      [claim.record_id],
    );
    held.set(
      (claim.mac.toString('hex').match(/../g) ?? []).join(':'),
      `${claim.kind} ${record?.natural_key ?? `#${claim.record_id}`}`,
    );
  }
  return held;
}
