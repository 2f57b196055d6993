/** A recorded session: what a terminal showed, cut into commands and their answers. */
import type { Dialect } from './dialect.ts';

export interface Exchange {
  command: string;
  answer: string;
}

/** How far into a line a prompt may reach. */
const MOST_PROMPT = 120;

/** In front of commands that stand for themselves, where there is no prompt of a device. */
const SIGN = /^[$#>] /;

export function exchangesIn(dialect: Dialect, session: string): Exchange[] {
  const out: { command: string; lines: string[] }[] = [];
  for (const line of session.replaceAll('\r', '').split('\n')) {
    const at = promptIn(dialect, line);
    if (at > 0) out.push({ command: line.slice(at).trim(), lines: [] });
    else out.at(-1)?.lines.push(line);
  }
  return out
    .filter(({ command }) => command !== '')
    .map(({ command, lines }) => ({ command, answer: lines.join('\n').replace(/\n+$/, '\n') }));
}

function promptIn(dialect: Dialect, line: string): number {
  if (dialect.sheet.channel === 'exec') return SIGN.exec(line)?.[0].length ?? 0;
  for (let to = Math.min(line.length, MOST_PROMPT); to > 0; to -= 1) if (dialect.isPrompt(line.slice(0, to))) return to;
  // The blank behind a prompt is often lost where nothing follows it.
  return dialect.isPrompt(`${line} `) && line !== '' ? line.length : 0;
}
