/** From Zod's issues to our faults: the only place that knows both. */
import { nearest } from '@zpine/core/naming/names';
import type { z } from 'zod';
import { isErrorCode, MOST_FAULTS, type FieldFault, type Faults } from './errors.ts';

type Issue = z.core.$ZodIssue;

const expectedWords: Record<string, string> = {
  string: 'text',
  number: 'a number',
  int: 'a whole number',
  boolean: 'true or false',
  object: 'an object',
  array: 'a list',
};

/**
 * The faults in an input that a schema refused; `known` are the field names to choose from. No more are worked out than
 * an answer tells; the others are counted.
 */
export function faultsOf(
  error: z.ZodError,
  input: unknown,
  known: string[],
  at: (string | number)[] = [],
  most = MOST_FAULTS,
): Faults {
  const faults: Faults = [];
  for (const issue of error.issues) {
    const room = most - faults.length;
    const [shown, beyond] = within(issue, room);
    if (shown) faults.push(...faultsOfIssue(shown, input, known, at));
    if (beyond > 0) faults.beyond = (faults.beyond ?? 0) + beyond;
  }
  return faults;
}

/** As much of an issue as there is room for, and how many faults of it are left. */
function within(issue: Issue, room: number): [shown: Issue | undefined, beyond: number] {
  const faults = issue.code === 'unrecognized_keys' ? issue.keys.length : 1;
  if (room <= 0) return [undefined, faults];
  if (issue.code !== 'unrecognized_keys' || faults <= room) return [issue, 0];
  return [{ ...issue, keys: issue.keys.slice(0, room) }, faults - room];
}

function faultsOfIssue(issue: Issue, input: unknown, known: string[], at: (string | number)[]): FieldFault[] {
  const path = [...at, ...issue.path.map((part) => (typeof part === 'symbol' ? String(part) : part))];
  const one = (code: FieldFault['code'], params: FieldFault['params'] = {}): FieldFault[] => [{ path, code, params }];
  const value = valueAt(input, issue.path);
  switch (issue.code) {
    case 'unrecognized_keys':
      return issue.keys.map((field): FieldFault => {
        const meant = nearest(field, known);
        return {
          path: [...path, field],
          code: 'field-unknown',
          params: meant === undefined ? { field } : { field, meant },
        };
      });
    case 'invalid_type':
      return value === undefined || value === null
        ? one('value-missing')
        : one('value-type', { expected: expectedWords[issue.expected] ?? issue.expected });
    case 'invalid_value': {
      if (value === undefined || value === null) return one('value-missing');
      const choices = issue.values.map(String);
      const meant = nearest(String(value), choices);
      return one('value-choice', { value: String(value), choices: choices.join(', '), ...(meant ? { meant } : {}) });
    }
    case 'too_small':
      if (issue.origin === 'string')
        return one(Number(issue.minimum) <= 1 ? 'value-missing' : 'value-short', { min: Number(issue.minimum) });
      return one('value-low', { min: Number(issue.minimum) });
    case 'too_big':
      return issue.origin === 'string'
        ? one('value-long', { max: Number(issue.maximum) })
        : one('value-high', { max: Number(issue.maximum) });
    case 'invalid_format':
      return one('value-shape', { form: 'pattern' in issue && issue.pattern ? issue.pattern : issue.format });
    case 'custom': {
      const params = issue.params as { code?: string; params?: FieldFault['params'] } | undefined;
      if (params?.code && isErrorCode(params.code)) return one(params.code, params.params ?? {});
      return one('value-shape', { form: issue.message });
    }
    case 'invalid_union':
      return issue.errors.flat().length > 0
        ? (issue.errors[0] ?? []).flatMap((inner) => faultsOfIssue(inner, value, known, path)).slice(0, 1)
        : one('value-shape', { form: 'one of several' });
    default:
      return one('value-shape', { form: issue.message });
  }
}

function valueAt(input: unknown, path: PropertyKey[]): unknown {
  let value = input;
  for (const part of path) {
    if (typeof value !== 'object' || value === null) return undefined;
    value = (value as Record<PropertyKey, unknown>)[part];
  }
  return value;
}
