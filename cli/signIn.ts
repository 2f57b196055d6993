import { quickFetch } from './transport.ts';
import { hostname } from 'node:os';
import type { Command } from 'commander';
import { Client, RefusedError, unreached, UnreachedError } from '@zpine/contract/client';
import { accountFile, forgetAccount, saveAccount, readAccount } from './account.ts';
import { outputOf } from './context.ts';
import { askSecret } from './prompt.ts';
import { out } from './print.ts';
import { UsageError } from './refusals.ts';

export function addSignIn(program: Command): void {
  program
    .command('sign-in')
    .argument('<url>', 'where the service is, such as http://127.0.0.1:7780')
    .requiredOption('--user <name>', 'your name there')
    .option('--days <days>', 'how long the token is good for', '90')
    .description('sign in; asks for the password (or reads it from standard input) and keeps a token')
    .action(signIn);
  program.command('sign-out').description('take the token back and forget it').action(signOut);
  program
    .command('who')
    .description('who is signed in, and where')
    .action(async (_options: object, command: Command) => {
      const account = readAccount();
      if (!account) throw new UsageError('nobody is signed in: zpine sign-in URL --user NAME');
      const user = await new Client({ url: account.url, token: account.token, via: 'cli', fetch: quickFetch }).call(
        'session.show',
      );
      if (outputOf(command).json) out(JSON.stringify({ ...user, url: account.url }));
      else out(`${user.name}, ${user.role}, at ${account.url}`);
    });
}

async function signIn(typed: string, { user, days }: { user: string; days: string }): Promise<void> {
  const url = typed.replace(/\/+$/, '');
  if (!/^https?:\/\//.test(url)) throw new UsageError(`"${typed}" is not a URL: it begins with http:// or https://`);
  const password = await askSecret(`password of ${user}: `);
  const cookie = await openSession(url, user, password);
  const withCookie: typeof fetch = (input, init) =>
    fetch(input, { ...init, headers: { ...init?.headers, Cookie: cookie } });
  const client = new Client({ url, via: 'cli', fetch: withCookie });
  const title = `zpine on ${hostname()}`;
  const token = await client.call('token.add', { body: { title, days: Number(days) } });
  await client.call('session.close');
  saveAccount({ url, user, token: token.secret, tokenId: token.id });
  out(`signed in as ${user} (${token.role}) until ${token.expiresAt.slice(0, 10)}; the token is in ${accountFile()}`);
}

async function openSession(url: string, name: string, password: string): Promise<string> {
  const response = await fetch(`${url}/api/v1/session`, {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ name, password }),
  }).catch((error: unknown) => {
    throw unreached(url, error);
  });
  if (!response.ok) {
    const problem: unknown = await response.json().catch(() => undefined);
    if (problem) throw new RefusedError(problem as RefusedError['problem']);
    throw new UnreachedError(`${url} answered with status ${response.status}: is it the service?`);
  }
  return response.headers.get('set-cookie')?.split(';')[0] ?? '';
}

async function signOut(): Promise<void> {
  const account = readAccount();
  if (!account) return out('nobody was signed in');
  forgetAccount();
  const client = new Client({ url: account.url, token: account.token, via: 'cli', fetch: quickFetch });
  await client.call('token.remove', { params: { id: String(account.tokenId) } });
  out('signed out');
}
