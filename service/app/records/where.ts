/** From a selection expression to a condition on a kind's table: every name, value and reference is looked at first. */
import { parseIp, toBytes } from '@zpine/core/addressing/ip';
import { lastOf, parsePrefix } from '@zpine/core/addressing/prefix';
import { nearest } from '@zpine/core/naming/names';
import { parseWhere, type Operator, type Where, type WhereValue } from '@zpine/core/where/where';
import { isAscii } from '@zpine/core/text/ascii';
import { Refusal } from '@zpine/contract/errors';
import { typeOf, type Field, type Row, type Value } from '@zpine/contract/fields';
import { schemaOf } from '@zpine/contract/fieldSchemas';
import { canonicalKey, columnOf, fieldsOf, type KindDescription } from '@zpine/contract/kind';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { toColumns } from '../../store/columns.ts';
import { Instant } from '../../store/instant.ts';
import type { Tx } from '../../store/tx.ts';
import { referring, without } from '../devices/inForce.ts';
import { findRefs, likeText, unknownRef } from './refs.ts';
import type { Condition } from './condition.ts';
import { fleetConditions, isFleetTest } from './whereFleet.ts';

export async function whereCondition(tx: Tx, kind: KindName, text: string): Promise<Condition> {
  const parsed = parseWhere(text);
  if (!parsed.ok) throw Refusal.at(['where'], parsed.fault.code, parsed.fault.params);
  return new Compiler(tx, text).where(kind, parsed.value);
}

/** What no record is: keys have no letters beyond ASCII. */
const nothing: Condition = { sql: 'FALSE', values: [] };

type Test = Where & { kind: 'test' };

/** Fields that every record has beside its own. */
const heads: Record<string, Field> = {
  key: { type: 'text', title: 'Key' },
  createdAt: { type: 'text', title: 'Added' },
  updatedAt: { type: 'text', title: 'Changed' },
};
const headColumns: Record<string, string> = { key: 'natural_key', createdAt: 'created_at', updatedAt: 'updated_at' };

/** Tests through references, each step of their way counted. */
const MOST_THROUGH = 24;
/** As many ids are named one by one. */
const FEW = 2000;

class Compiler {
  private readonly tx: Tx;
  private readonly text: string;
  private through = 0;

  constructor(tx: Tx, text: string) {
    this.tx = tx;
    this.text = text;
  }

  private stop(at: number, words: string): never {
    throw Refusal.at(['where'], 'where-syntax', { text: this.text, at, words });
  }

  async where(kind: KindName, where: Where): Promise<Condition> {
    if (where.kind === 'not') {
      const inner = await this.where(kind, where.of);
      // What is empty is not what is asked for: the opposite of "unknown" is true here.
      return { sql: `NOT COALESCE((${inner.sql}), FALSE)`, values: inner.values };
    }
    if (where.kind === 'test' && !this.isOfFleet(kind, where)) return this.test(kind, where);
    const all = where.kind === 'test' ? [where] : where.of;
    // An outcome and its run belong together, where both must hold.
    const together = where.kind === 'or' ? [] : all.filter((one) => this.isOfFleet(kind, one));
    const parts: Condition[] = fleetConditions(together, (at, words) => this.stop(at, words));
    for (const one of all.filter((other) => !together.some((test) => test === other)))
      parts.push(await this.where(kind, one));
    return {
      sql: parts.map((part) => `(${part.sql})`).join(where.kind === 'or' ? ' OR ' : ' AND '),
      values: parts.flatMap((part) => part.values),
    };
  }

  private async test(kind: KindName, test: Test): Promise<Condition> {
    const k = kindOf(kind);
    const [first = '', ...rest] = test.field.split('.');
    const name = this.nameIn(k, first);
    if (name === undefined || rest.length > 0) return this.throughRef(kind, k, test, name, rest.join('.'));
    const field = k.fields[name] ?? heads[name];
    if (!field) throw new Error(`no field ${name}`);
    const negative = test.op === '!=';
    const op: Operator = negative ? '=' : test.op;
    const parts: Condition[] = [];
    for (const value of test.values)
      parts.push(
        field.type === 'labels'
          ? this.labelled(kind, op, value, test)
          : await this.compare(kind, name, field, op, value, test),
      );
    const any = {
      sql: parts.map((part) => `(${part.sql})`).join(' OR '),
      values: parts.flatMap((part) => part.values),
    };
    return negative ? { sql: `NOT COALESCE((${any.sql}), FALSE)`, values: any.values } : any;
  }

  /** Of devices alone, and where no field of theirs has that name. */
  private isOfFleet(kind: KindName, where: Where): where is Test {
    return kind === 'device' && isFleetTest(where);
  }

  /** A field by its name, in any case. */
  private nameIn(k: KindDescription, typed: string): string | undefined {
    // One of the labels is meant, so people write it so.
    const plain = typed.toLowerCase() === 'label' && !('label' in k.fields) ? 'labels' : typed.toLowerCase();
    return [...fieldsOf(k).map(([name]) => name), ...Object.keys(heads)].find((name) => name.toLowerCase() === plain);
  }

  /** `site.area=north-line`, and `area=north-line` where only the site has an area. */
  private async throughRef(
    kind: KindName,
    k: KindDescription,
    test: Test,
    name: string | undefined,
    rest: string,
  ): Promise<Condition> {
    const refs = fieldsOf(k).filter(([, field]) => field.type === 'ref');
    const inner = rest === '' ? test.field : rest;
    const way =
      name === undefined
        ? refs.filter(
            ([, field]) =>
              this.nameIn(kindOf(field.to ?? ''), inner.split('.')[0] ?? '') !== undefined && !(inner in heads),
          )
        : refs.filter(([ref]) => ref === name);
    // Several references may have such a field: the first in the description is meant, as the site's before the rack's.
    const [found] = way;
    if (!found || (name === undefined && rest !== '')) {
      const known = [
        ...fieldsOf(k).map(([field]) => field),
        ...refs.flatMap(([, field]) => fieldsOf(kindOf(field.to ?? '')).map(([f]) => f)),
      ];
      const near = nearest(test.field, known);
      this.stop(test.at, `a ${kind} has no "${test.field}"${near ? `; did you mean ${near}?` : ''}`);
    }
    const [ref, field] = found;
    const to = field.to as KindName;
    this.through += 1;
    if (this.through > MOST_THROUGH) this.stop(test.at, `at most ${MOST_THROUGH} tests of what a record refers to`);
    const condition = await this.test(to, { ...test, field: inner });
    const ids = await this.fewIds(to, condition);
    // No record has the id 0.
    if (ids) return referring(kind, ref, columnOf(ref), `IN (${(ids.length > 0 ? ids : [0]).join(', ')})`, []);
    const among = `IN (SELECT id FROM \`${to}\` WHERE ${condition.sql})`;
    return referring(kind, ref, columnOf(ref), among, condition.values);
  }

  /**
   * What is referred to, found beforehand: nested questions would have the database look for the best order of all their
   * tables at once, which grows without bound. Undefined where it is too much to name one by one.
   */
  private async fewIds(kind: KindName, { sql, values }: Condition): Promise<number[] | undefined> {
    const rows = await this.tx.select<{ id: number }>(
      `SELECT id FROM \`${kind}\` WHERE ${sql} LIMIT ${FEW + 1}`,
      values,
    );
    return rows.length > FEW ? undefined : rows.map(({ id }) => Number(id));
  }

  private async compare(
    kind: KindName,
    name: string,
    field: Field,
    op: Operator,
    value: WhereValue,
    test: Test,
  ): Promise<Condition> {
    const column = headColumns[name] ?? columnOf(name);
    const { text } = value;
    if (text.toLowerCase() === 'none' && !value.quoted) {
      if (op !== '=') this.stop(value.at, `"none" goes with = and !=`);
      return { sql: field.type === 'ref' ? without(kind, name, column) : `\`${column}\` IS NULL`, values: [] };
    }
    if (field.type === 'ref') return this.compareRef(kind, name, field, op, value, test);
    if (name === 'createdAt' || name === 'updatedAt') return this.compareTime(column, op, value);
    if (field.type === 'int') return this.compareNumber(column, op, value);
    if (field.type === 'numbers') return this.among(column, op, value, test);
    if (op !== '=') this.stop(test.at, `${name} has no order: only = and != go with it`);
    if (field.type === 'ip' || field.type === 'cidr') return this.within(column, value);
    if (name === 'key' && !isAscii(text)) return nothing;
    if (text.includes('*') && !value.quoted) return { sql: `\`${column}\` LIKE ?`, values: [this.pattern(text)] };
    if (name === 'key' || ['note', 'source', 'json', 'ranges', 'ports', 'slots'].includes(field.type)) {
      return name === 'key'
        ? { sql: `\`${column}\` = ?`, values: [text.toLowerCase()] }
        : { sql: `\`${column}\` LIKE ?`, values: [`%${likeText(text)}%`] };
    }
    const type = typeOf(field);
    const read = schemaOf(field).safeParse(type.fromText(text));
    if (!read.success) {
      const near = field.choices ? nearest(text, field.choices) : undefined;
      this.stop(value.at, `"${text}" is not possible for ${name}${near ? `; did you mean ${near}?` : ''}`);
    }
    const row: Row = toColumns(name, field, read.data as Value);
    const columns = Object.keys(row);
    return { sql: columns.map((c) => `\`${c}\` = ?`).join(' AND '), values: columns.map((c) => row[c]) };
  }

  private labelled(kind: KindName, op: Operator, value: WhereValue, test: Test): Condition {
    if (op !== '=') this.stop(test.at, 'labels have no order: only = and != go with them');
    const text = value.text.toLowerCase();
    if (text === 'none' && !value.quoted) return { sql: 'labels IS NULL', values: [] };
    const wild = text.includes('*') && !value.quoted;
    return {
      sql: `id IN (SELECT record_id FROM search_term WHERE kind = '${kind}' AND field = 'labels' AND term ${wild ? 'LIKE' : '='} ?)`,
      values: [wild ? this.pattern(text) : text],
    };
  }

  private pattern(text: string): string {
    return text.toLowerCase().split('*').map(likeText).join('%');
  }

  /** A reference by key; of areas, what lies below counts, too. */
  private async compareRef(
    kind: KindName,
    name: string,
    field: Field,
    op: Operator,
    value: WhereValue,
    test: Test,
  ): Promise<Condition> {
    if (op !== '=') this.stop(test.at, `a reference has no order: only = and != go with it`);
    const to = field.to as KindName;
    const column = columnOf(name);
    const { text } = value;
    if (text.includes('*') && !value.quoted) {
      if (!isAscii(text)) return nothing;
      const among = `IN (SELECT id FROM \`${to}\` WHERE natural_key LIKE ?)`;
      return referring(kind, name, column, among, [this.pattern(canonicalKey(kindOf(to), text))]);
    }
    const found = (await findRefs(this.tx, to, [text])).get(text);
    if (!found) {
      const { meant } = await unknownRef(this.tx, to, text);
      this.stop(value.at, `there is no ${to} "${text}"${meant ? `; did you mean ${meant}?` : ''}`);
    }
    if (to !== 'area') return referring(kind, name, column, '= ?', [found.id]);
    // Looked up before: with a list of ids the database knows how little it is about.
    const below = await this.tx.select<{ id: number }>(
      'WITH RECURSIVE below AS (SELECT id FROM area WHERE id = ? UNION SELECT a.id FROM area a JOIN below b ON a.parent_id = b.id) SELECT id FROM below',
      [found.id],
    );
    const among = `IN (${below.map(() => '?').join(', ')})`;
    return referring(
      kind,
      name,
      column,
      among,
      below.map((row) => Number(row.id)),
    );
  }

  /** One of a list of numbers. */
  private among(column: string, op: Operator, value: WhereValue, test: Test): Condition {
    if (op !== '=') this.stop(test.at, 'a list has no order: only = and != go with it');
    return { sql: `FIND_IN_SET(?, \`${column}\`) > 0`, values: [this.compareNumber(column, op, value).values[0]] };
  }

  private compareNumber(column: string, op: Operator, value: WhereValue): Condition {
    if (!/^-?[0-9]{1,15}$/.test(value.text)) this.stop(value.at, `"${value.text}" is not a whole number`);
    return { sql: `\`${column}\` ${op} ?`, values: [Number(value.text)] };
  }

  /** A day, or a time of it: `2026-05-04`, `2026-05-04T10:00`. A day as a whole with =. */
  private compareTime(column: string, op: Operator, value: WhereValue): Condition {
    const { text } = value;
    const time = /^\d{4}-\d{2}-\d{2}(T\d{2}:\d{2}(:\d{2})?)?$/.test(text)
      ? Date.parse(`${text.includes('T') ? text : `${text}T00:00`}Z`)
      : NaN;
    if (Number.isNaN(time))
      this.stop(value.at, `"${text}" is not a day such as 2026-05-04, nor a time such as 2026-05-04T10:00`);
    const day = 86_400_000;
    if (op === '=')
      return {
        sql: `\`${column}\` >= ? AND \`${column}\` < ?`,
        values: [new Instant(time).sql, new Instant(time + day).sql],
      };
    return { sql: `\`${column}\` ${op} ?`, values: [new Instant(time).sql] };
  }

  /** An address, or all in a prefix. */
  private within(column: string, value: WhereValue): Condition {
    const prefix = parsePrefix(value.text);
    const bytes = (family: 4 | 6, held: bigint) => Buffer.from(toBytes({ family, value: held }));
    if (prefix.ok) {
      const { family, first } = prefix.value;
      return {
        sql: `\`${column}_family\` = ? AND \`${column}\` BETWEEN ? AND ?`,
        values: [family, bytes(family, first), bytes(family, lastOf(prefix.value))],
      };
    }
    const ip = parseIp(value.text);
    if (!ip.ok) this.stop(value.at, `"${value.text}" is neither an address nor a prefix`);
    return {
      sql: `\`${column}_family\` = ? AND \`${column}\` = ?`,
      values: [ip.value.family, bytes(ip.value.family, ip.value.value)],
    };
  }
}
