import type { Command } from 'commander';
import { Client } from '@zpine/contract/client';
import type { Impact } from '@zpine/contract/impactShapes';
import { remarkWords, type Remark } from '@zpine/contract/remarks';
import { readAccount } from './account.ts';
import { quickFetch } from './transport.ts';
import { err } from './print.ts';
import { UsageError } from './refusals.ts';

export interface Output {
  json: boolean;
  csv: boolean;
}

/** The options that every command has; they are read from the program itself. */
export const outputOf = (command: Command): Output => {
  const { json = false, csv = false } = command.optsWithGlobals<{ json?: boolean; csv?: boolean }>();
  return { json, csv };
};

/** Set by `--preview`: what hears of the impact while it comes. Clients made after that save nothing. */
export const previewing: { hear: ((impact: Impact) => void) | null } = { hear: null };

export function clientOf(): Client {
  const account = readAccount();
  if (!account) throw new UsageError('nobody is signed in: zpine sign-in URL --user NAME');
  const preview = previewing.hear ? { preview: { hear: previewing.hear, seconds: 600 } } : {};
  return new Client({
    url: account.url,
    token: account.token,
    via: 'cli',
    fetch: quickFetch,
    ...preview,
    onRemarks: sayRemarks,
  });
}

const sayRemarks = (remarks: Remark[]): void => {
  for (const remark of remarks) err(`note: ${remarkWords(remark)}`);
};
