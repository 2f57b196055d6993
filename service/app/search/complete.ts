/** Completion of selections: fields of a kind and of what it refers to, their choices, and keys that stand in the database. */
import { isAscii } from '@zpine/core/text/ascii';
import { expectedAt } from '@zpine/core/where/complete';
import { labelTerm } from '@zpine/core/naming/terms';
import { operators } from '@zpine/core/where/where';
import type { Field } from '@zpine/contract/fields';
import { canonicalKey, fieldsOf, type KindDescription } from '@zpine/contract/kind';
import { kindOf, type KindName } from '@zpine/contract/kinds';
import type { QueryOf, ReplyOf } from '@zpine/contract/routes';
import { columnOf } from '@zpine/contract/kind';
import { kindGiven, likeText } from '../records/refs.ts';
import type { Tx } from '../../store/tx.ts';

type Item = ReplyOf<'where.complete'>['items'][number];

const SHOWN = 30;

export async function complete(tx: Tx, query: QueryOf<'where.complete'>): Promise<ReplyOf<'where.complete'>> {
  const kind = kindGiven(query.kind);
  const expected = expectedAt(query.text, query.at);
  const { from, to } = expected;
  const items = expected.kind === 'value' ? await values(tx, kind, expected.field, expected.begin) : [];
  if (expected.kind === 'field') {
    // A whole name is followed by an operator.
    const whole = fieldNamed(kindOf(kind), expected.begin);
    if (whole && expected.begin !== '') items.push(...afterField(whole[0], whole[1]));
    items.push(...fields(kindOf(kind), expected.begin));
    if (expected.joins)
      for (const [word, about] of Object.entries(joining))
        if (word.startsWith(expected.begin.toLowerCase())) items.push({ text: word, about });
  }
  return { from, to, items: items.slice(0, SHOWN) };
}

const joining = { or: 'either of both', and: 'both; a blank says the same', not: 'the opposite of what follows' };

const ordered = (field: Field): boolean => field.type === 'int';

const afterField = (name: string, field: Field): Item[] =>
  operators
    .filter((op) => op === '=' || op === '!=' || ordered(field))
    .map((op) => ({ text: `${name}${op}`, about: op === '!=' ? 'not' : '' }));

const heads: [string, string][] = [
  ['key', 'its natural key'],
  ['createdAt', 'the day on which it was added'],
  ['updatedAt', 'the day of the last change'],
];

function fields(k: KindDescription, begin: string): Item[] {
  const typed = begin.toLowerCase();
  const [first = '', rest] = typed.split('.', 2);
  if (rest !== undefined) {
    const outer = fieldNamed(k, first);
    if (outer?.[1].type !== 'ref') return [];
    return fields(kindOf(outer[1].to ?? ''), rest).map((item) => ({ ...item, text: `${outer[0]}.${item.text}` }));
  }
  const own = fieldsOf(k).map(([name, field]): [string, string] => [
    name === 'labels' ? 'label' : name,
    field.to ? `${field.title}: a ${field.to}` : field.title,
  ]);
  return [...own, ...heads]
    .filter(([name]) => name.toLowerCase().startsWith(typed))
    .map(([name, about]) => ({ text: `${name}=`, about }));
}

/** Through what a kind refers to, as `site.area`, and `label` for its labels. */
function fieldNamed(k: KindDescription, typed: string): [string, Field] | undefined {
  const [first = '', ...rest] = typed.split('.');
  const plain = first.toLowerCase() === 'label' && !('label' in k.fields) ? 'labels' : first.toLowerCase();
  const found = fieldsOf(k).find(([name]) => name.toLowerCase() === plain);
  if (rest.length === 0 && found) return [found[0] === 'labels' ? 'label' : found[0], found[1]];
  if (rest.length > 0 && found?.[1].type === 'ref') {
    const inner = fieldNamed(kindOf(found[1].to ?? ''), rest.join('.'));
    return inner && [`${found[0]}.${inner[0]}`, inner[1]];
  }
  if (rest.length > 0 || found) return undefined;
  // As in the selection itself: the area of the site is meant where only the site has one.
  const through = fieldsOf(k).filter(([, field]) => field.type === 'ref');
  for (const [, field] of through) {
    const inner = fieldsOf(kindOf(field.to ?? '')).find(([name]) => name.toLowerCase() === plain);
    if (inner) return inner;
  }
  return undefined;
}

async function values(tx: Tx, kind: KindName, typed: string, begin: string): Promise<Item[]> {
  const [, field] = fieldNamed(kindOf(kind), typed) ?? [];
  if (!field) return [];
  const start = begin.toLowerCase();
  const none = 'none'.startsWith(start) && !field.required ? [{ text: 'none', about: 'empty' }] : [];
  if (field.type === 'bool') return plain(['yes', 'no'], start);
  if (field.choices) return plain(field.choices, start);
  if (field.type === 'labels') {
    const rows = await tx.select<{ term: string; count: number }>(
      `SELECT term, COUNT(*) AS count FROM search_term WHERE field = 'labels' AND kind = ? AND term LIKE ? GROUP BY term ORDER BY term LIMIT ${SHOWN}`,
      [kind, `${likeText(labelTerm(start))}%`],
    );
    return [
      ...rows.map((row) => ({ text: row.term.slice(labelTerm('').length), about: `on ${Number(row.count)}` })),
      ...none,
    ];
  }
  if (field.type === 'ref') {
    if (!isAscii(begin)) return none;
    const to = field.to as KindName;
    const title = 'title' in kindOf(to).fields ? 'title' : "''";
    const rows = await tx.select<{ natural_key: string; title: string | null }>(
      `SELECT natural_key, ${title} AS title FROM \`${to}\` WHERE natural_key LIKE ? ORDER BY sort_key LIMIT ${SHOWN}`,
      [`${likeText(canonicalKey(kindOf(to), begin))}%`],
    );
    return [...rows.map((row) => ({ text: row.natural_key, about: row.title ?? '' })), ...none];
  }
  if (field.type === 'name' || field.type === 'code') {
    const name = fieldsOf(kindOf(kind)).find(([, one]) => one === field)?.[0];
    if (!name) return none;
    const rows = await tx.select<{ value: string }>(
      `SELECT DISTINCT \`${columnOf(name)}\` AS value FROM \`${kind}\` WHERE \`${columnOf(name)}\` LIKE ? ORDER BY value LIMIT ${SHOWN}`,
      [`${likeText(begin)}%`],
    );
    return [...rows.map((row) => ({ text: row.value, about: '' })), ...none];
  }
  return none;
}

const plain = (words: readonly string[], start: string): Item[] =>
  words.filter((word) => word.startsWith(start)).map((text) => ({ text, about: '' }));
