/** Labels: free words, typed in any case, with commas or blanks between. */
import { fail, ok, type Parsed } from '../fault.ts';

const MOST_LABELS = 20;
const MOST_SIGNS = 40;

export type LabelFault = 'label-syntax' | 'label-long' | 'labels-many';

/** One label as it is stored. */
export function parseLabel(text: string): Parsed<string, LabelFault> {
  const value = text.trim().toLowerCase();
  if (value.length > MOST_SIGNS) return fail('label-long', { value: text, max: MOST_SIGNS });
  if (/^[a-z0-9][a-z0-9._-]*$/.test(value) && value !== 'none') return ok(value);
  return fail('label-syntax', { value: text });
}

/** Several, each once, in the order of the alphabet. */
export function parseLabels(given: string | string[]): Parsed<string[], LabelFault> {
  const words = (typeof given === 'string' ? given.split(/[\s,;]+/) : given).filter((word) => word.trim() !== '');
  const out = new Set<string>();
  for (const word of words) {
    const read = parseLabel(word);
    if (!read.ok) return read;
    out.add(read.value);
  }
  if (out.size > MOST_LABELS) return fail('labels-many', { max: MOST_LABELS });
  return ok([...out].sort());
}
