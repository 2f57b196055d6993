/** How a selection may go on: what stands before the cursor decides whether a field, an operator or a value comes next. */

export type Expected =
  /** Beginnings of a field's name, or one of the words that join tests. */
  | { kind: 'field'; begin: string; from: number; to: number; joins: boolean }
  | { kind: 'operator'; field: string; from: number; to: number }
  | { kind: 'value'; field: string; op: string; begin: string; from: number; to: number };

const boundary = /[\s,()=!<>]/;

/** `at` counts from 0; the word that the cursor touches is replaced as a whole. */
export function expectedAt(text: string, at = text.length): Expected {
  const cursor = Math.min(Math.max(0, at), text.length);
  let from = cursor;
  while (from > 0 && !boundary.test(text[from - 1] ?? '')) from -= 1;
  let to = cursor;
  while (to < text.length && !boundary.test(text[to] ?? '')) to += 1;
  const begin = text.slice(from, cursor).replace(/^["']/, '');
  const before = text.slice(0, from);
  const value = /([^\s,()=!<>"']+)\s*(!=|<=|>=|=|<|>)\s*((?:[^\s()=!<>"',]+|"[^"]*"|'[^']*')\s*,\s*)*$/.exec(before);
  if (value) return { kind: 'value', field: value[1] ?? '', op: value[2] ?? '=', begin, from, to };
  // Behind a whole test another one, or a word that joins them, may begin.
  const joins = /(?:[=<>]\s*(?:[^\s()=!<>"']+|"[^"]*"|'[^']*')|\))\s+$/.test(before);
  return { kind: 'field', begin, from, to, joins };
}
