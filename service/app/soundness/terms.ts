/** Search terms, taken from the texts of the records by another reading of the rules. */
import { kindOf, type KindName } from '@zpine/contract/kinds';
import { columnOf } from '@zpine/contract/kind';
import { forUpdate, ranges, shared, type Difference, type Look } from './look.ts';

const LONGEST = 40;
const MOST_WORDS = 60;
const wordTypes = new Set(['name', 'text', 'code', 'note']);
const isLetter = (sign: string): boolean => /[\p{L}\p{N}]/u.test(sign);
const joins = (sign: string): boolean => '._:/-'.includes(sign);

/** Letters of the north and their like, as those write them who lack them. */
const written = new Map([...'øæœßðþđłı'].map((letter, i) => [letter, 'o ae oe ss d th d l i'.split(' ')[i] ?? letter]));

/** Sign by sign: a word is letters and digits, with signs that join between them; each part behind such a sign counts. */
function words(text: string): string[] {
  const signs = [...text.toLowerCase().normalize('NFD')].flatMap((sign) =>
    /\p{M}/u.test(sign) ? [] : [...(written.get(sign) ?? sign)],
  );
  const out: string[] = [];
  const add = (word: string): void => {
    const cut = word.slice(0, LONGEST);
    if (!out.includes(cut)) out.push(cut);
  };
  for (let i = 0; i < signs.length && out.length < MOST_WORDS;) {
    if (!isLetter(signs[i] ?? '')) {
      i += 1;
      continue;
    }
    const parts: string[] = [];
    let whole = '';
    for (;;) {
      let part = '';
      while (i < signs.length && isLetter(signs[i] ?? '')) part += signs[i++] ?? '';
      parts.push(part);
      whole += part;
      let j = i;
      while (j < signs.length && joins(signs[j] ?? '')) j += 1;
      if (j === i || j >= signs.length || !isLetter(signs[j] ?? '')) break;
      whole += signs.slice(i, j).join('');
      i = j;
      parts.push('');
    }
    add(whole);
    // What stands behind each joining sign, to the end of the word.
    for (let at = 0; at < whole.length; at += 1) {
      if (!joins(whole[at] ?? '') || joins(whole[at + 1] ?? '')) continue;
      const rest = whole.slice(at + 1);
      if (rest.length > 1) add(rest);
    }
  }
  return out.slice(0, MOST_WORDS);
}

function termsIn(type: string, value: unknown): string[] {
  if (value === null || value === undefined) return [];
  if (type === 'mac') {
    const digits = (value as Buffer).toString('hex');
    return [digits, digits.substring(6), digits.substring(8)];
  }
  if (type === 'labels')
    return String(value as string)
      .split(',')
      .flatMap((label) => [label, `#${label}`]);
  return words(String(value));
}

const SIZE = 500;

export const termsOf = (kind: KindName): Look => ({
  async *parts(outer) {
    const fields = Object.entries(kindOf(kind).fields).filter(
      ([, field]) => !field.derived && (wordTypes.has(field.type) || field.type === 'mac' || field.type === 'labels'),
    );
    const columns = fields.map(([name]) => `, \`${columnOf(name)}\``).join('');
    for await (const { after, to } of ranges(outer, kind, SIZE))
      yield async (tx, locked) => {
        const held = await tx.select<{ term: string; record_id: number; field: string }>(
          `SELECT term, record_id, field FROM search_term WHERE kind = ? AND record_id > ? AND record_id <= ? ${forUpdate(locked)}`,
          [kind, after, to],
        );
        const records = await tx.select<Record<string, unknown> & { id: number; natural_key: string }>(
          `SELECT id, natural_key${columns} FROM \`${kind}\` WHERE id > ? AND id <= ? ${shared(locked)}`,
          [after, to],
        );
        const found = new Map<number, string[]>();
        for (const row of held) {
          const id = Number(row.record_id);
          const list = found.get(id) ?? [];
          list.push(`${row.field} ${row.term}`);
          found.set(id, list);
        }
        const out: Difference[] = [];
        const differ = (id: number, name: string, is: string[], should: string[]): void => {
          const [a, b] = [[...is].sort(), [...should].sort()];
          if (a.length === b.length && a.every((one, i) => one === b[i])) return;
          const rows = should.map((one) => [one.slice(one.indexOf(' ') + 1), kind, id, one.slice(0, one.indexOf(' '))]);
          out.push({
            about: `search terms of ${kind} ${name}`,
            is: a.filter((one) => !b.includes(one)).join(', ') || 'some are missing',
            should: b.filter((one) => !a.includes(one)).join(', ') || 'nothing else',
            mend: [
              ['DELETE FROM search_term WHERE kind = ? AND record_id = ?', [kind, id]],
              ...(rows.length === 0
                ? []
                : ([
                    [
                      `INSERT IGNORE INTO search_term (term, kind, record_id, field) VALUES ${rows.map(() => '(?, ?, ?, ?)').join(', ')}`,
                      rows.flat(),
                    ],
                  ] as const)),
            ],
          });
        };
        for (const record of records) {
          const id = Number(record.id);
          const should = fields.flatMap(([name, { type }]) =>
            [...new Set(termsIn(type, record[columnOf(name)]))].map((term) => `${name} ${term}`),
          );
          differ(id, record.natural_key, found.get(id) ?? [], should);
          found.delete(id);
        }
        for (const [id, is] of found) differ(id, `#${id}, which is not there`, is, []);
        return out;
      };
  },
});
