/** Completion for bash and zsh: the shell asks the command line, and that asks the service about selections and keys. */
import type { Command } from 'commander';
import { isKind } from '@zpine/contract/kinds';
import { clientOf } from './context.ts';
import { out } from './print.ts';

const script = `# Completion of zpine: source it, or put it where your shell looks for completions.
# Selections hold = and keys hold : so neither may end a word.
COMP_WORDBREAKS=\${COMP_WORDBREAKS//[=:]/}
_zpine() {
  local IFS=$'\\n'
  COMPREPLY=($(zpine complete -- "\${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null))
  [[ \${COMPREPLY[0]} == *= ]] && compopt -o nospace
}
if [ -n "$ZSH_VERSION" ]; then autoload -U +X bashcompinit && bashcompinit; fi
complete -F _zpine zpine
`;

export function addCompletion(program: Command): void {
  program
    .command('completion')
    .description('a script that completes commands, keys and selections: source <(zpine completion)')
    .action(() => void process.stdout.write(script));
  program
    .command('complete', { hidden: true })
    .argument('[words...]')
    .action(async (words: string[]) => {
      for (const item of await suggestions(program, words)) out(item);
    });
}

async function suggestions(program: Command, words: string[]): Promise<string[]> {
  const typed = words.at(-1) ?? '';
  const before = words.slice(0, -1);
  const { command, rest } = walk(program, before);
  const option = before.at(-1);
  if (option === '--where') return whole(await ofSelection(before[0] ?? '', typed.replace(/^['"]/, '')));
  if (typed.startsWith('-')) {
    const known = [...command.options, ...program.options].map((o) => o.long ?? '').filter((long) => long !== '');
    return [...new Set(known)].filter((long) => long.startsWith(typed));
  }
  const taken = option?.startsWith('--') ? command.options.find((o) => o.long === option && o.required) : undefined;
  if (taken) return (taken.argChoices ?? []).filter((choice) => choice.startsWith(typed));
  const nouns = command.commands.map((c) => c.name()).filter((name) => name !== 'complete' && name.startsWith(typed));
  if (command.commands.length > 0) return nouns;
  return rest === 0 ? ofKeys(command, typed) : [];
}

/** The command that the words lead to, and how many arguments stand behind it. */
function walk(program: Command, words: string[]): { command: Command; rest: number } {
  let command = program;
  let rest = 0;
  for (const word of words) {
    const next = rest === 0 ? command.commands.find((c) => c.name() === word) : undefined;
    if (next) command = next;
    else if (!word.startsWith('-')) rest += 1;
  }
  return { command, rest };
}

interface Completed {
  text: string;
  from: number;
  to: number;
  items: { text: string }[];
}

const whole = ({ text, from, to, items }: Completed): string[] =>
  items.map((item) => text.slice(0, from) + item.text + text.slice(to));

async function ofSelection(noun: string, text: string): Promise<Completed> {
  const kind = isKind(noun) ? noun : 'device';
  return { text, ...(await clientOf().call('where.complete', { query: { kind, text } })) };
}

/** Keys of the kind that the first argument names. */
async function ofKeys(command: Command, typed: string): Promise<string[]> {
  const [argument] = command.registeredArguments;
  const noun = command.parent?.name() ?? '';
  const kind = isKind(noun) && argument?.name() === 'key' ? noun : (argument?.name() ?? '');
  if (argument?.name() === 'kind') return [];
  if (!isKind(kind)) return [];
  const { items } = await clientOf().list(kind, { ...(typed === '' ? {} : { q: typed }), limit: 60 });
  return items.map((item) => item.key);
}
