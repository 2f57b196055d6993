/** The text of a named ask: what stands in its lines, each a command or a named question. */
import type { Ask } from './asking.ts';

const QUESTION = /^question ([a-z][a-z0-9-]*)((?: [a-z][a-z0-9-]*=\S+)*)$/;

/** Blank lines and comments are nothing. */
export function asksIn(text: string): Ask[] {
  return text
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line !== '' && !line.startsWith('#'))
    .map((line) => {
      const [, question, given = ''] = QUESTION.exec(line) ?? [];
      if (question === undefined) return { command: line };
      const blanks = Object.fromEntries(
        given
          .split(' ')
          .filter(Boolean)
          .map((one): [string, string] => [one.slice(0, one.indexOf('=')), one.slice(one.indexOf('=') + 1)]),
      );
      return { question, ...(Object.keys(blanks).length > 0 ? { blanks } : {}) };
    });
}
