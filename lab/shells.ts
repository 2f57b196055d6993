/** Shells without a switch around them: what the dialects' words do to a memory, for whoever tries just that. */
import { bareFacts } from './facts.ts';
import { Memory } from './furrow/memory.ts';
import { Shell } from './furrow/shell.ts';
import { Script } from './quill/script.ts';
import { QuillShell } from './quill/shell.ts';

export interface Bare {
  print: () => string;
  /** The reply to a line. */
  say: (line: string) => string;
}

/** `own`: it writes its configuration its own way. */
export function bareFurrow(start: string, own = false): Bare {
  const memory = new Memory({ model: 'LF-24', sockets: { 1: 24 } }, () => own);
  memory.load(start);
  const shell = new Shell({
    memory,
    shown: (text) => text,
    about: () => '',
    tell: () => undefined,
    full: true,
    fault: () => undefined,
    starting: () => false,
    kept: () => '',
    keep: () => undefined,
    restart: () => undefined,
    erase: () => undefined,
    changed: () => false,
    prompt: (name) => name,
    facts: bareFacts(),
  });
  return { print: () => memory.print(), say: (line) => shell.line(line) ?? '' };
}

export function bareQuill(start: string): Bare {
  let script = Script.from(start);
  const shell = new QuillShell({
    script: () => script,
    putInForce: (next) => (script = next),
    about: () => '',
    hears: () => [],
    shelf: () => '',
    shelve: () => undefined,
    fill: () => undefined,
    restart: () => undefined,
    changed: () => false,
    prompt: (name) => name,
    facts: bareFacts(),
    fault: () => undefined,
  });
  return { print: () => script.print(), say: (line) => shell.line(line) ?? '' };
}
