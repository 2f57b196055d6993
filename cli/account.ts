/** Where the command line keeps who is signed in: a file that only its owner can read. */
import { chmodSync, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { homedir } from 'node:os';
import { join } from 'node:path';

export interface Account {
  url: string;
  user: string;
  token: string;
  tokenId: number;
}

const folder = (): string => join(process.env.XDG_CONFIG_HOME || join(homedir(), '.config'), 'zealous-pine');
export const accountFile = (): string => join(folder(), 'sign-in.json');

export function readAccount(): Account | undefined {
  const { ZPINE_URL: url, ZPINE_TOKEN: token } = process.env;
  if (url && token) return { url, token, user: '', tokenId: 0 };
  if (!existsSync(accountFile())) return undefined;
  try {
    return JSON.parse(readFileSync(accountFile(), 'utf8')) as Account;
  } catch {
    return undefined;
  }
}

export function saveAccount(account: Account): void {
  mkdirSync(folder(), { recursive: true, mode: 0o700 });
  writeFileSync(accountFile(), `${JSON.stringify(account, null, 2)}\n`, { mode: 0o600 });
  chmodSync(accountFile(), 0o600);
}

export const forgetAccount = (): void => rmSync(accountFile(), { force: true });
