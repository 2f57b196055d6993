import { literal, Op, type WhereOptions } from 'sequelize';
import { parseLabel } from '@zpine/core/naming/labels';
import { isAscii } from '@zpine/core/text/ascii';
import { Refusal, type FieldFault } from '@zpine/contract/errors';
import { faultsOf } from '@zpine/contract/faults';
import { type Field, type Value, typeOf } from '@zpine/contract/fields';
import { schemaOf } from '@zpine/contract/fieldSchemas';
import { columnOf, fieldsOf } from '@zpine/contract/kind';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import type { CountIs } from '@zpine/contract/counting';
import { fromRow, present } from '../../store/records.ts';
import { toColumns } from '../../store/columns.ts';
import { selectText } from '../../store/belowSequelize.ts';
import type { Tx } from '../../store/tx.ts';
import { referring, without } from '../devices/inForce.ts';
import { findRefs, likeText, unknownRef } from './refs.ts';
import { whereCondition } from './where.ts';

export interface ListInput {
  q?: string;
  sort?: string;
  limit: number;
  after?: string;
  count?: 'true' | 'false';
  [filter: string]: unknown;
}

export interface Page {
  items: Record<string, Value>[];
  /** The mark to go on with, null at the end. */
  next: string | null;
  count?: number;
  countIs?: CountIs;
}

interface Mark {
  sort: string;
  value: string | number | null;
  id: number;
}

/** One page of a kind's records, in the order of an indexed column and the id. */
export async function list(tx: Tx, kind: KindName, input: ListInput): Promise<Page> {
  const sort = input.sort ?? 'key';
  const down = sort.startsWith('-');
  const field = down ? sort.slice(1) : sort;
  const column = field === 'key' ? 'sort_key' : columnOf(field);
  const filters = await filtersOf(tx, kind, input);
  if (typeof input.where === 'string') filters.push(await selected(tx, kind, input.where));
  const mark = input.after === undefined ? undefined : readMark(input.after, sort);
  const rows = await tx.select<Record<string, unknown>>(
    selectText(tx.models[kind], {
      where: { [Op.and]: [...filters, ...(mark ? [beyond(column, mark, down)] : [])] },
      order: [
        [column, down ? 'DESC' : 'ASC'],
        ['id', down ? 'DESC' : 'ASC'],
      ],
      limit: input.limit + 1,
    }),
  );
  const shown = rows.slice(0, input.limit);
  const last = shown.at(-1);
  const more = rows.length > input.limit && last !== undefined;
  const page: Page = {
    items: await present(
      tx,
      kind,
      shown.map((row) => fromRow(kind, row)),
    ),
    next: more ? writeMark({ sort, value: markValue(last[column]), id: Number(last.id) }) : null,
  };
  return input.count === 'true' ? { ...page, ...(await counted(tx, kind, filters)) } : page;
}

/** Up to so many are counted one by one. */
const MOST_COUNTED = 50_000;

/** How many there are: exactly, as far as that can be said at once. */
async function counted(tx: Tx, kind: KindName, filters: WhereOptions[]): Promise<{ count: number; countIs: CountIs }> {
  if (filters.length === 0) {
    const row = await tx.one<{ rows: number }>(
      'SELECT TABLE_ROWS AS `rows` FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE() AND TABLE_NAME = ?',
      [kind],
    );
    const estimate = Number(row?.rows ?? 0);
    if (estimate > MOST_COUNTED) return { count: Number(estimate.toPrecision(2)), countIs: 'about' };
  }
  const sql = selectText(tx.models[kind], {
    attributes: ['id'],
    where: { [Op.and]: filters },
    limit: MOST_COUNTED + 1,
  });
  const row = await tx.one<{ count: number }>(`SELECT COUNT(*) AS count FROM (${sql}) AS some`);
  const count = Number(row?.count ?? 0);
  return count > MOST_COUNTED ? { count: MOST_COUNTED, countIs: 'at-least' } : { count, countIs: 'exact' };
}

/** A selection expression as Sequelize takes it. */
async function selected(tx: Tx, kind: KindName, text: string): Promise<WhereOptions> {
  const { sql, values } = await whereCondition(tx, kind, text);
  const { sequelize } = tx.models[kind];
  if (!sequelize) throw new Error('the model belongs to no database');
  let at = 0;
  const filled = sql.replaceAll('?', () => sequelize.escape(values[at++] as string));
  return plainSql(`(${filled})`);
}

const markValue = (value: unknown): string | number | null =>
  value instanceof Date
    ? value.toISOString()
    : typeof value === 'number'
      ? value
      : value === null
        ? null
        : String(value);

/** What lies beyond a mark. MariaDB sorts NULL before everything else. */
function beyond(column: string, mark: Mark, down: boolean): WhereOptions {
  const further = down ? Op.lt : Op.gt;
  const idFurther = { id: { [further]: mark.id } };
  if (mark.value === null) {
    const rest = { [column]: { [Op.is]: null }, ...idFurther };
    return down ? rest : { [Op.or]: [rest, { [column]: { [Op.not]: null } }] };
  }
  const value = /_at$/.test(column) ? new Date(mark.value) : mark.value;
  const either: WhereOptions[] = [{ [column]: { [further]: value } }, { [column]: value, ...idFurther }];
  if (down) either.push({ [column]: { [Op.is]: null } });
  return { [Op.or]: either };
}

const writeMark = (mark: Mark): string =>
  Buffer.from(JSON.stringify([mark.sort, mark.value, mark.id])).toString('base64url');

function readMark(text: string, sort: string): Mark {
  try {
    const [markSort, value, id] = JSON.parse(Buffer.from(text, 'base64url').toString()) as [
      string,
      string | number | null,
      number,
    ];
    const sound =
      markSort === sort && Number.isInteger(id) && (value === null || ['string', 'number'].includes(typeof value));
    if (sound) return { sort, value, id };
  } catch {
    // Fall through: whatever it is, it is not a mark of ours.
  }
  throw Refusal.at(['after'], 'cursor-invalid');
}

async function filtersOf(tx: Tx, kind: KindName, input: ListInput): Promise<WhereOptions[]> {
  const k = kindOf(kind);
  const where: WhereOptions[] = [];
  const faults: FieldFault[] = [];
  if (input.q !== undefined)
    where.push(
      isAscii(input.q) ? { natural_key: { [Op.like]: `${likeText(input.q.toLowerCase())}%` } } : plainSql('FALSE'),
    );
  for (const [name, spec] of fieldsOf(k)) {
    const text = input[name];
    if (typeof text !== 'string') continue;
    const either: WhereOptions[] = [];
    for (const part of text
      .split(',')
      .map((p) => p.trim())
      .filter(Boolean)) {
      either.push(await equals(tx, kind, name, spec, part, faults));
    }
    where.push({ [Op.or]: either });
  }
  if (faults.length > 0) throw Refusal.of(faults);
  return where;
}

const plainSql = (sql: string): WhereOptions => literal(sql);

async function equals(
  tx: Tx,
  kind: KindName,
  name: string,
  spec: Field,
  text: string,
  faults: FieldFault[],
): Promise<WhereOptions> {
  const column = spec.type === 'ref' ? `${columnOf(name)}_id` : columnOf(name);
  if (text === 'none')
    return spec.type === 'ref' ? plainSql(without(kind, name, columnOf(name))) : { [column]: { [Op.is]: null } };
  if (spec.type === 'ref') {
    const to = spec.to as KindName;
    const found = (await findRefs(tx, to, [text])).get(text);
    if (!found) faults.push({ path: [name], code: 'ref-unknown', params: await unknownRef(tx, to, text) });
    // The id is a number of ours: nothing of it has to be escaped.
    return plainSql(referring(kind, name, columnOf(name), `= ${found?.id ?? 0}`, []).sql);
  }
  if (spec.type === 'labels') {
    const label = parseLabel(text);
    if (!label.ok) faults.push({ path: [name], code: label.fault.code, params: label.fault.params });
    // A label has no sign in it that SQL would understand.
    const word = label.ok ? label.value : '';
    const carriers = `SELECT record_id FROM search_term WHERE kind = '${kind}' AND field = 'labels' AND term = '${word}'`;
    return { id: { [Op.in]: literal(`(${carriers})`) } };
  }
  if (spec.type === 'numbers' && /^\d{1,6}$/.test(text)) return literal(`FIND_IN_SET('${text}', \`${column}\`) > 0`);
  const type = typeOf(spec);
  const read = schemaOf(spec).safeParse(type.fromText(text));
  if (read.success) return toColumns(name, spec, read.data as Value);
  faults.push(...faultsOf(read.error, type.fromText(text), [], [name]));
  return {};
}
