import { createInterface } from 'node:readline/promises';
import { Writable } from 'node:stream';
import { previewing } from './context.ts';
import { err, out } from './print.ts';
import { status, UsageError } from './refusals.ts';

/** The lines that were piped in, each the answer to one question. */
let piped: string[] | undefined;

/** Asks without showing what is typed; when nobody is at the terminal, the next line of standard input is the answer. */
export async function askSecret(question: string): Promise<string> {
  if (!process.stdin.isTTY) {
    if (piped === undefined) {
      let text = '';
      for await (const chunk of process.stdin) text += String(chunk);
      piped = text.split(/\r?\n/);
    }
    return piped.shift() ?? '';
  }
  process.stderr.write(question);
  const silent = new Writable({ write: (_chunk, _encoding, done) => done() });
  const ask = createInterface({ input: process.stdin, output: silent, terminal: true });
  const answer = await ask.question('');
  ask.close();
  process.stderr.write('\n');
  return answer;
}

/** A secret that nobody can see while typing it: asked twice at a terminal. */
export async function askNewSecret(what: string): Promise<string> {
  const first = await askSecret(`${what}: `);
  if (process.stdin.isTTY && (await askSecret('once more: ')) !== first)
    throw new UsageError('the two are not the same; nothing was saved');
  return first;
}

async function answerTo(question: string): Promise<string | undefined> {
  if (!process.stdin.isTTY) return undefined;
  const ask = createInterface({ input: process.stdin, output: process.stderr });
  const answer = await ask.question(question);
  ask.close();
  return answer.trim();
}

/** Says that nothing was saved, with the status for it: a script must not take it for done. */
export function unsaved(words = 'not saved; --yes saves without asking'): void {
  err(words);
  process.exitCode = status.refused;
}

/**
 * Asks before something is saved. With `count` of more than one the answer is that number, so that nobody says yes to
 * more than they saw. False when nobody is there to answer; then it was said, and the status is that of a refusal.
 */
export async function confirmed(question: string, count = 1, otherwise?: string): Promise<boolean> {
  // Nothing will be saved: there is nothing to be sure of.
  if (previewing.hear) return true;
  const many = count > 1;
  const answer = await answerTo(many ? `${question} Type ${count} to go on: ` : `${question} [y/N] `);
  const yes = answer !== undefined && (many ? answer === String(count) : /^y(es)?$/i.test(answer));
  if (!yes) unsaved(otherwise);
  return yes;
}

const LISTED = 20;

/** Asks by number before many things are made; one alone is what was typed, and is not asked about. */
export async function wanted(question: string, keys: readonly string[], options: { yes?: unknown; json?: boolean }) {
  if (keys.length < 2 || options.yes === true) return true;
  if (!options.json) {
    out(keys.slice(0, LISTED).join('\n'));
    if (keys.length > LISTED) out(`and ${keys.length - LISTED} more`);
  }
  return confirmed(question, keys.length);
}

/** The look of a command that asks, in JSON: nobody was asked, so nothing is saved unless --yes was given. */
export function looked(seen: { applied: boolean }): void {
  out(JSON.stringify(seen, null, 2));
  if (!seen.applied) unsaved();
}
