/** What a person at the terminal reads when the service cannot start. */
import { problemOf, Refusal } from '@zpine/contract/errors';
import { KeyFault } from './store/keyCheck.ts';
import { isAway } from './store/database.ts';

export function wordsOf(error: unknown): string {
  if (error instanceof Refusal) {
    const problem = problemOf(error);
    return (problem.errors ?? []).map((e) => `${e.pointer.slice(1)}: ${e.detail}`).join('\n') || problem.detail;
  }
  if (error instanceof KeyFault) return error.message;
  const { code, address, port } = error as { code?: string; address?: string; port?: number };
  if (code === 'EACCES' && port !== undefined)
    return `port ${port} of ${address} may not be opened: ports below 1024 need the right to`;
  if (code === 'EADDRINUSE') return `port ${port} of ${address} is taken by another program`;
  if (code === 'EADDRNOTAVAIL')
    return `this machine has no address ${address}: see ZPINE_BOOT_ADDRESS and ZPINE_DIAL_MAP`;
  if (isAway(error)) return `the database is not reached: ${(error as Error).message}`;
  return error instanceof Error ? (error.stack ?? error.message) : String(error);
}
