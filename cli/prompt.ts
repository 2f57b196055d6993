import { createInterface } from 'node:readline/promises';
import { Writable } from 'node:stream';
import { previewing } from './context.ts';

/** Asks without showing what is typed; when nobody is at the terminal, the first line of standard input is the answer. */
export async function askSecret(question: string): Promise<string> {
  if (!process.stdin.isTTY) {
    let text = '';
    for await (const chunk of process.stdin) text += String(chunk);
    return text.split(/\r?\n/)[0] ?? '';
  }
  process.stderr.write(question);
  const silent = new Writable({ write: (_chunk, _encoding, done) => done() });
  const ask = createInterface({ input: process.stdin, output: silent, terminal: true });
  const answer = await ask.question('');
  ask.close();
  process.stderr.write('\n');
  return answer;
}

/** A question that is answered with yes or no; no when nobody is there to answer. */
export async function askYes(question: string): Promise<boolean> {
  // Nothing will be saved: there is nothing to be sure of.
  if (previewing.hear) return true;
  if (!process.stdin.isTTY) return false;
  const ask = createInterface({ input: process.stdin, output: process.stderr });
  const answer = await ask.question(`${question} [y/N] `);
  ask.close();
  return /^y(es)?$/i.test(answer.trim());
}
