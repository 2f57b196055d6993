/**
 * Keeps a wrong password from locking accounts on forty devices: a login that has not yet been right anywhere is tried on a
 * few devices only, and given up when those refuse it.
 */
export interface LoginGuard {
  /** By login: how many tries are under way, how many were refused, whether one was let in. */
  logins: Map<string, { trying: number; refused: number; proved: boolean }>;
}

/** So many devices may refuse a login that nobody has let in. */
export const FEW = 3;

export const newGuard = (): LoginGuard => ({ logins: new Map() });

/** Whether a device with this login may be tried now, must wait for what is under way, or shall not be tried any more. */
export function mayTry(guard: LoginGuard, login: string): 'now' | 'later' | 'never' {
  const held = guard.logins.get(login);
  if (!held || held.proved) return 'now';
  if (held.refused >= FEW) return 'never';
  return held.trying + held.refused >= FEW ? 'later' : 'now';
}

export function beginTry(guard: LoginGuard, login: string): void {
  const held = guard.logins.get(login) ?? { trying: 0, refused: 0, proved: false };
  held.trying += 1;
  guard.logins.set(login, held);
}

/** `let-in`, `refused`, or `unknown` where it did not come to the sign-in. */
export function endTry(guard: LoginGuard, login: string, how: 'let-in' | 'refused' | 'unknown'): void {
  const held = guard.logins.get(login);
  if (!held) return;
  held.trying -= 1;
  if (how === 'let-in') held.proved = true;
  if (how === 'refused') held.refused += 1;
}
