/** One search over everything: names, serials, MACs, addresses, labels, titles, descriptions, notes. */
import { formatIp, parseIp } from '@zpine/core/addressing/ip';
import { isAscii } from '@zpine/core/text/ascii';
import { macDigits, wordsTyped } from '@zpine/core/naming/terms';
import type { Row } from '@zpine/contract/fields';
import { canonicalKey, typeOfField } from '@zpine/contract/kind';
import { kindNames, kindOf, type KindName } from '@zpine/contract/kinds';
import type { ReplyOf } from '@zpine/contract/routes';
import { likeText } from '../records/refs.ts';
import { fromRow, keysOf, type AnyStored } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { columnsFor } from '../../store/models.ts';

type Hit = ReplyOf<'search'>['items'][number];

interface Ranked {
  kind: KindName;
  id: number;
  key: string;
  /** The smaller, the nearer to what was meant. */
  rank: number;
  /** The field it was found by. */
  field: string;
  /** What was found, where it stands in another record. */
  found?: string;
}

const PER_KIND = 8;
const MOST = 40;
/** Of one way of looking; what is behind those is found with another word beside. */
const LOOKED_AT = 400;

export async function search(tx: Tx, q: string): Promise<Hit[]> {
  const found = new Map<string, Ranked>();
  const note = (one: Ranked) => {
    const name = `${one.kind} ${one.id}`;
    const before = found.get(name);
    if (!before || one.rank < before.rank) found.set(name, one);
  };
  for (const one of await byKey(tx, q)) note(one);
  for (const one of await byMac(tx, q)) note(one);
  for (const one of await byTerms(tx, wordsTyped(q))) note(one);
  for (const one of await byAddress(tx, q)) note(one);
  for (const one of await fittedIn(tx, [...found.values()])) note(one);
  const ranked = [...found.values()].sort(
    (a, b) => a.rank - b.rank || order(a.kind) - order(b.kind) || (a.key < b.key ? -1 : 1),
  );
  const perKind = new Map<string, number>();
  const shown = ranked.filter(({ kind }) => {
    const count = (perKind.get(kind) ?? 0) + 1;
    perKind.set(kind, count);
    return count <= (kind === 'device' ? 2 * PER_KIND : PER_KIND);
  });
  return described(tx, shown.slice(0, MOST));
}

/** What people look for most comes first among equals. */
const usual: KindName[] = ['device', 'site', 'rack', 'box', 'prefix', 'address', 'vlan'];
const order = (kind: KindName): number => {
  const at = usual.indexOf(kind);
  return at < 0 ? usual.length + kindNames.indexOf(kind) : at;
};

/** Keys that are, or begin with, what was typed; `#12` is the id of any record. */
async function byKey(tx: Tx, q: string): Promise<Ranked[]> {
  const ip = parseIp(q.trim());
  const typed = ip.ok ? formatIp(ip.value) : q;
  const out: Ranked[] = [];
  for (const kind of kindNames) {
    const key = canonicalKey(kindOf(kind), typed);
    if (key === '' || !isAscii(key)) continue;
    const rows = await tx.select<{ id: number; natural_key: string }>(
      `SELECT id, natural_key FROM \`${kind}\` WHERE natural_key LIKE ? ORDER BY natural_key = ? DESC, sort_key LIMIT ${2 * PER_KIND}`,
      [`${likeText(key)}%`, key],
    );
    for (const row of rows) {
      const rank = row.natural_key === key ? 0 : 20;
      out.push({ kind, id: Number(row.id), key: row.natural_key, rank, field: 'key' });
    }
  }
  return out;
}

/** A MAC, or a good part of one, in any notation. */
async function byMac(tx: Tx, q: string): Promise<Ranked[]> {
  const digits = macDigits(q);
  if (digits === undefined) return [];
  const rows = await terms(tx, ["t0.term LIKE ? AND t0.field = 'mac'"], [`${digits}%`], 1);
  const whole = digits.length === 12;
  return keyed(
    tx,
    rows.map((row) => ({ ...row, rank: whole ? 1 : 12 })),
  );
}

interface TermRow {
  kind: KindName;
  id: number;
  field: string;
  term: string;
}

/** Records in whose terms every word begins one. */
async function byTerms(tx: Tx, words: string[]): Promise<Ranked[]> {
  const few = words.slice(0, 6);
  if (few.length === 0) return [];
  const rows = await terms(
    tx,
    few.map((_, i) => `t${i}.term LIKE ?`),
    few.map((word) => `${likeText(word)}%`),
    few.length,
  );
  return keyed(
    tx,
    rows.map((row) => ({ ...row, rank: rankOf(row, few[0] ?? '') })),
  );
}

async function terms(tx: Tx, tests: string[], values: string[], count: number): Promise<TermRow[]> {
  const joins = Array.from(
    { length: count - 1 },
    (_, i) => `JOIN search_term t${i + 1} ON t${i + 1}.kind = t0.kind AND t${i + 1}.record_id = t0.record_id`,
  );
  const rows = await tx.select<{ kind: KindName; record_id: number; field: string; term: string }>(
    `SELECT t0.kind, t0.record_id, t0.field, t0.term FROM search_term t0 ${joins.join(' ')} WHERE ${tests.join(' AND ')}
     ORDER BY t0.term LIMIT ${LOOKED_AT}`,
    values,
  );
  return rows.map((row) => ({ kind: row.kind, id: Number(row.record_id), field: row.field, term: row.term }));
}

/** A whole word counts more than its beginning; a name more than a label, a title, a note. */
function rankOf({ kind, field, term }: TermRow, word: string): number {
  const k = kindOf(kind);
  const type = typeOfField(k, field);
  const place = k.key.parts.includes(field)
    ? 0
    : field === 'labels'
      ? 10
      : type === 'code'
        ? 5
        : type === 'note'
          ? 40
          : 25;
  return 2 + place + (term === word ? 0 : 6);
}

async function keyed(tx: Tx, rows: (TermRow & { rank: number })[]): Promise<Ranked[]> {
  const out: Ranked[] = [];
  for (const kind of new Set(rows.map((row) => row.kind))) {
    const own = rows.filter((row) => row.kind === kind);
    const keys = await keysOf(
      tx,
      kind,
      own.map((row) => row.id),
    );
    for (const { id, field, rank } of own) out.push({ kind, id, field, rank, key: keys.get(id) ?? '' });
  }
  return out.filter((one) => one.key !== '');
}

/** The device behind an address, beside the address itself. */
async function byAddress(tx: Tx, q: string): Promise<Ranked[]> {
  const ip = parseIp(q.split('@')[0]?.trim() ?? '');
  if (!ip.ok) return [];
  const rows = await tx.select<{ id: number; device: string }>(
    `SELECT d.id, d.natural_key AS device FROM address a JOIN interface i ON i.id = a.interface_id
     JOIN device d ON d.id = i.device_id WHERE a.natural_key = ?`,
    [canonicalKey(kindOf('address'), formatIp(ip.value))],
  );
  return rows.map((row) => ({ kind: 'device', id: Number(row.id), key: row.device, rank: 2, field: 'address' }));
}

/** Whoever looks for a serial or a MAC mostly wants the device that it is. */
async function fittedIn(tx: Tx, found: Ranked[]): Promise<Ranked[]> {
  const boxes = new Map(found.filter((one) => one.kind === 'box').map((one) => [one.id, one]));
  if (boxes.size === 0) return [];
  const rows = await tx.select<{ id: number; device: string; box: number; serial: string }>(
    'SELECT d.id, d.natural_key AS device, b.id AS box, b.serial FROM box b JOIN device d ON d.id = b.device_id WHERE b.id IN (?)',
    [[...boxes.keys()]],
  );
  return rows.map((row) => {
    const rank = (boxes.get(Number(row.box))?.rank ?? 0) + 1;
    return { kind: 'device', id: Number(row.id), key: row.device, rank, field: 'box', found: row.serial };
  });
}

const SNIPPET = 90;

/** Titles, and what the field says by which a record was found. */
async function described(tx: Tx, hits: Ranked[]): Promise<Hit[]> {
  const records = new Map<string, AnyStored>();
  for (const kind of new Set(hits.map((hit) => hit.kind))) {
    const ids = hits.filter((hit) => hit.kind === kind).map((hit) => hit.id);
    const rows = await tx.select<Row>(`SELECT ${columnsFor(kind)} FROM \`${kind}\` WHERE id IN (?)`, [ids]);
    for (const row of rows) {
      const record = fromRow(kind, row);
      records.set(`${kind} ${record.id}`, record);
    }
  }
  return hits.flatMap(({ kind, id, key, field, found }) => {
    const record = records.get(`${kind} ${id}`);
    if (!record) return [];
    const spec = kindOf(kind).fields[field];
    const held = record[field] ?? null;
    const text =
      found ?? (Array.isArray(held) ? held.join(', ') : typeof held === 'string' ? held.replace(/\s+/g, ' ') : '');
    const title = [record.title, record.description, record.about].find((one) => typeof one === 'string');
    return [
      {
        kind,
        key,
        title: title ?? null,
        why: field === 'key' ? 'key' : spec ? spec.title : field === 'box' ? 'Box' : 'Address',
        found: text.length > SNIPPET ? `${text.slice(0, SNIPPET - 1)}…` : text,
      },
    ];
  });
}
