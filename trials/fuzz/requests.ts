/** Requests as nobody would send them: by the document, with values of real records, and with what breaks programs. */
import type { Chance } from './chance.ts';
import type { Operation, Schema } from './document.ts';

export interface MadeRequest {
  operation: string;
  method: string;
  path: string;
  headers: Record<string, string>;
  body?: string;
}

/** Texts and values of the records that are there. */
export interface Known {
  texts: readonly string[];
  ids: readonly string[];
  /** Keys, by the kind's name, and by its collection in paths. */
  keys: ReadonlyMap<string, readonly string[]>;
}

const letters = 'ø é ß Ж 中 🐟 \u0000 \u001b[2J \u202e \uFEFF \u2028 \ud800'.split(' ');
const words = [
  '',
  ' ',
  '0',
  '-1',
  '#0',
  '#1',
  '#999999999',
  'null',
  'true',
  '*',
  '%',
  '_',
  "'",
  '"',
  '\\',
  '../../etc/passwd',
  '{{x}}',
  '@{x}',
  '${x}',
  "' OR 1=1 --",
  '=cmd',
  '1e309',
  '10.77.16.0/24',
  '10.77.16.300',
  '2001:db8::/129',
  'ff:ff:ff:ff:ff:ff',
  'ard:1/1',
  '[',
  '(?:a+)+$',
  'site=ard',
  'site=',
  'a=b c!=d',
  '1/[1-999999]',
  '-'.repeat(300),
  'x'.repeat(5000),
  'ø'.repeat(2000),
];
const numbers = [0, -1, 1, 7, 65536, 2 ** 31, 2 ** 53, -(2 ** 63), 1e308, 0.1, 4095, 1000, 100_000];

/** `hint`: what the text is called where it stands; where that is a kind, one of its keys, mostly. */
const someText = (chance: Chance, known: Known, hint = ''): string => {
  const keys = known.keys.get(hint);
  if (keys && keys.length > 0 && chance.is(0.7)) return chance.one(keys);
  if ((hint === 'id' || hint === 'number') && chance.is(0.7)) return String(1 + chance.under(30));
  const kind = chance.next();
  if (kind < 0.45) return chance.one(known.texts);
  if (kind < 0.55) return chance.one(known.ids);
  if (kind < 0.85) return chance.one(words);
  const base = chance.is(0.5) ? chance.one(known.texts) : chance.one(words);
  const at = chance.under(base.length + 1);
  return base.slice(0, at) + chance.one(letters) + base.slice(at);
};

/** Anything at all. */
function anything(chance: Chance, known: Known, depth = 0): unknown {
  const kind = chance.under(depth > 3 ? 5 : 7);
  if (kind === 0) return null;
  if (kind === 1) return chance.is(0.5);
  if (kind === 2) return chance.one(numbers);
  if (kind < 5) return someText(chance, known);
  const some = Array.from({ length: chance.under(4) }, () => anything(chance, known, depth + 1));
  return kind === 5 ? some : Object.fromEntries(some.map((value) => [someText(chance, known), value]));
}

/** What a schema wants, mostly. */
export function valueOf(schema: Schema, chance: Chance, known: Known, depth = 0, hint = ''): unknown {
  if (chance.is(0.06)) return anything(chance, known, depth);
  if (schema.const !== undefined) return schema.const;
  if (schema.enum) return chance.one(schema.enum);
  const choices = schema.anyOf ?? schema.oneOf;
  if (choices && choices.length > 0) return valueOf(chance.one(choices), chance, known, depth, hint);
  if (schema.allOf)
    return Object.assign(
      {},
      ...schema.allOf.map((one) => valueOf(one, chance, known, depth, hint) as object),
    ) as object;
  const type = Array.isArray(schema.type) ? chance.one(schema.type) : schema.type;
  if (type === 'object' || schema.properties) {
    const out: Record<string, unknown> = {};
    for (const [name, field] of Object.entries(schema.properties ?? {}))
      if (chance.is(schema.required?.includes(name) === true ? 0.97 : depth > 4 ? 0.1 : 0.4))
        out[name] = valueOf(field, chance, known, depth + 1, name);
    if (typeof schema.additionalProperties === 'object')
      for (let i = chance.under(4); i > 0; i -= 1)
        out[someText(chance, known)] = valueOf(schema.additionalProperties, chance, known, depth + 1);
    return out;
  }
  if (type === 'array') {
    const length = chance.is(0.02) ? 300 : chance.under(4);
    return Array.from({ length }, () => valueOf(schema.items ?? {}, chance, known, depth + 1, hint.replace(/s$/, '')));
  }
  if (type === 'integer' || type === 'number') return chance.is(0.6) ? chance.under(60) : chance.one(numbers);
  if (type === 'boolean') return chance.is(0.5);
  if (type === 'null') return null;
  if (type === 'string') return someText(chance, known, hint);
  return anything(chance, known, depth);
}

const queryText = (value: unknown): string => (typeof value === 'string' ? value : JSON.stringify(value ?? null));
/** Half a pair of surrogates is no text that a URL may have. */
const encoded = (text: string): string => encodeURIComponent(Buffer.from(text).toString());

export function requestFor(operation: Operation, chance: Chance, known: Known): MadeRequest {
  let { path } = operation;
  const query: string[] = [];
  const headers: Record<string, string> = {};
  for (const { name, in: where, schema } of operation.parameters) {
    if (where === 'path') {
      // `/devices/{ref}/editions/{number}`: of what kind it is says the segment before it.
      const before = new RegExp(`([a-z-]+)/\\{${name}\\}`).exec(path)?.[1] ?? '';
      const hint = known.keys.has(before) ? before : name;
      path = path.replace(`{${name}}`, encoded(someText(chance, known, hint)) || '%20');
    }
    if (where === 'query' && chance.is(0.35))
      query.push(`${name}=${encoded(queryText(valueOf(schema, chance, known, 0, name)))}`);
    else if (where === 'header' && chance.is(0.15)) headers[name] = encoded(someText(chance, known)).slice(0, 200);
  }
  if (chance.is(0.03)) query.push(`${encoded(someText(chance, known))}=1`);
  const made: MadeRequest = {
    operation: operation.id,
    method: operation.method,
    path: query.length === 0 ? path : `${path}?${query.join('&')}`,
    headers,
  };
  if (operation.body) made.body = bodyOf(operation.body, chance, known);
  return made;
}

function bodyOf(schema: Schema, chance: Chance, known: Known): string {
  const text = JSON.stringify(valueOf(schema, chance, known)) ?? 'null';
  if (chance.is(0.03)) return text.slice(0, chance.under(text.length));
  if (chance.is(0.01)) return `${'['.repeat(5000)}${']'.repeat(5000)}`;
  if (chance.is(0.01)) return `{${Array.from({ length: 2000 }, (_, i) => `"f${i}":${i}`).join(',')}}`;
  return text;
}
