/** Whether a login lets somebody in that nobody should have any more: that of the factory, or that of a first file. */
import type { Target } from '../app/fleet/access.ts';
import { connect, type ConnectOptions } from './connect.ts';
import { NotReached } from './notReached.ts';

export interface Login {
  user: string;
  password: string;
}

/** Once, with nothing but this login, so that nothing is locked by it. `why`: it could not be tried. */
export async function tryLogin(
  target: Target,
  { user, password }: Login,
  way: ConnectOptions,
): Promise<{ letsIn: boolean } | { why: string }> {
  const bareless = { key: undefined, passphrase: undefined, second: undefined, bare: undefined };
  const stranger: Target = { ...target, access: { ...target.access, user, password, ...bareless } };
  try {
    (await connect(stranger, { ...way, holds: undefined, skips: undefined })).client.end();
    return { letsIn: true };
  } catch (error) {
    if (error instanceof NotReached && error.refused) return { letsIn: false };
    return { why: error instanceof Error ? error.message : String(error) };
  }
}
